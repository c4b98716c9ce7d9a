// Package cli is the command line: flags in, results out. Each command has a file
// of its own, and computes nothing itself.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"frizzel/core/script"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/selection"
	"frizzel/internal/vault"
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
	exitInterrupted = 130
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

func refused(err error) error { return &exitError{exitRefused, err} }

// app is what all commands share.
type app struct {
	Streams
	color string
}

// Main runs the program and returns its exit status.
func Main(args []string, s Streams) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer stop()
	a := &app{Streams: s}
	return a.run(ctx, args)
}

func (a *app) run(ctx context.Context, args []string) int {
	root := a.root()
	root.SetArgs(args)
	err := root.ExecuteContext(ctx)
	status := statusOf(err)
	if err != nil && err.Error() != "" {
		fmt.Fprintln(a.Err, a.describe(err))
	}
	return status
}

// statusOf returns the exit status that an error stands for.
func statusOf(err error) int {
	var exit *exitError
	var missing *selection.MissingError
	var changed *vault.ChangedError
	var proof *proofError
	var problems script.Problems
	switch {
	case err == nil:
		return exitDone
	case errors.As(err, &exit):
		return exit.status
	case errors.Is(err, context.Canceled), errors.Is(err, review.ErrInterrupted):
		return exitInterrupted
	case errors.As(err, &missing), errors.As(err, &problems):
		return exitWrong
	case errors.As(err, &changed), errors.As(err, &proof), errors.Is(err, vault.ErrBusy), errors.Is(err, fs.ErrExist):
		return exitRefused
	case isFileError(err):
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
		style := report.Style{On: a.colored(term.IsTerminal(int(a.Err.Fd())))}
		texts := make([]string, len(problems))
		for i, p := range problems {
			texts[i] = style.Problem(p)
		}
		return strings.Join(texts, "\n")
	case errors.Is(err, context.Canceled), errors.Is(err, review.ErrInterrupted):
		return "frizzel: interrupted; nothing was written"
	}
	return "frizzel: " + err.Error()
}

const about = `Frizzel changes text in many files by rules that can be kept.

Look first, then write, and take it back if need be:

  frizzel preview --word depot-3 --with depot-4 conf docs
  frizzel apply   --word depot-3 --with depot-4 conf docs
  frizzel undo

A rule script holds such changes for good, to be read, checked and run again:

  frizzel preview -r move-depot.friz conf docs

"frizzel demo" shows all this on made-up files.`

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:           "frizzel",
		Short:         "Change text in many files by reusable rules",
		Long:          about,
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          cobra.NoArgs,
		RunE:          func(c *cobra.Command, _ []string) error { return c.Help() },
	}
	root.SetOut(a.Out)
	root.SetErr(a.Err)
	root.CompletionOptions.HiddenDefaultCmd = true
	root.PersistentFlags().StringVar(&a.color, "color", "auto", "colour the output: auto, always or never")
	root.SetFlagErrorFunc(func(c *cobra.Command, err error) error {
		return wrong("%w; see %s --help", err, c.CommandPath())
	})
	root.PersistentPreRunE = func(*cobra.Command, []string) error {
		switch a.color {
		case "auto", "always", "never":
			return nil
		}
		return wrong("--color is auto, always or never, not %q", a.color)
	}
	root.AddCommand(a.find(), a.new(), a.check(), a.fmt(), a.preview(), a.apply(), a.history(),
		a.undo(), a.redo(), a.recoverCommand(), a.keep(), a.filter(), a.demo(), a.version(), a.guardCommand())
	cobra.EnableCommandSorting = false
	return root
}

// printer returns what shows results on standard output.
func (a *app) printer() *report.Printer {
	terminal := term.IsTerminal(int(a.Out.Fd()))
	p := &report.Printer{
		Out: a.Out, Err: a.Err, Context: 3,
		Terminal: terminal,
		Style:    report.Style{On: a.colored(terminal)},
	}
	if width, _, err := term.GetSize(int(a.Out.Fd())); err == nil {
		p.Width = width
	}
	return p
}

func (a *app) colored(terminal bool) bool {
	switch a.color {
	case "always":
		return true
	case "never":
		return false
	}
	return terminal && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
}

// refuse prints why nothing is written, a line each.
func refuse(w io.Writer, reasons []string) error {
	for _, r := range reasons {
		fmt.Fprintln(w, "frizzel: "+r)
	}
	return &exitError{exitRefused, nil}
}
