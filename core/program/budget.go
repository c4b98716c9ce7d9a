package program

import (
	"fmt"

	"github.com/dustin/go-humanize"

	"frizzel/core/edit"
)

// A script or a file of a stranger must not exhaust the machine: what a run keeps for one text, its edits and the texts
// they write, or its matches, is limited to minBudget bytes, or perTextByte times the text's size if that is more. Beyond
// it the text is refused, with the rule that exceeded it.
const (
	minBudget   = 256 << 20
	perTextByte = 8
)

// The sizes of an edit and of a match, without their texts and groups, in bytes.
const (
	editSize  = 80
	matchSize = 136
)

// budget returns the limit in bytes for the run.
func (r *run) budget() int { return budgetOf(r.in.Text) }

func budgetOf(text []byte) int { return max(minBudget, perTextByte*len(text)) }

// spend adds the memory of edits of the current statement. It reports false, and notes why the text must not be written,
// if that exceeds the budget; the run then makes no more changes.
func (r *run) spend(edits edit.List) bool {
	if r.over {
		return false
	}
	for i := range edits {
		r.spent += editSize + len(edits[i].New)
	}
	if r.spent > r.budget() {
		r.exceed("the changes of " + r.rule.Label)
	}
	return !r.over
}

// release takes back what was spent for edits that are not made.
func (r *run) release(edits edit.List) { r.spent -= sizeOf(edits) }

// counts counts a match, and reports whether it is to be kept. A run that exceeds the budget keeps none.
func (r *run) counts(groups int) bool {
	r.result.Matched++
	if r.in.Counting || r.over {
		return false
	}
	if r.spent += matchSize + 8*groups; r.spent > r.budget() {
		r.exceed("the matches of " + r.rule.Label)
	}
	return !r.over
}

// exceed notes that something exceeds the budget.
func (r *run) exceed(what string) {
	r.over = true
	r.result.exceed(what, r.budget())
}

func (r *Result) exceed(what string, budget int) {
	r.Exceeded = true
	r.Failures = append(r.Failures, Note{Rule: -1, Text: fmt.Sprintf("%s need more than the %s of memory that one file may take", what, humanize.IBytes(uint64(budget)))})
}

// settled sets what the run keeps after a statement.
func (r *run) settled() {
	if r.spent > r.budget()/2 {
		r.spent = sizeOf(r.edits) + len(r.text.Bytes)
	}
}

// sizeOf returns the memory of edits in bytes.
func sizeOf(edits edit.List) (n int) {
	for i := range edits {
		n += editSize + len(edits[i].New)
	}
	return n
}
