package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"frizzel/core/compile"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/seal"
	"frizzel/internal/usecase"
)

const previewLong = `Show what rules would change, as a diff for each file, and write nothing.

Standard output holds only the diff, for "git apply" and "patch -p1"; the count of what would
change goes to standard error. No patch can change an office document, so its lines begin with #
in a file or a pipe. A terminal shows them without.`

const previewExample = `  # a host's new name, but not in depot-30 or old-depot-3
  frizzel preview --word depot-3 --with depot-4 --joiners "-" conf docs

  # a script's rules, over the files below the current directory
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
	format   string
	lines    int
	check    bool
	hide     []string
	sign     string
	signers  string
	save     string
	reportTo string
	sealTo   string
	sealed   string
}

func (f *previewFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.format, "format", "diff", oneOf(formats)+", one object a line")
	fl.IntVar(&f.lines, "context", 3, "how many `lines` to show around a change")
	fl.BoolVar(&f.check, "check", false, "exit with status 1 if anything would change")
	fl.StringVar(&f.sign, "sign", "", "sign the review of --seal with this OpenSSH `key`; of a public key, the agent has the private one")
	addSigners(fl, &f.signers)
	fl.StringArrayVar(&f.hide, "hide", nil, "show ••••• for this `pattern`, such as 'regex \"password = .*\"'; may be repeated")
	fl.StringVar(&f.save, "save", "", "keep the change given on the command line as a script in this new `file`")
	fl.StringVar(&f.sealTo, "seal", "", "also keep the review in this new `file`, to be written later with apply --sealed")
	fl.StringVar(&f.sealed, "sealed", "", "show the review kept in this `file`")
	fl.StringVar(&f.reportTo, "report", "", "also write a page for a change request to this new `file`")
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
			holdLittle()
			if how.sealed != "" {
				return a.previewSealed(c, &how, paths)
			}
			compiled, err := a.compile(c, &rules)
			if err != nil {
				return err
			}
			plan, err := a.plan(&files, compiled, paths)
			if err != nil {
				return err
			}
			if err := rules.save(c, how.save); err != nil {
				return err
			}
			pre, err := a.previewing(compiled, &how)
			if err != nil {
				return err
			}
			done, err := doing(a, plan.Progress, func() (*usecase.Previewed, error) {
				return usecase.Preview(c.Context(), usecase.PreviewOptions{Plan: plan, Show: pre.file})
			})
			if err != nil {
				return err
			}
			pre.printer.Verbose = files.verbose
			return pre.end(done)
		},
	}
	rules.add(c)
	rules.addAllow(c)
	files.add(c)
	how.add(c)
	return c
}

// formats are the values of --format.
var formats = []string{"diff", "summary", "names", "json"}

// canFormat returns an error if format is not one of formats.
func canFormat(format string) error {
	if !slices.Contains(formats, format) {
		return exit.Wrongf("--format is %s, not %q", oneOf(formats), format)
	}
	return nil
}

// previewing shows changes, a file at a time.
type previewing struct {
	*app
	*previewFlags
	printer *report.Printer
	events  *report.Events   // for JSON
	page    *report.Page     // nil without --report
	seal    *usecase.Sealing // nil without --seal
}

func (a *app) previewing(rules *rules.Compiled, how *previewFlags) (*previewing, error) {
	if err := canFormat(how.format); err != nil {
		return nil, err
	}
	if how.lines < 0 {
		return nil, exit.Wrongf("--context is at least 0")
	}
	pre := &previewing{app: a, previewFlags: how, printer: a.printer()}
	pre.printer.Rules = rules.Labels
	pre.printer.Context = how.lines
	if err := how.hidden(pre.printer); err != nil {
		return nil, err
	}
	a.maskMessages(pre.printer)
	if how.format == "json" {
		pre.events = report.NewEvents(a.Out, "preview", pre.printer.Rules)
	}
	for _, path := range []string{how.reportTo, how.sealTo} {
		if err := canSave(path); err != nil {
			return nil, err
		}
	}
	if how.reportTo != "" {
		pre.page = report.NewPage(pre.printer, rules.Program, rules.Sources)
	}
	if how.sealTo != "" {
		pre.seal = &usecase.Sealing{Rules: rules, Diff: pre.printer.Text}
	}
	switch {
	case how.signers != "":
		return nil, exit.Wrongf("--signers says who may have signed a review that is read with --sealed")
	case how.sign != "" && pre.seal == nil:
		return nil, exit.Wrongf("--sign signs a review that is kept with --seal")
	case how.sign != "":
		var err error
		if pre.seal.Signer, err = seal.ReadSigner(how.sign, a.passphrase); err != nil {
			return nil, err
		}
	}
	return pre, nil
}

// hidden compiles the patterns of --hide.
func (f *previewFlags) hidden(p *report.Printer) error {
	for _, h := range f.hide {
		hidden, problems := compile.Pattern("--hide", h)
		if len(problems) > 0 {
			return problems
		}
		p.Hidden = append(p.Hidden, hidden)
	}
	return nil
}

// maskMessages masks in messages what --hide hides: a name of a file, or the pattern of an assertion, may have it.
func (a *app) maskMessages(p *report.Printer) {
	if len(p.Hidden) > 0 {
		a.Err.Mask = p.Masked
	}
}

func (pre *previewing) file(r *run.Result) error {
	if pre.page != nil {
		if err := pre.page.Result(r); err != nil {
			return err
		}
	}
	if pre.seal != nil {
		if err := pre.seal.Add(r); err != nil {
			return err
		}
	}
	switch pre.format {
	case "names":
		if !r.Writes() { // its directory is named
			return nil
		}
		_, err := fmt.Fprintln(pre.Out, pre.printer.Masked(report.Path(r.At.Path)))
		return err
	case "json":
		return pre.events.Result(pre.printer, r)
	case "summary":
		return pre.summary(r)
	}
	return pre.printer.Result(r)
}

// summary prints a file's name, the one that it gets, and the number of its changes.
func (pre *previewing) summary(r *run.Result) error {
	if !r.Writes() {
		return nil
	}
	name := pre.printer.Masked(report.Path(r.At.Path))
	if r.NewPath() != r.At.Path {
		name = report.Names(r)
	}
	_, err := fmt.Fprintf(pre.Out, "%s  %s\n", name, report.Count(r.Changes(), "change"))
	return err
}

func (pre *previewing) end(p *usecase.Previewed) error {
	s := p.Summary
	if err := pre.keep(s, p.Refuses); err != nil {
		return err
	}
	if pre.events != nil {
		for _, r := range p.Refuses {
			if err := pre.events.Problem(r); err != nil {
				return err
			}
		}
		if err := pre.events.Summary(s, ""); err != nil {
			return err
		}
	} else {
		pre.printer.Summary(s, "would change")
	}
	switch {
	case len(p.Refuses) > 0 && pre.events == nil:
		return exit.Refusals(p.Refuses)
	case len(p.Refuses) > 0:
		return exit.Silent(exit.Refused)
	case len(s.Unreadable()) > 0 && pre.previewFlags.check:
		return exit.Silent(exit.Refused)
	case len(s.Unreadable()) > 0:
		return exit.Silent(exit.Unreadable)
	case pre.previewFlags.check && s.Changed > 0:
		return exit.Silent(exit.Would)
	}
	return nil
}

// keep writes the page and the sealed review, if they are wanted. What would be
// refused is not sealed.
func (pre *previewing) keep(s *run.Summary, refuses []string) error {
	if pre.page != nil {
		pre.page.End(s, refuses)
		if err := saveFrom(pre.reportTo, pre.page); err != nil {
			return err
		}
	}
	if pre.seal == nil || len(refuses) > 0 || len(s.Unreadable()) > 0 {
		return nil
	}
	err := saveFrom(pre.sealTo, pre.seal)
	if err == nil {
		fmt.Fprintf(pre.Err, "sealed in %s, which holds the whole text of these files, hidden passages too\n", report.Path(pre.sealTo))
	}
	return err
}
