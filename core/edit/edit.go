// Package edit is the idea that the program is built on: a rule turns a text into a list of edits, and
// two consecutive lists compose into one.
//
// An [Edit] replaces the bytes [Start, End) of a text. The edits of a [List] are ordered and do not
// overlap. After all rules have run there is one list against the original text; the diff, the new
// file, the review and every count are made from it, and bytes outside of all edits are copied.
package edit

import (
	"bytes"
	"slices"
)

// Edit replaces text[Start:End], byte offsets, by New.
type Edit struct {
	Start, End int
	New        []byte
	// Rules are the indices of the rules that made it, ascending. The slice is
	// shared and never changed.
	Rules []int
	// Side says which spans whole lines inserted at an edge belong to.
	Side Side
}

// Side says which spans an edit between two lines belongs to.
type Side byte

const (
	Within  Side = iota // the span of the line that it is written on
	Outside             // no span that begins or ends there
	Under               // no span; later insertions below the span that ends there go after it
	Behind              // the span that ends there
)

// List is edits in the order of their places: each ends before or where the next
// begins.
type List []Edit

// One returns the edit that makes a text another one, from the first byte that differs to the last; no edit of equal texts.
func One(old, now []byte, rules ...int) List {
	if bytes.Equal(old, now) {
		return nil
	}
	from, most := 0, min(len(old), len(now))
	for from < most && old[from] == now[from] {
		from++
	}
	to := 0
	for to < most-from && old[len(old)-1-to] == now[len(now)-1-to] {
		to++
	}
	return List{{Start: from, End: len(old) - to, New: now[from : len(now)-to], Rules: rules}}
}

// Apply returns text with the edits made. The result shares nothing with text,
// unless there are no edits.
func (l List) Apply(text []byte) []byte {
	if len(l) == 0 {
		return text
	}
	return l.Within(text, 0, len(text))
}

// Within returns text[start:end] with the edits applied, all of which are within it.
func (l List) Within(text []byte, start, end int) []byte {
	return l.appendTo(make([]byte, 0, end-start+l.Growth()), text, start, end)
}

// AppendTo appends text with the edits applied.
func (l List) AppendTo(out, text []byte) []byte { return l.appendTo(out, text, 0, len(text)) }

func (l List) appendTo(out, text []byte, start, end int) []byte {
	for _, e := range l {
		out = append(out, text[start:e.Start]...)
		out = append(out, e.New...)
		start = e.End
	}
	return append(out, text[start:end]...)
}

// Growth returns the number of bytes that the edits add to a text's length; it may be negative.
func (l List) Growth() int {
	n := 0
	for _, e := range l {
		n += len(e.New) - (e.End - e.Start)
	}
	return n
}

// Changing returns the list without edits that do not alter the text.
func (l List) Changing(text []byte) List {
	same := func(e Edit) bool { return bytes.Equal(text[e.Start:e.End], e.New) }
	if !slices.ContainsFunc(l, same) {
		return l
	}
	return slices.DeleteFunc(slices.Clone(l), same)
}

// Invert returns the list that turns the edited text back into text.
func (l List) Invert(text []byte) List {
	inverse := make(List, len(l))
	shift := 0
	for i, e := range l {
		start := e.Start + shift
		inverse[i] = Edit{
			Start: start, End: start + len(e.New),
			New:   text[e.Start:e.End],
			Rules: e.Rules,
		}
		shift += len(e.New) - (e.End - e.Start)
	}
	return inverse
}

// Fits reports whether the edits are in order and within a text of size bytes, as a list
// that comes from outside may not be.
func (l List) Fits(size int) bool {
	at := 0
	for _, e := range l {
		if e.Start < at || e.End < e.Start || e.End > size {
			return false
		}
		at = e.End
	}
	return true
}

// Clone returns the list with new texts of its own, that keep no larger text in memory.
func (l List) Clone() List {
	size := 0
	for i := range l {
		size += len(l[i].New)
	}
	out, texts := slices.Clone(l), make([]byte, 0, size)
	for i := range out {
		from := len(texts)
		texts = append(texts, out[i].New...)
		out[i].New = texts[from:len(texts):len(texts)]
	}
	return out
}
