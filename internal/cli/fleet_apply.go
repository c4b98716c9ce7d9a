package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"

	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
)

// fleetPreviewFlags say how changes are shown.
type fleetPreviewFlags struct {
	order  orderFlags
	format string
	lines  int
	check  bool
	hide   []string
}

func (a *app) fleetPreview() *cobra.Command {
	var f fleetPreviewFlags
	c := &cobra.Command{
		Use: "preview --hosts FILE -r SCRIPT PATH...", Short: "Show what would change on many hosts; write nothing",
		Long: `Show what rules would change on each host, and write nothing. The same change on several hosts is shown
once, with their names; the rarest comes first. Hosts that cannot be reached are named.`,
		Example: "  frizzel fleet preview --hosts hosts.csv -r move-depot.friz /etc/railway",
		RunE:    func(c *cobra.Command, paths []string) error { return a.previewFleet(c, &f, paths) },
	}
	f.order.add(c)
	fl := c.Flags()
	fl.StringVar(&f.format, "format", "diff", oneOf(fleetFormats)+", one object a line")
	fl.IntVar(&f.lines, "context", 3, "how many `lines` to show around a change")
	fl.BoolVar(&f.check, "check", false, "exit with status 1 if anything would change")
	fl.StringArrayVar(&f.hide, "hide", nil, "show ••••• for this `pattern`, such as 'regex \"password = .*\"'; may be repeated")
	return c
}

// fleetFormats are the values of --format.
var fleetFormats = []string{"diff", "summary", "json"}

func (a *app) previewFleet(c *cobra.Command, f *fleetPreviewFlags, paths []string) error {
	if !slices.Contains(fleetFormats, f.format) {
		return exit.Wrongf("--format is %s, not %q", oneOf(fleetFormats), f.format)
	}
	if f.lines < 0 {
		return exit.Wrongf("--context is at least 0")
	}
	printer := a.printer()
	if err := (&previewFlags{hide: f.hide}).hidden(printer); err != nil {
		return err
	}
	a.maskMessages(printer)
	o, err := a.order(c, &f.order, paths)
	if err != nil {
		return err
	}
	p := o.plan
	s := a.look(c.Context(), o, func(m *fleet.Member) *wire.Request {
		return &wire.Request{Op: wire.Preview, Rules: p.Rules, Values: m.Values, Differs: p.Differs, Files: p.Files, Context: f.lines, Hide: f.hide}
	})
	if err := c.Context().Err(); err != nil {
		return err
	}
	if f.format == "json" {
		err = a.fleetEvents(s)
	} else {
		err = a.showGroups(s, printer, f)
	}
	if err != nil {
		return err
	}
	return surveyed(s, f.check)
}

// surveyed returns the exit status of a preview: of two the one that says more.
func surveyed(s *fleet.Survey, check bool) error {
	status := exit.Done
	for _, m := range s.Members {
		switch is := exit.Of(m.Fault); {
		case m.Fault != nil && (is == exit.Unreadable || status != exit.Unreadable):
			status = is
		case check && status == exit.Done && len(m.Files) > 0:
			status = exit.Would
		}
	}
	if status == exit.Done {
		return nil
	}
	return exit.Silent(status)
}

// showGroups shows each distinct change once, with its hosts.
func (a *app) showGroups(s *fleet.Survey, printer *report.Printer, f *fleetPreviewFlags) error {
	for _, g := range s.Groups() {
		if g.Reason != "" {
			continue
		}
		heading := fmt.Sprintf("# %s: %s", report.Count(len(g.Members), "host"), names(g.Members, f.order.files.verbose))
		if printer.Terminal {
			heading = printer.Style.Strong(heading)
		}
		if _, err := fmt.Fprintln(a.Out, heading); err != nil {
			return err
		}
		for _, file := range g.Files {
			err := error(nil)
			if f.format == "diff" && len(file.Diff) > 0 {
				err = printer.Unified(file.Diff)
			} else {
				_, err = fmt.Fprintf(a.Out, "%s  %s\n", report.Moved(file.Path, file.To), report.Count(file.Count, "change"))
			}
			if err != nil {
				return err
			}
		}
	}
	a.tellFaults(s, f.order.files.verbose)
	fmt.Fprintf(a.Err, "%s asked, %d would change\n", report.Count(len(s.Members), "host"), s.Changing())
	return nil
}

// tellFaults names the hosts that gave no answer, or refuse.
func (a *app) tellFaults(s *fleet.Survey, every bool) {
	for _, g := range s.Groups() {
		if g.Reason != "" {
			fmt.Fprintf(a.Err, "frizzel: %s: %s\n", names(g.Members, every), report.Path(g.Reason))
		}
	}
}

// fleetApplyFlags are the options of fleet apply.
type fleetApplyFlags struct {
	order           orderFlags
	how             writeFlags
	yes             bool
	ask             string
	format          string
	first, wave     int
	allOrNone       bool
	skipUnreachable bool
}

