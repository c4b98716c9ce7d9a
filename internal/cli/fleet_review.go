package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/usecase"
)

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
	fr.tellFaults(s, fr.flags.order.files.verbose)
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
		p := program.Proposal{Key: program.Key(c.Key), Of: script.Subject(c.Of), Rule: c.Rule, Line: c.Line, Text: c.Text}
		for _, e := range c.Edits {
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
