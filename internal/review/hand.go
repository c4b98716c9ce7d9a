package review

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
)

// handStatement is the statement number in the keys of edits by hand. Nth is the edit's index.
const handStatement = -1

// A hand is a text that a person wrote for a whole file, as edits that are accepted or declined one by one.
type hand struct {
	old   []byte
	edits edit.List // each of whole lines
	rules []int     // indexed by edit: the rule that would have written the same, or -1
	left  []bool    // indexed by edit: declined
}

// newHand returns the hand with these edits. ruled are the edits of the rules, which determine the rule of each.
func newHand(old []byte, edits, ruled edit.List) *hand {
	h := &hand{old: old, edits: edits, left: make([]bool, len(edits))}
	for _, e := range h.edits { // both lists are in order
		for len(ruled) > 0 && ruled[0].End < e.Start {
			ruled = ruled[1:]
		}
		h.rules = append(h.rules, ruleOfEdit(old, e, ruled))
	}
	return h
}

// ruleOfEdit returns the rule that alone makes the same change as e, or -1.
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

// text returns the file's text with the accepted edits.
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

// byHand lists the edits of the person as changes, and applies the accepted ones.
func (f *File) byHand() error {
	old, edits, err := f.Rewrite(f.hand.text())
	if err != nil {
		return err
	}
	if !bytes.Equal(old, f.hand.old) { // the file changed on disk
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
