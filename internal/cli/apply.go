package cli

import (
	"bufio"
	"cmp"
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
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

// applyFlags are the options of apply.
type applyFlags struct {
	rules   ruleFlags
	files   fileFlags
	how     writeFlags
	yes     bool
	format  string
	sealed  string
	signers string
	ask     string
}

func (a *app) apply() *cobra.Command {
	var f applyFlags
	c := &cobra.Command{
		Use:     "apply [-r SCRIPT]... [PATH]...",
		Short:   "Confirm changes and write them, with backups",
		Long:    applyLong,
		Example: applyExample,
		RunE: func(c *cobra.Command, paths []string) error {
			if f.sealed == "" && f.signers != "" {
				return exit.Wrongf("--signers goes with --sealed")
			}
			if f.sealed == "" {
				return a.applyRules(c, &f, paths)
			}
			return a.applySealed(c, &f, paths)
		},
	}
	f.rules.add(c)
	f.rules.addAllow(c)
	f.files.add(c)
	f.how.add(c)
	fl := c.Flags()
	fl.BoolVarP(&f.yes, "yes", "y", false, "write all changes without asking")
	fl.StringVar(&f.ask, "ask", "", "how to ask: on the whole `screen`, or about a file or a match at a time: screen, file or match")
	addSigners(fl, &f.signers)
	fl.StringVar(&f.sealed, "sealed", "", "write exactly what was reviewed and kept in this `file` by preview --seal")
	fl.StringVar(&f.format, "format", "text", "text or json, one object a line")
	return c
}

// canAsk returns why a person cannot be asked, nil if one can or need not be.
func (a *app) canAsk(yes bool) error {
	if yes || review.Terminal(a.In, a.files.Out) {
		return nil
	}
	return exit.Refusedf("there is no terminal to ask at, so nothing was written; --yes does not ask")
}

// checkFormat returns an error if --format has an unknown value.
func (f *applyFlags) checkFormat() error {
	switch {
	case f.format == "json" && !f.yes:
		return exit.Wrongf("--format json goes with --yes")
	case f.format != "text" && f.format != "json":
		return exit.Wrongf("--format is text or json, not %q", f.format)
	}
	return nil
}

// applyRules applies what rules change.
func (a *app) applyRules(c *cobra.Command, f *applyFlags, paths []string) error {
	if f.yes && len(paths) == 0 && f.files.from == "" {
		return exit.Wrongf("apply --yes wants its paths said; . is the current directory")
	}
	compiled, err := a.compile(c, &f.rules)
	if err != nil {
		return err
	}
	plan, err := a.plan(&f.files, compiled, paths)
	if err != nil {
		return err
	}
	if err := f.checkFormat(); err != nil {
		return err
	}
	if err := a.canAskBy(c, f.ask, f.yes); err != nil {
		return err
	}
	w, err := a.writingWith(c, &f.how)
	if err != nil {
		return err
	}
	ap := &applying{app: a, printer: a.printer()}
	ap.printer.Rules, ap.printer.Verbose = compiled.Labels, f.files.verbose
	if f.format == "json" {
		ap.events = report.NewEvents(a.Out, "apply", compiled.Labels)
	}
	o := usecase.ApplyOptions{Rules: compiled, Plan: plan, Write: w, Show: ap.show, Ready: ap.ready, SkipUnreadable: f.how.skipUnreadable}
	ap.noted = func() []string { return report.Dangling(plan.Names) }
	if !f.yes {
		o.Ask = ap.asker(a.wayToAsk(f.ask))
	}
	o.Write.Progress = plan.Progress
	done, err := doing(a, plan.Progress, func() (*usecase.Applied, error) { return usecase.Apply(c.Context(), o) })
	return ap.end(done, err, f.how.tellChanged)
}

// applying shows an apply.
type applying struct {
	*app
	printer *report.Printer
	events  *report.Events // for JSON
	lines   *bufio.Writer  // of files, if nothing is asked; nil before there is one
	// begin, if it is not nil, gives the first answers of a review.
	begin func(*review.Session) error
	noted func() []string // what there is to know on the last page; nil for nothing
}

// show names one file's changes, if nothing is asked.
func (ap *applying) show(r *run.Result) error {
	if ap.events != nil {
		return ap.events.Result(ap.printer, r)
	}
	if !r.Writes() {
		return nil
	}
	if ap.lines == nil {
		ap.lines = bufio.NewWriter(ap.Out)
	}
	_, err := fmt.Fprintf(ap.lines, "%s  %s\n", report.Names(r), report.Count(r.Changes(), "change"))
	if err == nil && ap.printer.Terminal {
		err = ap.lines.Flush()
	}
	return err
}

// flush writes the lines of files.
func (ap *applying) flush() error {
	if ap.lines == nil {
		return nil
	}
	return ap.lines.Flush()
}

// ready prints a summary before anything is written.
func (ap *applying) ready(a *usecase.Applied) error {
	if err := ap.flush(); err != nil {
		return err
	}
	if ap.events == nil {
		ap.printer.Summary(a.Summary, "to be written")
	}
	if len(a.Refuses) == 0 {
		return nil
	}
	fmt.Fprintln(ap.Err, "frizzel: nothing was written:")
	return ap.problems(a.Refuses)
}

// problems writes why nothing may be written, for programs.
func (ap *applying) problems(reasons []string) error {
	if ap.events == nil {
		return nil
	}
	for _, r := range reasons {
		if err := ap.events.Problem(r); err != nil {
			return err
		}
	}
	return nil
}

// end prints the result of the run, and the command that undoes it.
func (ap *applying) end(a *usecase.Applied, err error, tellChanged bool) error {
	err = cmp.Or(err, ap.flush())
	if ap.events != nil && a != nil && a.Summary != nil {
		id := ""
		if a.Run != nil {
			id = a.Run.ID
		} else if err != nil {
			a.Summary.Changed, a.Summary.Changes = 0, 0
		}
		if eventErr := ap.events.Summary(a.Summary, id); err == nil {
			err = eventErr
		}
	}
	switch {
	case err != nil:
		return err
	case a.Run == nil && ap.events == nil:
		fmt.Fprintln(ap.Err, "nothing to write")
	case a.Run != nil && (ap.events == nil || a.Run.Hold > 0):
		ap.wrote(a.Run, a.Files)
	}
	if a.Run != nil && tellChanged {
		return exit.Silent(exit.Changed)
	}
	return nil
}

// asker returns what asks a person in one way.
func (ap *applying) asker(way string) func(context.Context, []*run.Pending, func() []string) (bool, error) {
	return func(ctx context.Context, all []*run.Pending, refused func() []string) (bool, error) {
		var items []review.Item
		for _, p := range all {
			items = append(items, pendingItem{p, ctx})
		}
		return ap.review(ctx, items, all, way, refused)
	}
}
