package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/report"
	"frizzel/internal/review"
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
		err = a.showGroups(s, printer, f.format == "diff")
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
func (a *app) showGroups(s *fleet.Survey, printer *report.Printer, diffs bool) error {
	for _, g := range s.Groups() {
		if g.Reason != "" {
			continue
		}
		heading := fmt.Sprintf("# %s: %s", report.Count(len(g.Members), "host"), names(g.Members))
		if printer.Terminal {
			heading = printer.Style.Strong(heading)
		}
		if _, err := fmt.Fprintln(a.Out, heading); err != nil {
			return err
		}
		for _, file := range g.Files {
			err := error(nil)
			if diffs && len(file.Diff) > 0 {
				err = printer.Unified(file.Diff)
			} else {
				_, err = fmt.Fprintf(a.Out, "%s  %s\n", report.Moved(file.Path, file.To), report.Count(file.Count, "change"))
			}
			if err != nil {
				return err
			}
		}
	}
	a.tellFaults(s)
	fmt.Fprintf(a.Err, "%s asked, %d would change\n", report.Count(len(s.Members), "host"), s.Changing())
	return nil
}

// tellFaults names the hosts that gave no answer, or refuse.
func (a *app) tellFaults(s *fleet.Survey) {
	for _, g := range s.Groups() {
		if g.Reason != "" {
			fmt.Fprintf(a.Err, "frizzel: %s: %s\n", names(g.Members), report.Path(g.Reason))
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
	a.patient.Store(true)
	fmt.Fprintf(a.Err, "run %s over %s\n", r.Name(), report.Count(len(r.Hosts), "host"))
	d := &fleet.Drive{Run: r, Way: o.way}
	err = d.Write(ctx)
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

// A fleetReview asks a person about the changes on all hosts.
type fleetReview struct {
	*app
	order   *order
	flags   *fleetApplyFlags
	answers map[string][]wire.Answer // by host
	survey  *fleet.Survey
}

// settle looks at all hosts and asks, until what the hosts keep is what was accepted.
func (fr *fleetReview) settle(ctx context.Context) (*fleet.Survey, error) {
	o := fr.order
	shown := map[string]bool{} // marks of the changes that were accepted
	for {
		s := fr.look(ctx, o, func(m *fleet.Member) *wire.Request {
			return o.plan.Review(&fleet.Planned{Host: m.Host, Answers: fr.answers[m.Name]})
		})
		fr.survey = s
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := fr.refused(s); err != nil {
			return nil, err
		}
		if len(s.Files) == 0 {
			fmt.Fprintln(fr.Err, "nothing to write")
			return nil, exit.Silent(exit.Done)
		}
		if fr.flags.yes || !slices.ContainsFunc(s.Files, func(f *fleet.File) bool { return !shown[f.Sum] && !shown[markOf(f.Path, f.Changes)] }) {
			return s, nil
		}
		again, err := fr.ask(ctx, s, shown)
		if err != nil || !again {
			return s, err
		}
	}
}

// refused returns an error if the hosts' answers speak against writing anywhere.
func (fr *fleetReview) refused(s *fleet.Survey) error {
	fr.tellFaults(s)
	unreachable := 0
	for _, m := range s.Members {
		var fault *fleet.Fault
		switch {
		case m.Fault == nil:
		case errors.As(m.Fault, &fault):
			unreachable++
		default:
			return exit.With(exit.Refused, errors.New("nothing was written on any host"))
		}
	}
	switch {
	case unreachable > 0 && !fr.flags.skipUnreachable:
		return exit.With(exit.Unreadable, fmt.Errorf("nothing was written, since %s gave no answer; --skip-unreachable goes on without them", report.Count(unreachable, "host")))
	case unreachable == len(s.Members):
		return exit.With(exit.Unreadable, errors.New("nothing was written, since no host gave an answer"))
	}
	return nil
}

// ask reviews the changes. It reports whether the hosts are to be asked again, since changes were left out.
func (fr *fleetReview) ask(ctx context.Context, s *fleet.Survey, shown map[string]bool) (again bool, err error) {
	var items []review.Item
	var all []*fleetItem
	for _, f := range s.Files {
		item := &fleetItem{file: f, answers: map[program.Key]program.Answer{}}
		all, items = append(all, item), append(items, item)
	}
	session := review.NewSession(items, fr.order.labels)
	session.Max = maxListed
	printer := fr.printer()
	write, err := fr.reviewed(ctx, session, printer.Style, fr.wayToAsk(fr.flags.ask), func(i int) error {
		return printer.Unified(all[i].file.Diff)
	})
	if err == nil && !write {
		err = usecase.ErrNothingTaken
	}
	if err != nil {
		return false, err
	}
	for _, item := range all {
		if item.answered() {
			shown[markOf(item.file.Path, item.accepted())] = true
		} else {
			shown[item.file.Sum] = true
		}
		again = again || item.answered()
		for _, m := range item.file.Members {
			fr.answers[m.Name] = append(fr.answers[m.Name], item.said()...)
		}
	}
	return again, nil
}

// forget has the hosts forget their reviews, which nobody will write.
func (fr *fleetReview) forget() {
	if fr.survey != nil {
		fleet.Forget(context.Background(), fr.order.way, fr.order.plan.AtOnce, fr.survey.Members, fr.order.plan.Key)
	}
}

// maxListed is the maximum number of changes of a file that a review lists.
const maxListed = 2000

// A fleetItem is a change of a file on several hosts, as a review wants it.
type fleetItem struct {
	file    *fleet.File
	answers map[program.Key]program.Answer
}

func (i *fleetItem) named(path string) string {
	if n := len(i.file.Members); n > 1 {
		return fmt.Sprintf("%s ×%d", path, n)
	}
	return path + " @" + i.file.Members[0].Name
}

func (i *fleetItem) Path() string     { return i.named(i.file.Path) }
func (i *fleetItem) NewPath() string  { return i.named(i.file.To) }
func (i *fleetItem) Count() int       { return i.file.Count }
func (i *fleetItem) Rules() []int     { return i.file.Rules }
func (i *fleetItem) Moved() bool      { return false }
func (i *fleetItem) Broken() bool     { return false }
func (i *fleetItem) IsDocument() bool { return false }
func (i *fleetItem) Edits() edit.List { return nil }

// Decide asks about the changes that the hosts sent. What the rules make of the answers is seen when the hosts run them
// again.
func (i *fleetItem) Decide(decide func(program.Proposal) program.Answer) error {
	for _, c := range i.file.Changes {
		p := program.Proposal{Key: program.Key(c.Key), Of: report.SubjectOf(c.Of), Rule: c.Rule, Line: c.Line, Text: c.Text}
		for _, e := range c.Edits {
			if e.Start < 0 || e.End < e.Start || e.End > len(c.Text) {
				return fmt.Errorf("%s: a change of %s is none of its text", i.file.Members[0].Name, i.file.Path)
			}
			p.Edits = append(p.Edits, edit.Edit{Start: e.Start, End: e.End, New: e.New, Rules: []int{c.Rule}})
		}
		if len(p.Edits) == 0 {
			p.Text, p.Edits = []byte{}, edit.List{{New: []byte{}}}
		}
		i.answers[p.Key] = decide(p)
	}
	return nil
}

// errAcross is the error of a text that is not on this host.
var errAcross = errors.New("the file is on other hosts, so it is not edited here; change a rule, or leave changes out")

func (i *fleetItem) Proposed() ([]byte, error) { return nil, errAcross }

func (i *fleetItem) Rewrite([]byte) ([]byte, edit.List, error) { return nil, nil, errAcross }

// ValueAt returns the path of the value of the change with a text.
func (i *fleetItem) ValueAt(text []byte, at int) string {
	for _, c := range i.file.Changes {
		if c.Value != "" && len(c.Edits) > 0 && c.Edits[0].Start == at && bytes.Equal(c.Text, text) {
			return c.Value
		}
	}
	return ""
}

// said returns the answers that are not plain agreement.
func (i *fleetItem) said() (all []wire.Answer) {
	for key, a := range i.answers {
		if a.Leave || a.New != nil {
			all = append(all, wire.Answer{Path: i.file.Path, Key: wire.Key(key), Leave: a.Leave, New: a.New})
		}
	}
	return all
}

// accepted returns the changes as they are after the answers.
func (i *fleetItem) accepted() (all []wire.Change) {
	for _, c := range i.file.Changes {
		a := i.answers[program.Key(c.Key)]
		if a.Leave {
			continue
		}
		if a.New != nil && len(c.Edits) == 1 {
			c.Edits = []wire.Edit{{Start: c.Edits[0].Start, End: c.Edits[0].End, New: a.New}}
		}
		all = append(all, c)
	}
	return all
}

// markOf identifies changes by what they replace with what, whatever the lines around them are. Those that were sent
// without their text have a mark that no others have.
func markOf(path string, changes []wire.Change) string {
	var b strings.Builder
	b.WriteString(path)
	for _, c := range changes {
		if c.Text == nil {
			fmt.Fprintf(&b, " %p", &b)
		}
		fmt.Fprintf(&b, "\n%d %d %d %d", c.Key.Statement, c.Key.Origin, c.Key.Nth, c.Of)
		for _, e := range c.Edits {
			if 0 <= e.Start && e.Start <= e.End && e.End <= len(c.Text) {
				fmt.Fprintf(&b, " %q %q", c.Text[e.Start:e.End], e.New)
			}
		}
	}
	return b.String()
}

func (i *fleetItem) answered() bool { return len(i.said()) > 0 }
