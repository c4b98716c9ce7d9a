package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"frizzel/core/edit"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/vault"
)

const applyLong = `Show what rules would change, ask, and write what is taken.

At a terminal the review fills the screen: take or leave a change, a file, a rule;
? explains the keys. --ask file or --ask match asks at a plain prompt instead.

Nothing is written before the last answer; then all of it is, or none. The old
contents are kept, and "frizzel undo" puts them back. Without a terminal to ask at,
--yes says that all changes are wanted.`

const applyExample = `  # review all changes, then write
  frizzel apply -r move-depot.friz conf docs

  # at a plain prompt, a match at a time
  frizzel apply --ask match -r move-depot.friz conf

  # no questions, such as in a job
  frizzel apply -r move-depot.friz --yes conf docs

  # one change, no script
  frizzel apply --text /var/opt/railway/depot3/ --with /var/opt/railway/depot4/ conf`

// applyFlags are all that an apply is told.
type applyFlags struct {
	rules  ruleFlags
	files  fileFlags
	how    writeFlags
	yes    bool
	format string
	sealed string
	ask    string
}

func (a *app) apply() *cobra.Command {
	var f applyFlags
	c := &cobra.Command{
		Use:     "apply [-r SCRIPT]... [PATH]...",
		Short:   "Confirm changes and write them, with backups",
		Long:    applyLong,
		Example: applyExample,
		RunE: func(c *cobra.Command, paths []string) error {
			if f.sealed == "" {
				return a.applyRules(c, &f, paths)
			}
			s, err := readSeal(c, f.sealed, paths)
			if err != nil {
				return err
			}
			if err := a.canAsk(f.yes); err != nil {
				return err
			}
			return a.applySeal(c, s, f.yes, &f.how)
		},
	}
	f.rules.add(c)
	f.files.add(c)
	f.how.add(c)
	fl := c.Flags()
	fl.BoolVarP(&f.yes, "yes", "y", false, "write all changes without asking")
	fl.StringVar(&f.ask, "ask", "", "how to ask: on the whole `screen`, or about a file or a match at a time: screen, file or match")
	fl.StringVar(&f.sealed, "sealed", "", "write exactly what was reviewed and kept in this `file` by preview --seal")
	fl.StringVar(&f.format, "format", "text", "text or json, one object a line")
	return c
}

// canAsk returns why a person cannot be asked, nil where one can or need not be.
func (a *app) canAsk(yes bool) error {
	if yes || review.Terminal(a.In, a.Out) {
		return nil
	}
	return refused(errors.New("there is no terminal to ask at, so nothing was written; --yes does not ask"))
}

// applyRules applies what rules change.
func (a *app) applyRules(c *cobra.Command, f *applyFlags, paths []string) error {
	if f.yes && len(paths) == 0 && f.files.from == "" {
		return wrong("apply --yes wants its paths said; . is the current folder")
	}
	p, err := a.compile(c, &f.rules)
	if err != nil {
		return err
	}
	plan, err := a.plan(&f.files, p, paths)
	if err != nil {
		return err
	}
	if err := a.canAsk(f.yes); err != nil {
		return err
	}
	printer := a.printer()
	printer.Rules = ruleNames(p)
	ap := &applying{app: a, printer: printer, asker: a.asker(f.yes, printer), how: &f.how}
	switch {
	case f.format == "json" && !f.yes:
		return wrong("--format json goes with --yes")
	case f.format == "json":
		ap.events = report.NewEvents(a.Out, printer.Rules)
	case f.format != "text":
		return wrong("--format is text or json, not %q", f.format)
	}
	intent := f.how.intent(a, vault.Intent{Kind: vault.Apply, Command: os.Args, Rules: printer.Rules})
	if !f.yes {
		way, err := a.wayToAsk(f.ask)
		if err != nil {
			return err
		}
		return ap.askAll(c.Context(), plan, way, f.files.verbose, intent)
	}
	s, err := a.doing(plan, func() (*run.Summary, error) { return plan.Do(c.Context(), ap.each) })
	if err != nil {
		return err
	}
	return ap.finish(c.Context(), s, f.files.verbose, intent)
}

// asker returns what asks a person, nil where all is agreed to.
func (a *app) asker(yes bool, p *report.Printer) *review.Prompt {
	if yes {
		return nil
	}
	return &review.Prompt{In: a.In, Out: a.Out, Style: p.Style, Width: p.Width}
}

// applying gathers what is to be written.
type applying struct {
	*app
	printer *report.Printer
	asker   *review.Prompt // nil where nothing is asked
	events  *report.Events // for JSON
	summary *run.Summary   // nil where nothing was read for rules
	how     *writeFlags    // nil where a run is taken back
	madeIn  string         // the folder where a run was made that is taken back
	agreed  bool           // to all the rest
	stopped bool           // the rest stays as it is
	changes []vault.Change
	count   int // of changes in them
	refuses refusals
}

// each takes one file's changes, where nothing is asked.
func (ap *applying) each(r *run.Result) (bool, error) {
	if r.Refuse != nil {
		ap.refuses.add(r)
		return false, nil
	}
	ap.changes = append(ap.changes, r.Change())
	ap.count += r.Changes()
	if ap.events != nil {
		return true, ap.events.Result(ap.printer, r)
	}
	_, err := fmt.Fprintf(ap.Out, "%s  %s\n", report.Path(r.File.Path), report.Count(r.Changes(), "change"))
	return true, err
}

