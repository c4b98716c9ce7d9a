package structure

import (
	"bytes"
	"strings"

	"frizzel/core/edit"
)

// Block returns line i, from 0, with all that it opens: until its brackets are
// closed, or its XML element, or else the deeper-indented lines below it. It
// reports false where something is opened and never closed. The blocks of all lines
// together take time linear in the text.
func (t *Text) Block(i int) (edit.Span, bool) {
	s, _, ok := t.block(i)
	return s, ok
}

// blockKind is what makes a block.
type blockKind int

const (
	byIndentation blockKind = iota
	byBrackets
	byElement
)

func (t *Text) block(i int) (edit.Span, blockKind, bool) {
	line := t.Content(i)
	if looksLikeTag(bytes.TrimLeft(line, " \t")) {
		s, closed := t.element(i)
		return s, byElement, closed
	}
	if s, opened, closed := t.bracketed(i); opened {
		return s, byBrackets, closed
	}
	if bytes.IndexByte(line, '<') >= 0 {
		if s, closed := t.element(i); !closed || s.End > t.Start(i+1) {
			return s, byElement, closed
		}
	}
	s := t.indented(i)
	t.hold(s.Start, s.End, t.Start(max(t.belows[i], t.nextText(i+1))+1))
	return s, byIndentation, true
}

// What becomes of what a line opens, besides the byte that closes it.
const (
	nothing = -1 // it opens nothing
	never   = -2 // what it opens is never closed
	beyond  = -3 // what it opens is closed in another piece of the text, if at all
)

// closed returns the span from line i to the line that holds the byte at end, which
// closes it; end may be never, or beyond.
func (t *Text) closed(i, end int) (edit.Span, bool) {
	switch end {
	case beyond:
		t.holdOn(t.Start(i))
		return edit.Span{}, false
	case never:
		return edit.Span{}, false
	}
	last := t.At(end)
	s := t.Lines(i, last+1)
	s.Last = t.Start(last)
	t.hold(s.Start, s.End, s.End)
	return s, true
}

// bracketed follows the brackets that line i leaves open, or that the next
// non-blank line begins with.
func (t *Text) bracketed(i int) (s edit.Span, opened, closed bool) {
	ends := t.bracketEnds()
	if ends[i] != nothing {
		t.holdGiven(i, i)
		s, closed = t.closed(i, ends[i])
		return s, true, closed
	}
	if endsItem(t.Content(i)) {
		return s, false, false
	}
	next := t.nextText(i + 1)
	if next == t.Count() {
		t.holdOn(t.Start(i))
		return s, false, false
	}
	first := bytes.TrimLeft(t.Content(next), " \t")[0]
	if strings.IndexByte("{[(", first) < 0 || first != '{' && ends[next] == nothing {
		return s, false, false
	}
	t.holdGiven(i, next)
	end := ends[next]
	if end == nothing { // opened and closed on that line
		end = t.Start(next)
	}
	s, closed = t.closed(i, end)
	return s, true, closed
}

// holdGiven holds line i up to line n, and to what tells that what that one opens is never
// closed, if it is not.
func (t *Text) holdGiven(i, n int) {
	end := t.Start(n + 1)
	seen := end
	if at, ok := t.given[n]; ok {
		seen = t.Start(t.At(at) + 1)
	}
	t.hold(t.Start(i), end, seen)
}

// nextText returns the first line, from i on, that is not blank.
func (t *Text) nextText(i int) int {
	t.indents()
	if i >= t.Count() {
		return t.Count()
	}
	return t.texts[i]
}

// endsItem reports whether a line ends something, so that a bracket on the next
// line is not its own.
func endsItem(line []byte) bool {
	line = bytes.TrimRight(line, " \t")
	return len(line) > 0 && strings.IndexByte(",;}]", line[len(line)-1]) >= 0
}

// GoesOn reports whether line i, from 0, closes what a line before it opened, and opens
// something else.
func (t *Text) GoesOn(i int) bool {
	t.bracketEnds()
	line := bytes.TrimLeft(t.Content(i), " \t")
	return t.leaves[i] && len(line) > 0 && strings.IndexByte("}])", line[0]) >= 0
}
