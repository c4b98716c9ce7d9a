package names

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// A Text is a name, or a link's target, and what the rules make of it.
type Text struct {
	Of  script.Subject
	Old string
	New string // equal to Old if the rules leave it
	// Rules are the rules that change it, by index.
	Rules []int
	// Left means that a person leaves it as it is.
	Left bool
	// Written is what a person writes instead of New, or nil.
	Written *string

	looked bool              // some rule is about it
	any    bool              // something matches in it
	hand   bool              // a person wrote New
	failed string            // why a rule cannot make its text, or ""
	before *program.Counters // nil unless the program counts names
}

// Now returns the text after the run, as far as a person accepts it.
func (t *Text) Now() string {
	switch {
	case t.Left:
		return t.Old
	case t.Written != nil:
		return *t.Written
	}
	return t.New
}

// Proposed reports whether the rules, or a person, change the text.
func (t *Text) Proposed() bool { return t.New != t.Old || t.Written != nil }

// Changes reports whether the text changes, as far as a person accepts it.
func (t *Text) Changes() bool { return t.Now() != t.Old }

// Rule returns the first rule that changes the text, or 0; -1 if a person does.
func (t *Text) Rule() int {
	switch {
	case t.hand:
		return -1
	case len(t.Rules) == 0:
		return 0
	}
	return t.Rules[0]
}

// An Item is a file, a directory or a link whose path or target the rules look at, or that moves with a directory.
type Item struct {
	At     selection.File
	Kind   disk.Kind
	Name   Text
	Target Text // of a link
	// Moves means that rules do not look at it: it is there for the directory that takes it along.
	Moves bool

	held []bool
}

// Changes returns the number of accepted changes of the item itself.
func (i *Item) Changes() (n int) {
	for _, t := range i.Texts() {
		if t.Changes() {
			n++
		}
	}
	return n
}

// Texts returns the name, and of a link the target.
func (i *Item) Texts() []*Text {
	if i.Kind == disk.Link {
		return []*Text{&i.Name, &i.Target}
	}
	return []*Text{&i.Name}
}

// Refuse returns why the item cannot be called what it would be, nil if it can.
func (i *Item) Refuse() error {
	for _, t := range i.Texts() {
		if t.failed != "" && !t.Left {
			return errors.New(t.failed)
		}
		if !t.Changes() {
			continue
		}
		if err := valid(t); err != nil {
			return err
		}
	}
	return nil
}

// valid returns why a name or a target cannot be written.
func valid(t *Text) error {
	now := t.Now()
	fresh := func(bad func(rune) bool) bool {
		return strings.ContainsFunc(now, bad) && !strings.ContainsFunc(t.Old, bad)
	}
	switch {
	case now == "":
		return fmt.Errorf("nothing would be left of the %s %q", t.Of, t.Old)
	case t.Of == script.LinkTarget && fresh(unicode.IsControl):
		return fmt.Errorf("the link's target would have a control character in it: %q", now)
	case t.Of == script.LinkTarget:
		return nil
	case now == "." || now == "..":
		return fmt.Errorf("it would be called %q, which is no name", now)
	case strings.Contains(now, "/"):
		return fmt.Errorf("it would be called %q, and a name has no /", now)
	case strings.ContainsRune(now, 0) || fresh(unicode.IsControl):
		return fmt.Errorf("it would be called %q, with a control character in it", now)
	}
	return nil
}

// input returns what the program is run on.
func (i *Item) input(t *Text) program.Input {
	in := program.Input{Of: t.Of, Text: []byte(t.Old), File: program.File{Path: i.At.Path, Rel: i.At.Rel}, Held: i.held}
	if t.before != nil {
		in.Before = *t.before
	}
	return in
}

// nameStatement is the number behind those of statements in the keys of names, of which names sort before targets.
const nameStatement = -1

// Proposals returns the changes of the name and the target, whatever was answered.
func (i *Item) Proposals() (all []program.Proposal) {
	for _, t := range i.Texts() {
		plain := Text{Old: t.Old, New: t.New, Rules: t.Rules, hand: t.hand}
		if plain.Proposed() {
			all = append(all, program.Proposal{
				Key: program.Key{Statement: nameStatement - (script.Subjects - int(t.Of))}, Of: t.Of, Rule: t.Rule(), Edits: plain.Edits(), Text: []byte(t.Old),
			})
		}
	}
	return all
}

// Decide asks about each name and target that changes, and takes the answers over. What a person writes instead is the whole
// name. A nil decide accepts all.
func (i *Item) Decide(decide func(program.Proposal) program.Answer) {
	proposals := i.Proposals()
	for _, t := range i.Texts() {
		t.Left, t.Written = false, nil
		for _, p := range proposals {
			if p.Of != t.Of || decide == nil {
				continue
			}
			answer := decide(p)
			if t.Left = answer.Leave; answer.New != nil {
				written := string(answer.New)
				t.Written = &written
			}
		}
	}
}

// ByHand sets what a person writes for a name or a target.
func (t *Text) ByHand(text string) { t.New, t.Rules, t.hand = text, nil, true }

// Change returns the change to an item that leaves the content alone.
func (i *Item) Change() change.Change {
	c := change.Change{
		Path: i.At.Path, Dir: i.At.Dir, Name: i.At.Name, In: i.At.In, Op: change.Rename, Kind: i.Kind,
		Target: i.Target.Old, NewTarget: i.Target.Old, Rules: i.rules(),
	}
	if i.Name.Changes() {
		c.NewName = i.Name.Now()
	}
	if i.Kind == disk.Link && i.Target.Changes() {
		c.Op, c.NewTarget = change.Retarget, i.Target.Now()
	}
	return c
}

// rules returns the rules that change the item.
func (i *Item) rules() (all []int) {
	for _, t := range i.Texts() {
		if !t.Changes() {
			continue
		}
		for _, rule := range t.Rules {
			if !slices.Contains(all, rule) {
				all = append(all, rule)
			}
		}
	}
	return all
}

// Edits returns the edits from a text to what it will be: one, from the first byte that differs to the last.
func (t *Text) Edits() edit.List { return edit.One([]byte(t.Old), []byte(t.Now()), t.Rule()) }
