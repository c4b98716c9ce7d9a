package review

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
)

// handStatement is the statement in the keys of what a person wrote, where Nth is the edit.
const handStatement = -1

// hand is what a person wrote for a whole file, as edits of the file's text that are taken
// or left one by one.
type hand struct {
	old   []byte
	edits edit.List // whole lines each
	rules []int     // by edit: the rule that would have written the same, -1 for none
	left  []bool    // by edit
}

// newHand holds what was written against what the rules made of the same text, ruled.
func newHand(old []byte, edits, ruled edit.List) *hand {
	h := &hand{old: old, edits: edits, left: make([]bool, len(edits))}
	for _, e := range h.edits { // both are in the order of their places
		for len(ruled) > 0 && ruled[0].End < e.Start {
			ruled = ruled[1:]
		}
		h.rules = append(h.rules, ruleOfEdit(old, e, ruled))
	}
	return h
}

// ruleOfEdit returns a rule that alone makes the same of an edit's lines, or -1.
func ruleOfEdit(old []byte, e edit.Edit, ruled edit.List) int {
	rule := -1
	var within edit.List
	for _, r := range ruled {
		if r.Start > e.End {
			break
		}
		if r.Start < e.Start || r.End > e.End || r.Start == e.End && e.Start < e.End {
			continue
		}
		if len(r.Rules) != 1 || rule >= 0 && r.Rules[0] != rule {
			return -1
		}
		rule = r.Rules[0]
		within = append(within, r)
	}
	if rule >= 0 && bytes.Equal(within.Within(old, e.Start, e.End), e.New) {
		return rule
	}
	return -1
}

// text is the file's text with the accepted changes.
func (h *hand) text() []byte {
	var taken edit.List
	for i, e := range h.edits {
		if !h.left[i] {
			taken = append(taken, e)
		}
	}
	return slices.Clone(taken.Apply(h.old))
}

// Write replaces all changes of the file by a text that a person wrote for it.
func (f *File) Write(text []byte) error {
	ruled := f.Edits()
	old, edits, err := f.Rewrite(text)
	if err != nil {
		return err
	}
	f.hand, f.left = newHand(old, edits, ruled), false
	return f.run()
}

// byHand takes what a person wrote, but for what is left of it.
func (f *File) byHand() error {
	old, edits, err := f.Rewrite(f.hand.text())
	if err != nil {
		return err
	}
	if !bytes.Equal(old, f.hand.old) { // the file has changed on disk
		f.hand = newHand(old, edits, nil)
	}
	for i, e := range f.hand.edits {
		f.Changes = append(f.Changes, Change{ByHand: true, Left: f.hand.left[i], Proposal: program.Proposal{
			Key: program.Key{Statement: handStatement, Origin: e.Start, Nth: i}, Line: lines.Number(old, e.Start),
			Rule: f.hand.rules[i], Edits: edit.List{e}, Text: old,
		}})
	}
	f.all = len(f.Changes)
	return nil
}
