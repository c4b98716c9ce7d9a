package diff

import (
	"bytes"

	"github.com/aymanbagabas/go-udiff"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Compare returns edits of whole lines that turn old into fresh. Where n lines are replaced by n others, each
// edit is one line. It is for texts whose edits are unknown, such as a file before and after a person edited it.
// For very different texts the edits are correct, but may not be minimal.
func Compare(old, fresh []byte) edit.List {
	var edits edit.List
	for _, e := range udiff.Lines(string(old), string(fresh)) {
		edits = append(edits, byLine(old, edit.Edit{Start: e.Start, End: e.End, New: []byte(e.New)})...)
	}
	return edits.Changing(old)
}

// byLine cuts an edit into one for each line, if it makes as many lines of them.
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
