package diff

import (
	"github.com/aymanbagabas/go-udiff"

	"frizzel/core/edit"
)

// Compare returns edits, whole lines each, that turn old into fresh: for two texts
// that no rule made of one another, such as a file and what a person made of it. Where
// the texts differ in very much the edits may be more than need be; they are never
// wrong.
func Compare(old, fresh []byte) edit.List {
	var edits edit.List
	for _, e := range udiff.Lines(string(old), string(fresh)) {
		edits = append(edits, edit.Edit{Start: e.Start, End: e.End, New: []byte(e.New)})
	}
	return edits.Changing(old)
}
