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

// newHand makes the edits of as few lines as tell what was written. ruled are those that
// the rules made of the same text.
func newHand(old []byte, edits, ruled edit.List) *hand {
	h := &hand{old: old}
	for _, e := range edits {
		h.edits = append(h.edits, byLine(old, e)...)
	}
	h.left = make([]bool, len(h.edits))
	for _, e := range h.edits {
		h.rules = append(h.rules, ruleOfEdit(old, e, ruled))
	}
	return h
}

// byLine cuts an edit into one for each line, where it makes as many lines of them.
func byLine(old []byte, e edit.Edit) edit.List {
	if e.End == e.Start || lines.Count(old[e.Start:e.End]) != lines.Count(e.New) {
		return edit.List{e}
	}
	var out edit.List
	for at, from := e.Start, 0; at < e.End; {
		next, to := lines.Next(old, at, e.End), lines.Next(e.New, from, len(e.New))
		if fresh := e.New[from:to]; !bytes.Equal(old[at:next], fresh) {
			out = append(out, edit.Edit{Start: at, End: next, New: fresh})
		}
		at, from = next, to
	}
	return out
}

// ruleOfEdit returns a rule that alone makes the same of an edit's lines, or -1.
func ruleOfEdit(old []byte, e edit.Edit, ruled edit.List) int {
	rule := -1
	var within edit.List
	for _, r := range ruled {
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

// text is the file's text with what is taken.
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