func (a *app) fleetApply() *cobra.Command {
	var f fleetApplyFlags
	c := &cobra.Command{
		Use: "apply --hosts FILE -r SCRIPT PATH...", Short: "Confirm changes on many hosts once, and write them in waves",
		Long: `Show what rules would change on all hosts, ask once, and write what is taken: on each host as a run of its
own history, in waves. A wave in which anything fails is the last one; what failed was put back
there already, and what was written before stays, or goes back everywhere with --all-or-none.`,
		Example: "  frizzel fleet apply --hosts hosts.csv -r move-depot.friz --first-wave 1 --wave 10 --hold 10m /etc/railway",
		RunE:    func(c *cobra.Command, paths []string) error { return a.applyFleet(c, &f, paths) },
	}
	f.order.add(c)
	f.how.addCommon(c)
	fl := c.Flags()
	fl.BoolVarP(&f.yes, "yes", "y", false, "write all changes without asking")
	fl.StringVar(&f.ask, "ask", "", "how to ask: on the whole `screen`, or about a file or a match at a time: screen, file or match")
	fl.StringVar(&f.format, "format", "text", "text or json, one object a line")
	fl.IntVar(&f.first, "first-wave", 1, "how many `hosts` are written first")
	fl.IntVar(&f.wave, "wave", 0, "how many `hosts` are written at a time after that; as many as --at-once if it is not said")
	fl.BoolVar(&f.allOrNone, "all-or-none", false, "take everything back everywhere if anything fails")
	fl.BoolVar(&f.skipUnreachable, "skip-unreachable", false, "go on without hosts that cannot be reached")
	return c
}

func (f *fleetApplyFlags) check(c *cobra.Command) error {
	switch {
	case f.first < 1 || f.wave < 0 || c.Flags().Changed("wave") && f.wave == 0:
		return exit.Wrongf("a wave has at least one host")
	case f.format == "json" && !f.yes:
		return exit.Wrongf("--format json goes with --yes")
	case f.format != "text" && f.format != "json":
		return exit.Wrongf("--format is text or json, not %q", f.format)
	}
	return f.how.check(c)
}

func (a *app) applyFleet(c *cobra.Command, f *fleetApplyFlags, paths []string) error {
	if err := f.check(c); err != nil {
		return err
	}
	o, err := a.order(c, &f.order, paths)
	if err != nil {
		return err
	}
	if err := a.canAskBy(c, f.ask, f.yes); err != nil {
		return err
	}
	p := &o.plan
	p.Key, p.User, p.First, p.Wave, p.AllOrNone = fleet.NewKey(), whoami(), f.first, f.wave, f.allOrNone
	if p.Wave == 0 {
		p.Wave = p.AtOnce
	}
	p.Write = wire.Write{
		Command: os.Args, Note: f.how.note, Beside: f.how.beside, After: f.how.after,
		Prove: f.how.prove, ProveFile: f.how.proveFile, ProofTime: f.how.proofTime, Hold: f.how.hold,
	}
	fr := &fleetReview{app: a, order: o, flags: f, answers: map[string][]wire.Answer{}}
	s, err := fr.settle(c.Context())
	if err != nil {
		fr.forget()
		return err
	}
	return a.writeFleet(c.Context(), o, s, f, fr.answers)
}

// writeFleet writes the reviews that were accepted.
func (a *app) writeFleet(ctx context.Context, o *order, s *fleet.Survey, f *fleetApplyFlags, answers map[string][]wire.Answer) error {
	for _, m := range s.Members {
		var fault *fleet.Fault
		switch {
		case m.Ready():
			o.plan.Hosts = append(o.plan.Hosts, &fleet.Planned{Host: m.Host, Digest: m.Answer.Digest, Store: m.Answer.Store, Answers: answers[m.Name]})
		case errors.As(m.Fault, &fault):
			o.plan.Hosts = append(o.plan.Hosts, &fleet.Planned{Host: m.Host, Fault: fault.Reason})
		}
	}
	for _, file := range s.Files {
		o.plan.Shown = append(o.plan.Shown, file.Sum)
	}
	st, err := usecase.OpenStore()
	if err != nil {
		return err
	}
	l, err := st.Lock(ctx) // which makes the directory, or refuses one that is not private
	if err != nil {
		return err
	}
	r, err := fleet.Begin(st, o.plan)
	l.Unlock()
	if err != nil {
		return err
	}
	defer r.Close()
	if a.kept.For > 0 {
		fleet.Tidy(st, a.kept.For)
	}
	a.patient.Store(true)
	fmt.Fprintf(a.Err, "run %s over %s\n", r.Name(), report.Count(len(r.Hosts), "host"))
	err = a.driven(&fleet.Drive{Run: r, Way: o.way}, func(d *fleet.Drive) error { return d.Write(ctx) })
	if f.format == "json" {
		if eventErr := a.fleetStates(r, s); err == nil {
			err = eventErr
		}
	}
	err = a.endedFleet(r, err, f.format == "json")
	if err == nil && f.how.tellChanged {
		return exit.Silent(exit.Changed)
	}
	return err
}
