package program

import (
	"fmt"

	"github.com/dustin/go-humanize"

	"frizzel/core/edit"
)

// A script or a file of a stranger must not exhaust the machine: what a run keeps for one text, its edits and the texts
// they write, is limited to minBudget bytes, or perTextByte times the text's size if that is more. Beyond it the text is
// refused, with the rule that exceeded it.
const (
	minBudget   = 256 << 20
	perTextByte = 8
)

// editSize is the size of an edit without its text in bytes.
const editSize = 80

// budget returns the limit in bytes for the run.
func (r *run) budget() int {
	return max(minBudget, perTextByte*len(r.in.Text))
}

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
		r.exceed()
	}
	return !r.over
}

// exceed notes that the current rule exceeds the budget.
func (r *run) exceed() {
	r.over = true
	r.fail(0, fmt.Sprintf("the changes of %s need more than the %s of memory that one file may take", r.rule.Label, humanize.IBytes(uint64(r.budget()))))
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
