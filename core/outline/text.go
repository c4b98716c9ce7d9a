package outline

import (
	"bytes"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// A Text is a text, and its lines and its tree once they are needed. Lines count from 0.
type Text struct {
	Bytes    []byte
	syntax   syntax.Syntax
	starts   []int
	headings []Heading // of prose, once they are known
	fences   []fence   // of prose: lines in which nothing opens
	failed   map[string]bool
	nodes    []node
	read     bool // nodes are known
}

// New returns the text b, which must not change.
func New(b []byte, s syntax.Syntax) *Text { return &Text{Bytes: b, syntax: s} }

// NewDocument returns the text of an office document with the given headings. A heading's name is its line.
func NewDocument(b []byte, headings []Heading) *Text {
	t := &Text{Bytes: b, syntax: syntax.Markdown, headings: []Heading{}}
	for _, h := range headings {
		if h.Line < t.Count() {
			h.Name = string(bytes.TrimSpace(t.Content(h.Line)))
			t.headings = append(t.headings, h)
		}
	}
	return t
}

// index returns where each line begins.
func (t *Text) index() []int {
	if t.starts == nil {
		t.starts = make([]int, 0, bytes.Count(t.Bytes, []byte("\n"))+1)
		for at := 0; at < len(t.Bytes); {
			t.starts = append(t.starts, at)
			i := bytes.IndexByte(t.Bytes[at:], '\n')
			if i < 0 {
				break
			}
			at += i + 1
		}
	}
	return t.starts
}

// Count returns the number of lines; an empty text has no lines.
func (t *Text) Count() int { return len(t.index()) }

// Start returns the byte at which line i begins; for the line after the last, the text's length.
func (t *Text) Start(i int) int {
	starts := t.index()
	if i >= len(starts) {
		return len(t.Bytes)
	}
	return starts[i]
}

// Content returns line i without its line ending.
func (t *Text) Content(i int) []byte {
	return lines.Content(t.Bytes[t.Start(i):t.Start(i+1)])
}

// At returns the line that holds the byte at offset.
func (t *Text) At(offset int) int {
	return max(sort.SearchInts(t.index(), offset+1)-1, 0)
}

// Lines returns the span of the lines [from, to).
func (t *Text) Lines(from, to int) edit.Span {
	return edit.SpanOf(t.Start(from), t.Start(to))
}

// blank reports whether line i is blank.
func (t *Text) blank(i int) bool { return lines.Blank(t.Content(i)) }

// withoutBlankEnd returns to, moved back before the blank lines that precede it, but not before from.
func (t *Text) withoutBlankEnd(from, to int) int {
	for to > from && t.blank(to-1) {
		to--
	}
	return to
}

// Paragraph returns the lines around line i up to the blank lines; false if line i is blank.
func (t *Text) Paragraph(i int) (edit.Span, bool) {
	from, to := i, i+1
	if t.blank(i) {
		return edit.Span{}, false
	}
	for from > 0 && !t.blank(from-1) {
		from--
	}
	for to < t.Count() && !t.blank(to) {
		to++
	}
	return t.Lines(from, to), true
}

// Column returns the width of a line's indentation in columns; a tab reaches the next multiple of 8.
func Column(line []byte) int {
	n := 0
	for _, c := range lines.Indentation(line) {
		if c == '\t' {
			n += 8 - n%8
		} else {
			n++
		}
	}
	return n
}

// Like returns the text b, which must not change, in the syntax of t.
func (t *Text) Like(b []byte) *Text { return New(b, t.syntax) }
