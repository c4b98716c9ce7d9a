package cli

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// writeFlags say what happens around the writing of files.
type writeFlags struct {
	note, beside, into string
	proveFile, prove   string
	after              string
	proofTime          time.Duration
	hold               time.Duration
	tellChanged        bool
	skipUnreadable     bool
}

func (f *writeFlags) add(c *cobra.Command) {
	f.addCommon(c)
	fl := c.Flags()
	fl.StringVar(&f.into, "into", "", "write the changed files into this `directory`, and leave the originals")
	fl.BoolVar(&f.skipUnreadable, "skip-unreadable", false, "leave out files that cannot be read, and go on")
}

// addCommon declares the flags of every command that writes new contents.
func (f *writeFlags) addCommon(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.note, "note", "", "a `text` to keep with the run, such as a ticket's number")
	fl.StringVar(&f.beside, "beside", "", "also leave each old file beside the new one, its name ending in this `suffix`")
	fl.StringVar(&f.proveFile, "prove-file", "", "a `command`, started without a shell, that must succeed for each new file before any is live; {=path} is its staged copy")
	fl.StringVar(&f.prove, "prove", "", "a `command` that must succeed when all files are live; else everything is put back")
	fl.DurationVar(&f.proofTime, "prove-time", time.Minute, "how long a proof may take")
	fl.StringVar(&f.after, "after", "", "a `command` to run once files have changed, and again if they are put back")
	fl.DurationVar(&f.hold, "hold", 0, "put everything back after this `time`, such as 5m, unless \"frizzel keep RUN\" is said before")
	fl.BoolVar(&f.tellChanged, "tell-changed", false, "exit with status 5 if something was written")
}

// check returns an error if a flag was given an empty value, for example from an unset variable: that must not be
// treated as if the flag were missing.
func (f *writeFlags) check(c *cobra.Command) error {
	for name, value := range map[string]string{
		"prove": f.prove, "prove-file": f.proveFile, "after": f.after, "beside": f.beside, "into": f.into,
	} {
		if c.Flags().Changed(name) && value == "" {
			return exit.Wrongf("--%s is empty; is a variable in it not set?", name)
		}
	}
	if c.Flags().Changed("hold") && f.hold <= 0 {
		return exit.Wrongf("--hold wants a time such as 5m, not %s", f.hold)
	}
	if f.proofTime <= 0 {
		return exit.Wrongf("--prove-time wants a time such as 1m, not %s", f.proofTime)
	}
	if f.beside == "." || f.beside != "" && (f.beside[0] == '/' || f.beside == "..") {
		return exit.Wrongf("--beside wants what is added to a file's name, such as .old, not %q", f.beside)
	}
	return nil
}

// writing returns what goes with a run whatever the flags say.
func (a *app) writing() (usecase.Writing, error) {
	s, err := usecase.OpenStore()
	return usecase.Writing{
		Store: s, Command: os.Args, Out: a.Err, Recovered: func(s usecase.Recovered) { a.tellRecovered(s) },
		Keep: a.kept, Tidied: a.tidied,
	}, err
}

// tidied reports that the run deleted old ones.
func (a *app) tidied(runs int, freed int64, err error) {
	if err != nil {
		fmt.Fprintf(a.Err, "note: old runs could not be deleted: %v\n", err)
	}
	if runs > 0 {
		fmt.Fprintf(a.Err, "note: %s deleted, %s freed; runs are %s (see frizzel settings)\n",
			report.Count(runs, "old run"), humanize.IBytes(uint64(freed)), keeps(a.kept))
	}
}

// writingWith returns the way to write with the flags applied.
func (a *app) writingWith(c *cobra.Command, f *writeFlags) (usecase.Writing, error) {
	w, err := a.writing()
	if err == nil {
		err = f.check(c)
	}
	w.Note, w.Beside, w.Into, w.After, w.Hold = f.note, f.beside, f.into, f.after, f.hold
	if f.prove != "" {
		w.Prove = &hook.Proof{Command: f.prove, Limit: f.proofTime, Out: a.Err}
	}
	if f.proveFile != "" && err == nil {
		var words []string
		words, err = hook.ParseProof(f.proveFile)
		w.ProveFile = &hook.Proof{Words: words, Limit: f.proofTime, Out: a.Err}
	}
	w.Guard = func(id string) error { return hook.Guard(w.Store, id) }
	return w, err
}

