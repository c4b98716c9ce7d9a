// Package cli is the command line. Each command is one file: it reads options, calls package usecase,
// and prints the results.
package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"frizzel/core/script"
	"frizzel/internal/confine"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/progress"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/settings"
	"frizzel/internal/terminal"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// Streams are the standard streams of a command.
type Streams struct {
	In       *os.File
	Out, Err *os.File
}

// holdLittle doubles GOGC for a command with a small live heap: it saves up to a tenth of its time and costs
// little memory.
func holdLittle() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(200)
	}
}

// app is the state that all commands share.
type app struct {
	In       *os.File
	Out, Err *terminal.Writer // all output except that of the whole screen
	files    Streams
	color    string
	told     []string // messages about earlier runs
	settings *settings.Settings
	kept     history.Keeping
	patient  atomic.Bool // the command ends by itself, however long that takes
	// meter counts the current work, for the message if it is interrupted.
	meter atomic.Pointer[progress.Meter]
	alone bool // the process ends with the command, so that it may give up rights
	// confined is set once the command has given up rights.
	confined atomic.Pointer[confine.Confined]
}

func newApp(s Streams, broken func()) *app {
	shown := term.IsTerminal(int(s.Out.Fd()))
	return &app{
		In: s.In, files: s,
		Out: &terminal.Writer{W: s.Out, Shown: shown, Broken: broken},
		Err: &terminal.Writer{W: s.Err, Shown: true, Broken: broken},
	}
}

// grace is how long a command may take to finish after a signal.
const grace = 700 * time.Millisecond

// Main runs the program and returns its exit status.
func Main(args []string, s Streams) int { return int(runMain(args, s)) }

func runMain(args []string, s Streams) exit.Status {
	signals := []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP}
	signals = slices.DeleteFunc(signals, signal.Ignored) // such as by nohup
	ctx, stop := signal.NotifyContext(context.Background(), signals...)
	defer stop()
	// A pipe that nobody reads is an error like others, not the end in the midst of a run.
	signal.Notify(make(chan os.Signal, 1), syscall.SIGPIPE)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	a := newApp(s, func() { cancel(errBrokenPipe) })
	a.alone = true
	defer func() { a.confined.Load().End() }()
	done := make(chan exit.Status, 1)
	go func() { done <- a.run(ctx, args) }()
	select {
	case status := <-done:
		return ended(ctx, status)
	case <-ctx.Done():
	}
	for { // a writing command finishes or rolls back; one blocked on input never returns, hence the grace period
		select {
		case status := <-done:
			return ended(ctx, status)
		case <-time.After(grace):
			if !store.Working() && !a.patient.Load() {
				if m := a.meter.Load(); m != nil && !errors.Is(context.Cause(ctx), errBrokenPipe) {
					// a command that has begun to write reports itself which files it wrote
					if err := interrupted(m, ctx.Err()); exit.Of(err) == exit.Interrupted {
						fmt.Fprintln(a.Err, a.describe(err))
					}
				}
				return ended(ctx, exit.Interrupted)
			}
		}
	}
}

// errBrokenPipe is why a program ends whose output nobody reads.
var errBrokenPipe = errors.New("nobody reads the output")

// ended returns the exit status of a program that may have been ended by a broken pipe.
func ended(ctx context.Context, status exit.Status) exit.Status {
	if errors.Is(context.Cause(ctx), errBrokenPipe) && status != exit.Done && status != exit.Changed {
		return exit.BrokenPipe
	}
	return status
}

func (a *app) run(ctx context.Context, args []string) (status exit.Status) {
	defer func() {
		if r := recover(); r != nil {
			fmt.Fprintf(a.Err, "%v\n%s%s\n", r, debug.Stack(), report7)
			status = exit.Internal
		}
	}()
	only := ""
	if len(args) > 0 && args[0] != "completion" {
		only = args[0]
	}
	root := a.root(only)
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	if err == nil { // not every library that writes tells
		err = a.Out.Failed
	}
	status = statusOf(err)
	if err != nil && err.Error() != "" && !errors.Is(context.Cause(ctx), errBrokenPipe) {
		fmt.Fprintln(a.Err, a.describe(err))
		if status == exit.Internal {
			fmt.Fprintln(a.Err, report7)
		}
	}
	return status
}

// report7 says what to do about an unexpected error.
const report7 = "frizzel: this is a mistake of the program, not yours; please report it with the command line and what frizzel version prints"

// statusOf returns the exit status of an error.
func statusOf(err error) exit.Status {
	var problems script.Problems
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, review.ErrInterrupted):
		return exit.Interrupted
	case errors.As(err, &problems):
		return exit.Wrong
	}
	return exit.Of(err)
}

