// Package structure finds the parts of a text by the way it is written: lines,
// sections, blocks and paragraphs, of configuration and document files of many
// kinds. It knows no file format whole; it reads what a person would see.
//
// The central type is [Text], a text cut into lines. Parts are [edit.Span]s, whole
// lines.
package structure

import (
	"bytes"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Text is a text and, once asked for, where its lines begin and what they open.
type Text struct {
	Bytes  []byte
	syntax Syntax
	starts []int
	piece  *Piece // nil for a whole text
	*layout
}

// layout is what is known of a text's blocks, once asked for.
type layout struct {
	open Open // what the text leaves open

	ends     []int       // where brackets end, by the line that opens them
	outer    []int       // the same where a line that closes and opens does not go on
	leaves   []bool      // by line: whether it leaves a bracket open that it opens
	pairs    []pair      // in the order of their first lines
	given    map[int]int // by line: the byte that says that what it opens is never closed
	elements []tag
	// Of each line: its depth; the first line below it that it does not hold; the first
	// line from it on that is not blank; the last line up to it that is neither blank nor
	// a comment; and the least depth of the comments since that.
	depths, belows, texts, lastText, shallowest []int
}

// known makes room for what is to be known of a text's blocks.
func (t *Text) known() {
	if t.layout == nil {
		t.layout = &layout{}
	}
}

// Syntax is what a file's name says of the text in it.
type Syntax int

const (
	Plain Syntax = iota
	StyleSheet
	XML
	TOML
)

// New returns the text b, which must not change.
func New(b []byte, syntax Syntax) *Text { return &Text{Bytes: b, syntax: syntax} }

// Like returns the text b, which must not change, in the syntax of t.
func (t *Text) Like(b []byte) *Text { return New(b, t.syntax) }

// index finds all lines.
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

// Count returns the number of lines; an empty text has none.
func (t *Text) Count() int { return len(t.index()) }

// Start returns where line i, from 0, begins; the text's length for the line after
// the last.
func (t *Text) Start(i int) int {
	starts := t.index()
	if i >= len(starts) {
		return len(t.Bytes)
	}
	return starts[i]
}

// Content returns line i, from 0, without its line ending.
func (t *Text) Content(i int) []byte {
	return lines.Content(t.Bytes[t.Start(i):t.Start(i+1)])
}

// At returns the line, from 0, that holds the byte at offset.
func (t *Text) At(offset int) int {
	return max(sort.SearchInts(t.index(), offset+1)-1, 0)
}

// Lines returns the span of the lines from to to, from 0, to being left out.
func (t *Text) Lines(from, to int) edit.Span {
	return edit.SpanOf(t.Start(from), t.Start(to))
}

// Depth measures an indentation in columns, a tab reaching the next multiple of 8.
func Depth(line []byte) int {
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

// withoutBlankEnd returns to moved back before the blank lines that precede it,
// not past from.
func (t *Text) withoutBlankEnd(from, to int) int {
	for to > from && lines.Blank(t.Content(to-1)) {
		to--
	}
	return to
}

// Paragraph returns the lines around line i, from 0, up to the blank lines; false for a
// blank line, which is in none.
func (t *Text) Paragraph(i int) (edit.Span, bool) {
	from, to := i, i+1
	if lines.Blank(t.Content(i)) {
		return edit.Span{}, false
	}
	for from > 0 && !lines.Blank(t.Content(from-1)) {
		from--
	}
	for to < t.Count() && !lines.Blank(t.Content(to)) {
		to++
	}
	return t.Lines(from, to), true
}
