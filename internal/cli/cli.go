// Package cli is the command line: flags in, results out. Each command has a file
// of its own, and computes nothing itself.
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
	"frizzel/internal/change"
	"frizzel/internal/hook"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/selection"
	"frizzel/internal/settings"
	"frizzel/internal/terminal"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// Streams are where a command reads and writes.
type Streams struct {
	In       *os.File
	Out, Err *os.File
}

// The exit statuses.
const (
	exitDone        = 0
	exitWould       = 1 // find: nothing found; preview --check: something would change
	exitWrong       = 2 // the command line or a script is wrong
	exitRefused     = 3 // nothing stays written
	exitUnreadable  = 4 // a file could not be read or written
	exitChanged     = 5 // with --tell-changed: something was written
	exitInPart      = 6 // undo, redo, recover: done in part
	exitInterrupted = 130
	exitBrokenPipe  = 141
)

// exitError carries an exit status. Its error may be nil where all is said already.
type exitError struct {
	status int
	err    error
}

func (e *exitError) Error() string {
	if e.err == nil {
		return ""
	}
	return e.err.Error()
}

func (e *exitError) Unwrap() error { return e.err }

func wrong(format string, args ...any) error {
	return &exitError{exitWrong, fmt.Errorf(format, args...)}
}

func refused(format string, args ...any) error {
	return &exitError{exitRefused, fmt.Errorf(format, args...)}
}

// holdLittle lets garbage be collected half as often, for a command that holds little of what it
// reads: some of a tenth of its time, for memory that it has to spare.
func holdLittle() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(200)
	}
}

// app is what all commands share.
type app struct {
	In       *os.File
	Out, Err *terminal.Writer // where everything is written, but for the whole screen
	files    Streams
	color    string
	told     []string // what was said of earlier runs
	settings *settings.Settings
	kept     history.Keeping
	patient  atomic.Bool // the command ends by itself, however long that takes
}

func newApp(s Streams, broken func()) *app {
	shown := term.IsTerminal(int(s.Out.Fd()))
	return &app{
		In: s.In, files: s,
		Out: &terminal.Writer{W: s.Out, Shown: shown, Broken: broken},
		Err: &terminal.Writer{W: s.Err, Shown: true, Broken: broken},
	}
}

// grace is how long a command may take to end by itself once it is told to.
const grace = 700 * time.Millisecond

// Main runs the program and returns its exit status.
func Main(args []string, s Streams) int {
	signals := []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP}
	signals = slices.DeleteFunc(signals, signal.Ignored) // such as by nohup
	ctx, stop := signal.NotifyContext(context.Background(), signals...)
	defer stop()
	// A pipe that nobody reads is an error like others, not the end in the midst of a run.
	signal.Notify(make(chan os.Signal, 1), syscall.SIGPIPE)
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	a := newApp(s, func() { cancel(errBrokenPipe) })
	done := make(chan int, 1)
	go func() { done <- a.run(ctx, args) }()
	select {
	case status := <-done:
		return ended(ctx, status)
	case <-ctx.Done():
	}
	for { // what writes comes to its end, or puts back what it did; what waits for its input never does
		select {
		case status := <-done:
			return ended(ctx, status)
		case <-time.After(grace):
			if !store.Working() && !a.patient.Load() {
				return ended(ctx, exitInterrupted)
			}
		}
	}
}

// errBrokenPipe is why a program ends whose output nobody reads.
var errBrokenPipe = errors.New("nobody reads the output")

// ended returns the exit status of a program that may have been ended by a broken pipe.
func ended(ctx context.Context, status int) int {
	if errors.Is(context.Cause(ctx), errBrokenPipe) && status != exitDone && status != exitChanged {
		return exitBrokenPipe
	}
	return status
}

func (a *app) run(ctx context.Context, args []string) int {
	root := a.root()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	status := statusOf(err)
	if err != nil && err.Error() != "" && !errors.Is(context.Cause(ctx), errBrokenPipe) {
		fmt.Fprintln(a.Err, a.describe(err))
	}
	return status
}

// statusOf returns the exit status that an error stands for.
func statusOf(err error) int {
	var (
		exit       *exitError
		wrong      *usecase.WrongError
		refused    *usecase.RefusedError
		unreadable *usecase.UnreadableError
		missing    *selection.MissingError
		noRun      *store.MissingError
		damaged    *store.DamagedError
		changed    *change.ChangedError
		exists     *transaction.ExistsError
		staged     *transaction.StagedError
		moved      *transaction.MovedError
		proof      *hook.ProofError
		problems   script.Problems
	)
	switch {
	case err == nil:
		return exitDone
	case errors.As(err, &exit):
		return exit.status
	case errors.Is(err, context.Canceled), errors.Is(err, review.ErrInterrupted):
		return exitInterrupted
	case errors.Is(err, review.ErrDeclined), errors.Is(err, usecase.ErrNothingTaken):
		return exitRefused
	case errors.As(err, &wrong), errors.As(err, &missing), errors.As(err, &noRun), errors.As(err, &problems):
		return exitWrong
	case errors.As(err, &refused), errors.As(err, &changed), errors.As(err, &proof), errors.As(err, &exists),
		errors.As(err, &staged), errors.As(err, &moved), errors.Is(err, store.ErrBusy):
		return exitRefused
	case errors.As(err, &unreadable), errors.As(err, &damaged), isFileError(err):
		return exitUnreadable
	}
	return exitWrong
}

func isFileError(err error) bool {
	var p *os.PathError
	var l *os.LinkError
	var s *os.SyscallError
	var n syscall.Errno
	return errors.As(err, &p) || errors.As(err, &l) || errors.As(err, &s) || errors.As(err, &n)
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
	lines := strings.Split(err.Error(), "\n")
	for i, l := range lines {
		lines[i] = "frizzel: " + l
	}
	return strings.Join(lines, "\n")
}

// problems words the first of them, and says how many more there are.
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
	return newApp(Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}, func() {}).root()
}

func (a *app) root() *cobra.Command {
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
		if err := a.set(c); err != nil {
			return err
		}
		if !slices.Contains(coloring, a.color) {
			return wrong("--color is %s, not %q", oneOf(coloring), a.color)
		}
		if a.color == "always" {
			a.Out.Shown = true // somebody looks at it behind a pager
		}
		return nil
	}
	root.AddCommand(a.find(), a.newScript(), a.check(), a.layout(), a.preview(), a.apply(), a.undo(), a.redo(), a.history(),
		a.settle(), a.keep(), a.filter(), a.stamp(), a.showSettings(), a.demo(), a.completion(root), a.version(), a.guard())
	root.SetHelpCommand(a.helpCommand(root))
	a.complete(root)
	return root
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