// describe words an error for people.
func (a *app) describe(err error) string {
	var problems script.Problems
	switch {
	case errors.As(err, &problems):
		return a.problems(problems)
	case errors.Is(err, usecase.ErrNothingTaken), errors.Is(err, review.ErrDeclined):
		return "frizzel: nothing was written"
	case errors.Is(err, context.Canceled), errors.Is(err, review.ErrInterrupted):
		return "frizzel: interrupted; nothing was written"
	}
	text := err.Error()
	var proof *hook.ProofError
	var torn *transaction.NotPutBackError
	if errors.As(err, &proof) && !errors.As(err, &torn) {
		text += "; everything is as before"
	}
	lines := strings.Split(text, "\n")
	lines = slices.Compact(lines) // one reason may be that of several steps
	for i, l := range lines {
		lines[i] = "frizzel: " + l
	}
	return strings.Join(lines, "\n")
}

// problems returns the message of the first problems and the number of the others.
func (a *app) problems(problems script.Problems) string {
	style := report.Style{On: a.colored(term.IsTerminal(int(a.files.Err.Fd())))}
	first, more := problems.Shown()
	var texts []string
	for _, p := range first {
		texts = append(texts, style.Problem(p))
	}
	if more != "" {
		texts = append(texts, style.Strong(more))
	}
	return strings.Join(texts, "\n")
}

const about = `Frizzel changes text in many files by rules that can be kept.

Look first, then write, and take it back if need be:

  frizzel preview --word depot-3 --with depot-4 conf docs
  frizzel apply   --word depot-3 --with depot-4 conf docs
  frizzel undo

A rule script holds such changes for good, to be read, checked and run again:

  frizzel preview -r move-depot.friz conf docs

"frizzel demo" shows all this on made-up files.`

// Command returns the tree of all commands, for whoever writes about them.
func Command() *cobra.Command {
	return newApp(Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}, func() {}).root("")
}

// A command is a command that is made when it is needed: all of them take longer to make than many a search.
type command struct {
	name string
	make func() *cobra.Command
}

// commands returns all commands, in the order of the work.
func (a *app) commands(root *cobra.Command) []command {
	return []command{
		{"find", a.find}, {"edit", a.edit}, {"try", a.try}, {"new", a.new}, {"explain", a.explain}, {"check", a.check}, {"fmt", a.fmt},
		{"preview", a.preview}, {"apply", a.apply}, {"undo", a.undo}, {"redo", a.redo}, {"history", a.history}, {"recover", a.recover},
		{"keep", a.keep}, {"fleet", a.fleet}, {"filter", a.filter}, {"stamp", a.stamp}, {"settings", a.showSettings},
		{"language-server", a.languageServer}, {"demo", a.demo}, {"completion", func() *cobra.Command { return a.completion(root) }},
		{"version", a.version}, {"guard", a.guard}, {"fleet-host", a.fleetHost},
	}
}

// root returns the program's command. If there is a command named only, it is the only one below it.
func (a *app) root(only string) *cobra.Command {
	cobra.EnableCommandSorting = false // the order of the work
	root := &cobra.Command{
		Use:           "frizzel",
		Short:         "Change text in many files by reusable rules",
		Long:          about,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          noCommand,
		RunE:          func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	root.SetOut(a.Out)
	root.SetErr(a.Err)
	root.CompletionOptions.DisableDefaultCmd = true
	root.PersistentFlags().StringVar(&a.color, "color", "auto", "colour the output: auto, always or never")
	root.SetFlagErrorFunc(mistakenOption)
	root.PersistentPreRunE = func(c *cobra.Command, _ []string) error {
		if err := a.confine(c); err != nil {
			return err
		}
		if err := a.set(c); err != nil {
			return err
		}
		if !slices.Contains(coloring, a.color) {
			return exit.Wrongf("--color is %s, not %q", oneOf(coloring), a.color)
		}
		if a.color == "always" || tells(c) {
			a.Out.Shown = true // somebody looks at it, perhaps behind a pager
		}
		return nil
	}
	commands := a.commands(root)
	one := slices.IndexFunc(commands, func(c command) bool { return c.name == only })
	if one >= 0 {
		commands = commands[one : one+1]
	}
	for _, c := range commands {
		root.AddCommand(c.make())
	}
	root.SetHelpCommand(a.helpCommand(root))
	a.complete(root)
	return root
}

// tells reports whether what a command prints is for people, also in a pipe: names and texts in it must not drive their
// terminal. What other commands print there is for programs.
func tells(c *cobra.Command) bool {
	if f := c.Flags().Lookup("format"); f != nil && f.Value.String() == "json" {
		return false
	}
	return slices.Contains([]string{"frizzel check", "frizzel history", "frizzel history verify", "frizzel settings", "frizzel recover"}, c.CommandPath())
}

// printer returns what shows results on standard output.
func (a *app) printer() *report.Printer {
	terminal := term.IsTerminal(int(a.files.Out.Fd()))
	p := &report.Printer{
		Out: a.Out, Err: a.Err, Context: 3,
		Terminal: terminal,
		Style:    report.Style{On: a.colored(terminal)},
	}
	if width, _, err := term.GetSize(int(a.files.Out.Fd())); err == nil {
		p.Width = width
	}
	return p
}

// coloring are the values of --color.
var coloring = []string{"auto", "always", "never"}

func (a *app) colored(terminal bool) bool {
	switch a.color {
	case "always":
		return true
	case "never":
		return false
	}
	return terminal && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
}
