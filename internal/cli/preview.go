package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/internal/report"
	"frizzel/internal/run"
	"frizzel/internal/seal"
)

const previewLong = `Show what rules would change, as a diff for each file, and write nothing.

Standard output holds the diff alone, which "git apply" and "patch -p1" take as it
is; the count of what would change goes to standard error.`

const previewExample = `  # a host's new name, but not in depot-30 or old-depot-3
  frizzel preview --word depot-3 --with depot-4 --joiners "-" conf docs

  # a script's rules, over the files below the current folder
  frizzel preview -r move-depot.friz

  # swap two parts of what an expression matches, on some lines only
  frizzel preview --regex '(\w+)=(\w+)' --with '{=2}={=1}' --on 'lines 10 to 30' conf/kiosk.ini

  # in a job: is there anything to do?
  frizzel preview --check --format summary -r move-depot.friz conf

  # keep the change for review
  frizzel preview -r move-depot.friz conf > change.diff
  frizzel preview -r move-depot.friz --hide 'regex "password = .*"' --report change.html conf`

// previewFlags say how changes are shown.
type previewFlags struct {
	format string
	lines  int
	check  bool
	hide   []string
	save   string
	report string
	seal   string
	sealed string
}

func (f *previewFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.format, "format", "diff", "diff, summary, names or json, one object a line")
	fl.IntVar(&f.lines, "context", 3, "how many `lines` to show around a change")
	fl.BoolVar(&f.check, "check", false, "exit with status 1 where anything would change")
	fl.StringArrayVar(&f.hide, "hide", nil, "show ••••• for this `pattern`, such as 'regex \"password = .*\"'; may be repeated")
	fl.StringVar(&f.save, "save", "", "keep the change given on the command line as a script in this new `file`")
	fl.StringVar(&f.seal, "seal", "", "also keep the review in this new `file`, to be written later with apply --sealed")
	fl.StringVar(&f.sealed, "sealed", "", "show the review kept in this `file`")
	fl.StringVar(&f.report, "report", "", "also write a page for a change request to this new `file`")
}

func (a *app) preview() *cobra.Command {
	var rules ruleFlags
	var files fileFlags
	var how previewFlags
	c := &cobra.Command{
		Use:     "preview [-r SCRIPT]... [PATH]...",
		Short:   "Show what would change, as a diff for each file; write nothing",
		Long:    previewLong,
		Example: previewExample,
		RunE: func(c *cobra.Command, paths []string) error {
			if how.sealed != "" {
				s, err := readSeal(c, how.sealed, paths)
				if err != nil {
					return err
				}
				return a.showSeal(s)
			}
			p, err := a.compile(c, &rules)
			if err != nil {
				return err
			}
			plan, err := a.plan(&files, p, paths)
			if err != nil {
				return err
			}
			if err := rules.save(c, how.save); err != nil {
				return err
			}
			pre, err := a.previewing(p, &how, &rules)
			if err != nil {
				return err
			}
			s, err := a.doing(plan, func() (*run.Summary, error) { return plan.Do(c.Context(), pre.file) })
			if err != nil {
				return err
			}
			return pre.end(s, files.verbose)
		},
	}
	rules.add(c)
	files.add(c)
	how.add(c)
	return c
}

// previewing shows changes, a file at a time.
type previewing struct {
	*app
	*previewFlags
	printer *report.Printer
	events  *report.Events // for JSON
	page    *report.Page   // nil without --report
	seal    *seal.Seal     // nil without --seal
	refuses refusals
}

func (a *app) previewing(p *program.Program, how *previewFlags, rules *ruleFlags) (*previewing, error) {
	if !slices.Contains([]string{"diff", "summary", "names", "json"}, how.format) {
		return nil, wrong("--format is diff, summary, names or json, not %q", how.format)
	}
	pre := &previewing{app: a, previewFlags: how, printer: a.printer()}
	pre.printer.Rules = ruleNames(p)
	pre.printer.Context = how.lines
	for _, h := range how.hide {
		hidden, problems := program.CompilePattern("--hide", h)
		if len(problems) > 0 {
			return nil, problems
		}
		pre.printer.Hidden = append(pre.printer.Hidden, hidden)
	}
	if how.format == "json" {
		pre.events = report.NewEvents(a.Out, pre.printer.Rules)
	}
	if how.report != "" {
		pre.page = report.NewPage(pre.printer, p)
	}
	if how.seal != "" {
		pre.seal = seal.New(p.Title)
		pre.seal.Sources, pre.seal.Values, pre.seal.Rules = rules.sources, rules.given, pre.printer.Rules
	}
	return pre, nil
}

func (pre *previewing) file(r *run.Result) (bool, error) {
	if r.Refuse != nil {
		pre.refuses.add(r)
		return false, nil
	}
	if pre.page != nil {
		pre.page.Result(r)
	}
	if pre.seal != nil {
		if err := pre.seal.Add(r.File.Path, r.Changes(), r.Text.Raw, r.Raw, pre.printer.Text(r)); err != nil {
			return false, err
		}
	}
	switch pre.format {
	case "names":
		_, err := fmt.Fprintln(pre.Out, report.Path(r.File.Path))
		return true, err
	case "json":
		return true, pre.events.Result(pre.printer, r)
	case "summary":
		_, err := fmt.Fprintf(pre.Out, "%s  %s\n", report.Path(r.File.Path), report.Count(r.Changes(), "change"))
		return true, err
	}
	return true, pre.printer.Result(r)
}

func (pre *previewing) end(s *run.Summary, verbose bool) error {
	refuses := append(pre.refuses, s.Tally.Unmet()...)
	if err := pre.keep(s, refuses); err != nil {
		return err
	}
	if pre.events != nil {
		for _, r := range refuses {
			if err := pre.events.Problem(r); err != nil {
				return err
			}
		}
		if err := pre.events.Summary(s, ""); err != nil {
			return err
		}
	} else {
		pre.printer.Summary(s, "would change", verbose)
	}
	switch {
	case len(refuses) > 0 && pre.events == nil:
		return refuse(pre.Err, refuses)
	case len(refuses) > 0:
		return &exitError{exitRefused, nil}
	case len(s.Unreadable()) > 0:
		return &exitError{exitUnreadable, nil}
	case pre.previewFlags.check && s.Changed > 0:
		return &exitError{exitWould, nil}
	}
	return nil
}

// keep writes the page and the sealed review, where they are wanted. What would be
// refused is not sealed.
func (pre *previewing) keep(s *run.Summary, refuses []string) error {
	if pre.page != nil {
		page, err := pre.page.End(s, refuses)
		if err == nil {
			err = save(pre.previewFlags.report, page)
		}
		if err != nil {
			return err
		}
	}
	if pre.seal == nil || len(refuses) > 0 || len(s.Unreadable()) > 0 {
		return nil
	}
	text, err := pre.seal.Text()
	if err == nil {
		err = save(pre.previewFlags.seal, text)
	}
	return err
}
