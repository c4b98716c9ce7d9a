package structure

import (
	"bytes"
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
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
	return t.indented(i), byIndentation, true
}

// What becomes of what a line opens, besides the byte that closes it.
const (
	nothing = -1 // it opens nothing
	never   = -2 // what it opens is never closed
)

// closed returns the span from line i to the line that holds the byte at end, which
// closes it; end may be never.
func (t *Text) closed(i, end int) (edit.Span, bool) {
	if end == never {
		return edit.Span{}, false
	}
	last := t.At(end)
	s := t.Lines(i, last+1)
	s.Last = t.Start(last)
	return s, true
}

// bracketed follows the brackets that line i leaves open, or that the next
// non-blank line begins with.
func (t *Text) bracketed(i int) (s edit.Span, opened, closed bool) {
	ends := t.bracketEnds()
	if ends[i] != nothing {
		s, closed = t.closed(i, ends[i])
		return s, true, closed
	}
	next := t.nextText(i + 1)
	if next == t.Count() || endsItem(t.Content(i)) {
		return s, false, false
	}
	first := bytes.TrimLeft(t.Content(next), " \t")[0]
	switch {
	case strings.IndexByte("{[(", first) < 0, first != '{' && ends[next] == nothing:
		return s, false, false
	case ends[next] != nothing:
		s, closed = t.closed(i, ends[next])
	default: // opened and closed on that line
		s, closed = t.closed(i, t.Start(next))
	}
	return s, true, closed
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

// bracket is one that is open.
type bracket struct {
	closer byte
	line   int // that it was opened on
}

// brackets follows those of a whole text, quotes and comments aside.
type brackets struct {
	text  *Text
	open  []bracket
	count [256]int // of open ones, by what closes them
	ends  []int    // by line
	pairs []pair
	last  map[string]int // where the last */ and --> begin, -1 for none
	note  string         // what closes the comment that is open, "" for none
}

// pair is the lines of a bracket that is opened on one line and closed on a later one.
type pair struct{ from, to int }

// bracketEnds returns, for each line, where what it leaves open is closed: the byte of the
// bracket that closes the outermost, where a line that closes and opens, such as } else {,
// goes on.
func (t *Text) bracketEnds() []int {
	if t.ends != nil {
		return t.ends
	}
	b := &brackets{text: t, ends: make([]int, t.Count()), last: map[string]int{}}
	for _, mark := range []string{"*/", "-->"} {
		b.last[mark] = bytes.LastIndex(t.Bytes, []byte(mark))
	}
	leaves := make([]bool, t.Count()) // something open
	for i := range b.ends {
		b.ends[i] = nothing
		b.scan(i)
		leaves[i] = len(b.open) > 0 && b.open[len(b.open)-1].line == i
	}
	b.drop(0)
	slices.SortStableFunc(b.pairs, func(p, q pair) int { return p.from - q.from })
	t.pairs, t.outer, t.leaves = b.pairs, slices.Clone(b.ends), leaves
	for i := len(b.ends) - 1; i >= 0; i-- {
		if at := b.ends[i]; at >= 0 {
			if closing := t.At(at); leaves[closing] {
				b.ends[i] = b.ends[closing]
			}
		}
	}
	t.ends = b.ends
	return t.ends
}

// drop takes the open brackets from the k-th on for never closed.
func (b *brackets) drop(k int) {
	for n := len(b.open) - 1; n >= k; n-- {
		b.pop(n, never)
	}
}

// pop takes the last open bracket away, the n-th, which is closed at a byte, or never. What
// becomes of a line is what becomes of its outermost.
func (b *brackets) pop(n, at int) {
	o := b.open[n]
	b.count[o.closer]--
	b.open = b.open[:n]
	if n == 0 || b.open[n-1].line != o.line {
		b.ends[o.line] = at
	}
}

// closes takes a closing bracket, which is a character like others where none of its kind
// is open.
func (b *brackets) closes(c byte, at, line int) {
	if b.count[c] == 0 {
		return
	}
	for n := len(b.open) - 1; ; n-- {
		if b.open[n].closer != c {
			b.pop(n, never)
			continue
		}
		if from := b.open[n].line; from < line {
			b.pairs = append(b.pairs, pair{from, line})
		}
		b.pop(n, at)
		break
	}
	if b.ends[line] >= 0 { // opened and closed on the line itself
		b.ends[line] = nothing
	}
}

var closers = map[byte]byte{'{': '}', '[': ']', '(': ')'}

// scan reads one line.
func (b *brackets) scan(line int) {
	text, first := b.text.Bytes, b.text.Start(line)
	end := b.text.Start(line + 1)
	for at := first; at < end; {
		rest := text[at:end]
		if b.note != "" {
			i := bytes.Index(rest, []byte(b.note))
			if i < 0 {
				return
			}
			at += i + len(b.note)
			b.note = ""
			continue
		}
		switch c := rest[0]; c {
		case '{', '[', '(':
			b.open = append(b.open, bracket{closers[c], line})
			b.count[closers[c]]++
		case '}', ']', ')':
			b.closes(c, at, line)
		case '\'', '"', '`':
			if opensQuote(text[first:at]) {
				at += quotedLength(rest)
				continue
			}
		case '#', '/', ';', '<':
			switch b.text.comment(text[first:at], rest) {
			case lineComment:
				return
			case spanComment:
				at += b.opensComment("*/", at, 2)
				continue
			case markupComment:
				at += b.opensComment("-->", at, 4)
				continue
			}
		}
		at++
	}
}

// opensComment opens a comment of which the mark is n bytes long, where something closes it,
// and returns how far to go on.
func (b *brackets) opensComment(closing string, at, n int) int {
	if b.last[closing] < at+n {
		return 1
	}
	b.note = closing
	return n
}

// opensQuote reports whether a quote that follows before on its line opens one: at the
// line's start, or after white space, a bracket, =, a comma or a colon.
func opensQuote(before []byte) bool {
	return lines.Blank(before) || strings.IndexByte(" \t{[(}])=,:", before[len(before)-1]) >= 0
}

// quotedLength returns the length of the quoted text at the start of line, 1 where
// the quote is not closed and so is a character like others.
func quotedLength(line []byte) int {
	for i := 1; i < len(line); i++ {
		switch line[i] {
		case '\\':
			i++
		case line[0]:
			return i + 1
		}
	}
	return 1
}

// TrailingComment returns where a comment begins that stands behind something on a line:
// at the first of the marks that follows white space outside quotes; -1 without one.
func TrailingComment(line []byte, marks []string) int {
	for at := 0; at < len(line); {
		rest, before := line[at:], line[:at]
		if at > 0 && strings.IndexByte(" \t", line[at-1]) >= 0 && !lines.Blank(before) {
			for _, m := range marks {
				if bytes.HasPrefix(rest, []byte(m)) {
					return at
				}
			}
		}
		if strings.IndexByte("'\"`", rest[0]) >= 0 && opensQuote(before) {
			at += quotedLength(rest)
		} else {
			at++
		}
	}
	return -1
}

// commentKind is what kind of comment begins somewhere.
type commentKind int

const (
	noComment     commentKind = iota
	lineComment               // to the line's end
	spanComment               // from /* to */
	markupComment             // from <!-- to -->
)

// comment says what comment begins with rest, which follows before on its line: # or ; or
// // at the line's start, // after white space, # after white space where white space or
// the line's end follows, /* there too, and after a bracket or a semicolon. Style sheets
// know no #, and XML none of them.
func (t *Text) comment(before, rest []byte) commentKind {
	alone := lines.Blank(before)
	spaced := alone || strings.IndexByte(" \t", before[len(before)-1]) >= 0
	switch {
	case bytes.HasPrefix(rest, []byte("<!--")):
		return markupComment
	case t.syntax == XML:
	case rest[0] == '#':
		if t.syntax != StyleSheet && (alone || spaced && (len(rest) == 1 || strings.IndexByte(" \t\r\n", rest[1]) >= 0)) {
			return lineComment
		}
	case rest[0] == ';' && alone, bytes.HasPrefix(rest, []byte("//")) && spaced:
		return lineComment
	case bytes.HasPrefix(rest, []byte("/*")) && (spaced || strings.IndexByte("{[(}]);", before[len(before)-1]) >= 0):
		return spanComment
	}
	return noComment
}

// GoesOn reports whether line i, from 0, closes what a line before it opened, and opens
// something else.
func (t *Text) GoesOn(i int) bool {
	t.bracketEnds()
	line := bytes.TrimLeft(t.Content(i), " \t")
	return t.leaves[i] && len(line) > 0 && strings.IndexByte("}])", line[0]) >= 0
}

// IsComment reports whether a line holds nothing but a comment to its end.
func (t *Text) IsComment(line []byte) bool {
	inner := bytes.Trim(line, " \t")
	if len(inner) == 0 {
		return false
	}
	kind := t.comment(nil, inner)
	return kind == lineComment || kind == markupComment && bytes.HasSuffix(inner, []byte("-->"))
}