// wrote prints the number of the run and the command that undoes it.
func (a *app) wrote(r *store.Record, files int) {
	what := report.Count(files, "file")
	if len(r.Moves) > 0 && files > 1 {
		what = fmt.Sprintf("%d files and directories", files)
	}
	fmt.Fprintf(a.Err, "%s written as run %s; to take it back: frizzel undo %s\n", what, r.ID, r.Name())
	if until := r.HeldUntil(); !until.IsZero() {
		fmt.Fprintf(a.Err, "on hold: everything is put back at %s, unless you say: frizzel keep %s\n", until.Local().Format("15:04:05"), r.Name())
	}
}

// tellRecovered prints the earlier runs that were put back. It returns false if something was left
// alone, or could not be put back.
func (a *app) tellRecovered(s usecase.Recovered) (whole bool) {
	whole = true
	for _, c := range s.CutOff {
		whole = a.once(func(w io.Writer) bool { return cutOff(w, c) }) && whole
	}
	for _, o := range s.Overdue {
		whole = a.once(func(w io.Writer) bool { return overdue(w, o) }) && whole
	}
	for _, d := range s.Damaged {
		whole = a.once(func(w io.Writer) bool { return unread(w, d) }) && whole
	}
	for _, r := range s.Done {
		fmt.Fprintf(a.Err, "run %s is done: all its files are what it wrote\n", r.Name())
	}
	for _, g := range s.GivenUp {
		fmt.Fprintf(a.Err, "run %s was given up, and its files stay as they are: %v; what is kept of it stays in %s\n", g.ID, g.Reason, report.Path(g.Kept))
	}
	return whole
}

// once writes what tell writes, unless it was said before: a command recovers once before
// it shows anything and again before it writes.
func (a *app) once(tell func(io.Writer) (whole bool)) (whole bool) {
	var text strings.Builder
	whole = tell(&text)
	if !slices.Contains(a.told, text.String()) {
		a.told = append(a.told, text.String())
		_, _ = io.WriteString(a.Err, text.String())
	}
	return whole
}

func unread(w io.Writer, d store.Damaged) (whole bool) {
	fmt.Fprintf(w, "frizzel: run %s may have been cut off, and cannot be put back: %v; frizzel recover --force %s settles it by what its files hold, or gives it up\n", d.ID, d.Reason, d.ID)
	return false
}

func cutOff(w io.Writer, c transaction.Recovered) (whole bool) {
	switch {
	case c.Err != nil:
		fmt.Fprintf(w, "frizzel: run %s was cut off and cannot be put back yet: %v\n", c.Run.Name(), c.Err)
	case len(c.Away) > 0:
		fmt.Fprintf(w, "frizzel: run %s was cut off and cannot be put back yet: these files are out of reach (frizzel recover --force %s gives up those that still are)\n", c.Run.Name(), c.Run.Name())
		for _, path := range c.Away {
			fmt.Fprintf(w, "  %s\n", report.Path(path))
		}
	case len(c.Left) > 0:
		fmt.Fprintf(w, "run %s of %s had been cut off; its files were put back, but for these:\n", c.Run.Name(), c.Run.Time.Format("2006-01-02 15:04"))
	default:
		fmt.Fprintf(w, "run %s of %s had been cut off; its files were put back\n", c.Run.Name(), c.Run.Time.Format("2006-01-02 15:04"))
	}
	left(w, c.Left)
	return c.Err == nil && len(c.Away)+len(c.Left) == 0
}

func overdue(w io.Writer, o hold.Outcome) (whole bool) {
	switch {
	case o.Error != nil:
		fmt.Fprintf(w, "frizzel: run %s was on hold and nobody kept it, and it cannot be put back yet: %v (frizzel recover --force %s gives up what still cannot)\n", o.Run.Name(), o.Error, o.Run.Name())
	case o.Undo == nil:
		fmt.Fprintf(w, "run %s was on hold and nobody kept it; none of its files could be put back\n", o.Run.Name())
	default:
		fmt.Fprintf(w, "run %s was on hold and nobody kept it; its files were put back as run %s\n", o.Run.Name(), o.Undo.Name())
	}
	left(w, o.Left)
	return o.Error == nil && len(o.Left) == 0
}

// left names files that were left alone.
func left(w io.Writer, files []store.Left) {
	for _, l := range files {
		fmt.Fprintf(w, "left alone: %s: %s", report.Path(report.Here(string(l.Path))), l.Reason)
		if l.OldCopy != "" {
			fmt.Fprintf(w, "; its old content is in %s", report.Path(string(l.OldCopy)))
		}
		fmt.Fprintln(w)
	}
}
