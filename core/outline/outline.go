// Package outline reads the structure of a text as a person sees it: sections, blocks, their levels,
// comments.
//
// A [Text] is read once, top to bottom, into a tree of items, and every question about its structure
// is answered from that tree. An item is one or more whole lines: a blank line, a comment, an entry,
// a block (an opening line and all that it opens) or a section (a header and all below it).
//
// Reading has two passes, both linear in the text. The first, the scanner (scan.go), cuts each line
// into tokens as the text's dialect has them (dialect.go), matches what opens against what closes
// with one stack, and notes of each line the last line of what it opens. What is never closed is
// known by then, so that the second pass (build.go) can read the lines below it as if it had not
// opened. The second pass keeps the stack of open items, and gives each line its parent; indentation
// and headers are found here, since they depend on what is open.
//
// The tree is stored as one node a line: an item is named by its first line. That takes 16 bytes a
// line, and 8 for where the line begins.
package outline

import (
	"iter"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// A Kind is the kind of an item.
type Kind uint8

const (
	Blank   Kind = iota
	Comment      // a line whose first thing is a comment, or that lies within one
	Entry        // any other line that opens nothing
	Block
	Section
)

// By says what makes lines a block.
type By uint8

const (
	Indentation By = iota
	Brackets       // or quotes of several lines
	Element
)

// A node describes a line, and the item that begins on it.
type node struct {
	end    int32 // the line after the item
	parent int32 // the first line of the item around it; -1 for none
	column int32 // of its indentation
	kind   Kind
	by     By // of a Block
	flags  flags
}

// flags are properties of a line.
type flags uint16

const (
	unclosed  flags = 1 << iota // what it opens is never closed
	closes                      // it closes what an earlier line opened
	inner                       // a line of its block that is neither an entry of a person's nor moved alone: a lone {, } else {
	raw                         // within a string or a fence: nothing opens here
	endsItem                    // its code ends in , ; } or ], so that a bracket on the next line is not its own
	endsKey                     // its code ends in a colon
	byNext                      // its bracket stands on the next line that is not blank
	lastLine                    // the closing line of a block
	fenceEdge                   // the first line of a fence
	leads                       // it leaves the bracket open that it begins with
	commented                   // it begins within a comment
	events                      // something opens or closes on it
)

// An Item is part of a text's tree: the lines [From, To).
type Item struct {
	Kind     Kind
	By       By   // of a Block
	Unclosed bool // a Block whose bracket or tag is never closed; it is only its opening line
	From, To int
	Parent   int // the first line of the item around it; -1 for none
}

// Item returns the item that begins on line i.
func (t *Text) Item(i int) Item {
	n := &t.tree()[i]
	return Item{n.kind, n.by, n.flags&unclosed != 0 && n.kind == Block, i, int(n.end), int(n.parent)}
}

// Block returns the block that line i opens, or only the line if it is an entry. It reports false if line i opens
// a bracket or tag that is never closed. The span is empty if the line is blank, a comment or a header.
func (t *Text) Block(i int) (edit.Span, bool) {
	item := t.Item(i)
	switch {
	case item.Unclosed:
		return edit.Span{}, false
	case item.Kind != Block && item.Kind != Entry:
		return edit.Span{}, true
	}
	return t.span(i), true
}

// span returns the span of the item that begins on line i; the closing line of a block is its Last.
func (t *Text) span(i int) edit.Span {
	item := t.Item(i)
	s := t.Lines(i, item.To)
	if item.Kind == Block && item.By != Indentation && item.To > i+1 {
		s.Last = t.Start(item.To - 1)
	}
	return s
}

// Opens reports whether line i opens a block, closed or not, or a section, or belongs to the
// opening and closing of one: a closing line, a lone bracket, } else {.
func (t *Text) Opens(i int) bool {
	n := &t.tree()[i]
	return n.kind == Block || n.kind == Section || n.flags&(inner|lastLine) != 0
}

// GoesOn reports whether line i closes brackets of the block around it, which goes on: } else {.
func (t *Text) GoesOn(i int) bool {
	const both = inner | closes
	return t.tree()[i].flags&both == both
}

// Own yields the lines [from, to) as runs, without the blocks that open below the first line.
func (t *Text) Own(from, to int) iter.Seq2[int, int] {
	return func(yield func(int, int) bool) {
		nodes := t.tree()
		run := from
		for i := from + 1; i < to; {
			n := &nodes[i]
			if n.kind != Block && n.kind != Section {
				i++
				continue
			}
			if run < i && !yield(run, i) {
				return
			}
			i = min(int(n.end), to)
			run = i
		}
		if run < to {
			yield(run, to)
		}
	}
}

// Children yields the items [from, to), from being the first line of one of them, and not the items
// within these.
func (t *Text) Children(from, to int) iter.Seq[Item] {
	return func(yield func(Item) bool) {
		for i := from; i < to; {
			item := t.Item(i)
			if item.Kind != Block && item.Kind != Section {
				item.To = i + 1
			}
			if !yield(item) {
				return
			}
			i = item.To
		}
	}
}

// IsChild reports whether line i is a child of the block that opens on line of, and no part of what
// opens and closes that.
func (t *Text) IsChild(i, of int) bool {
	n := &t.tree()[i]
	return int(n.parent) == of && n.flags&(inner|lastLine) == 0
}

// IsComment reports whether line i is a comment.
func (t *Text) IsComment(i int) bool { return t.tree()[i].kind == Comment }

// Within reports whether line i begins within a comment or a string of several lines.
func (t *Text) Within(i int) bool { return t.tree()[i].flags&(raw|commented) != 0 }

// KindOf returns the kind of a line without its context.
func (t *Text) KindOf(line []byte) Kind {
	one := New(line, t.syntax)
	if one.Count() == 0 {
		return Blank
	}
	return one.Item(0).Kind
}

// Takes reports whether a line right below the item that begins on line i would be part of it by its
// indentation.
func (t *Text) Takes(i int, line []byte) bool {
	return dialectOf(t.syntax).indented && t.tree()[i].flags&raw == 0 && Holds(t.Content(i), line)
}

// HasHeaders reports whether sections of the text begin with headers in brackets.
func (t *Text) HasHeaders() bool { return dialectOf(t.syntax).headers }

// Continued returns the line after line i and the deeper-indented lines below it.
func (t *Text) Continued(i int) int {
	if item := t.Item(i); item.Kind == Block && item.By == Indentation {
		return item.To
	}
	return i + 1
}

// Sections returns the sections whose names match. A section within one that matches is part of it;
// with direct each ends before its first subsection.
func (t *Text) Sections(direct bool, match func(name []byte) bool) (found []edit.Span) {
	nodes := t.tree()
	names := t.names()
	for i := 0; i < len(nodes); {
		if nodes[i].kind != Section || !match(names(i)) {
			i++
			continue
		}
		end := int(nodes[i].end)
		if direct {
			end = t.untilSubsection(i, end)
		}
		found = append(found, t.Lines(i, end))
		i = end
	}
	return found
}

// untilSubsection returns the line before which the first subsection begins of the section [from,
// to), comments and blank lines that belong to it left out.
func (t *Text) untilSubsection(from, to int) int {
	for i := from + 1; i < to; i++ {
		if t.nodes[i].kind == Section {
			for i > from+1 && t.nodes[i-1].kind == Comment {
				i--
			}
			return t.withoutBlankEnd(from, i)
		}
	}
	return to
}

// names returns what gives the name of the section that begins on a line.
func (t *Text) names() func(i int) []byte {
	if t.syntax.IsProse() {
		of := map[int][]byte{}
		for _, h := range t.allHeadings() {
			of[h.Line] = []byte(h.Name)
		}
		return func(i int) []byte { return of[i] }
	}
	return func(i int) []byte {
		name, _ := headerName(t.Content(i))
		return name
	}
}

// Holds reports whether a line below another would be part of the block that the other opens by
// its indentation: a deeper line, or an item of the list whose key the other is.
func Holds(head, line []byte) bool {
	if a, b := Column(head), Column(line); a != b {
		return b > a
	}
	return opensList(head) && IsListItem(line)
}

// tree returns the nodes of all lines.
func (t *Text) tree() []node {
	if !t.read {
		t.nodes, t.read = build(t), true
	}
	return t.nodes
}

// Step returns the smallest indentation of an entry or a block of the text, four spaces if none is
// indented.
func (t *Text) Step() []byte {
	least, column := []byte("    "), int32(0)
	for i, n := range t.tree() {
		if n.column == 0 || n.kind != Entry && n.kind != Block || n.flags&raw != 0 || column > 0 && n.column >= column {
			continue
		}
		if line := t.Content(i); line[len(lines.Indentation(line))] != '*' { // else more of a comment, most likely
			least, column = lines.Indentation(line), n.column
		}
	}
	return least
}