// ask reports whether a file is to be written; show shows its changes first, where
// a person is asked.
func (ap *applying) ask(ctx context.Context, path, counted, what string, show func() error) (bool, error) {
	switch {
	case ap.stopped:
		return false, nil
	case ap.asker == nil || ap.agreed:
		fmt.Fprintf(ap.Out, "%s  %s\n", path, counted)
		return true, nil
	}
	if err := show(); err != nil {
		return false, err
	}
	answer, err := ap.asker.File(ctx, path+": "+what+"?")
	switch {
	case err != nil:
		return false, err
	case answer == review.Stop:
		return false, ap.stop(ctx)
	}
	ap.agreed = answer == review.Rest
	return answer != review.No, nil
}

// stop asks what is to become of the files said yes to before the person stopped.
func (ap *applying) stop(ctx context.Context) error {
	ap.stopped = true
	if len(ap.changes) == 0 {
		return review.ErrInterrupted
	}
	keep, err := ap.asker.Confirm(ctx, fmt.Sprintf("Write the %s said yes to?", report.Count(len(ap.changes), "file")))
	if err == nil && !keep {
		err = review.ErrInterrupted
	}
	return err
}

// finish writes what was taken, unless something speaks against it.
func (ap *applying) finish(ctx context.Context, s *run.Summary, verbose bool, intent vault.Intent) error {
	ap.summary = s
	refuses := append(ap.refuses, s.Tally.Unmet()...)
	if ap.events == nil {
		ap.printer.Summary(s, "to be written", verbose)
	}
	if len(refuses) > 0 {
		fmt.Fprintln(ap.Err, "frizzel: nothing was written:")
		if ap.events != nil {
			for _, r := range refuses {
				if err := ap.events.Problem(r); err != nil {
					return err
				}
			}
		}
		return refuse(ap.Err, refuses)
	}
	if bad := s.Unreadable(); len(bad) > 0 && !ap.how.skipUnreadable {
		fmt.Fprintf(ap.Err, "frizzel: nothing was written, since %s could not be read\n", report.Count(len(bad), "file"))
		return &exitError{exitUnreadable, nil}
	}
	intent.Changes = ap.count
	return ap.write(ctx, intent)
}

// write hands the changes to the vault and says how to take them back.
func (ap *applying) write(ctx context.Context, intent vault.Intent) error {
	if len(ap.changes) == 0 {
		return ap.written(nil)
	}
	v, err := openVault()
	if err != nil {
		return err
	}
	if ap.how != nil { // an undo may be of the very run
		if err := ap.overdue(ctx, v); err != nil {
			return err
		}
	}
	if ap.how != nil && ap.how.into != "" {
		if ap.changes, err = into(ap.how.into, ap.changes); err != nil {
			return err
		}
	}
	out, err := v.Write(ctx, intent, ap.changes)
	if out != nil {
		for _, r := range out.Recovered {
			fmt.Fprintf(ap.Err, "run %s had been cut off; its files were put back first\n", r.ID)
		}
	}
	if err != nil {
		return err
	}
	ap.afterwards(ctx, intent.After, ap.madeIn)
	if err := ap.written(out.Run); err != nil {
		return err
	}
	if !intent.Hold.IsZero() {
		if err := ap.guard(out.Run.ID); err != nil {
			return fmt.Errorf("run %s is not guarded, undo it by hand if need be: %w", out.Run.ID, err)
		}
		fmt.Fprintf(ap.Err, "on hold: everything is put back at %s, unless you say: frizzel keep %s\n", intent.Hold.Format("15:04:05"), out.Run.ID)
	}
	if ap.how != nil && ap.how.tellChanged {
		return &exitError{exitChanged, nil}
	}
	return nil
}

// into turns changes of files into new files in a folder, the originals left as they
// are.
func into(folder string, changes []vault.Change) ([]vault.Change, error) {
	abs, err := filepath.Abs(folder)
	if err == nil {
		err = os.MkdirAll(abs, 0o755)
	}
	if err == nil {
		abs, err = filepath.EvalSymlinks(abs)
	}
	if err != nil {
		return nil, err
	}
	out := make([]vault.Change, len(changes))
	for i, c := range changes {
		content, err := c.Content()
		if err != nil {
			return nil, err
		}
		info, err := os.Stat(c.Absolute())
		if err != nil {
			return nil, err
		}
		out[i] = vault.Change{
			Path: filepath.Join(folder, report.DiffName(c.Path)), Folder: abs, Name: report.DiffName(c.Path),
			Create: true, Mode: info.Mode(), Edits: edit.List{{New: c.Edits.Apply(content)}},
		}
	}
	return out, nil
}

// written says which run it was, nil for none, and how to take it back.
func (ap *applying) written(r *vault.Record) error {
	id := ""
	if r != nil {
		id = r.ID
	}
	switch {
	case ap.events != nil:
		return ap.events.Summary(ap.summary, id)
	case r == nil:
		fmt.Fprintln(ap.Err, "nothing to write")
	default:
		fmt.Fprintf(ap.Err, "%s written as run %s; to take it back: frizzel undo %s\n",
			report.Count(len(ap.changes), "file"), id, id)
	}
	return nil
}
