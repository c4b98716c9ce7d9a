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

// kind tells brackets apart.
type kind byte

const (
	curly kind = iota
	square
	round
	kinds
)

var closers = map[byte]kind{'}': curly, ']': square, ')': round}

// bracket is one that is open.
type bracket struct {
	kind kind
	line int // that it was opened on; of an earlier piece -1
}

// brackets follows those of a whole text, quotes and comments aside.
type brackets struct {
	text  *Text
	open  stack[bracket]
	count [kinds]int // of open ones
	ends  []int      // by line
	pairs []pair
	given map[int]int    // by line: the byte that says that what it opens is never closed
	last  map[string]int // where the last */ and --> begin, -1 for none; once asked for
	note  string         // what closes the comment that is open, "" for none
	noted int            // where that comment begins
}

// pair is the lines of a bracket that is opened on one line and closed on a later one.
type pair struct{ from, to int }

// bracketEnds returns, for each line, where what it leaves open is closed: the byte of the
// bracket that closes the outermost, where a line that closes and opens, such as } else {,
// goes on.
func (t *Text) bracketEnds() []int {
	t.known()
	if t.ends != nil {
		return t.ends
	}
	before := t.before()
	b := &brackets{text: t, open: stackOn(before.brackets), count: before.counts, ends: make([]int, t.Count()), given: map[int]int{}, last: map[string]int{}}
	leaves := make([]bool, t.Count()) // something open
	for i := range b.ends {
		b.ends[i] = nothing
		b.scan(i)
		top := b.open.top()
		leaves[i] = top != nil && top.line == i
	}
	t.open.counts = b.count
	t.open.brackets = b.open.layered(func(o bracket) bracket { return bracket{o.kind, -1} })
	b.drop()
	slices.SortStableFunc(b.pairs, func(p, q pair) int { return p.from - q.from })
	t.pairs, t.given, t.outer, t.leaves = b.pairs, b.given, slices.Clone(b.ends), leaves
	for i := len(b.ends) - 1; i >= 0; i-- {
		if at := b.ends[i]; at >= 0 {
			if closing := t.At(at); leaves[closing] {
				b.ends[i] = b.ends[closing]
				if at, ok := b.given[closing]; ok && b.ends[i] == never {
					b.given[i] = at
				}
			}
		}
	}
	t.ends = b.ends
	return t.ends
}

// drop takes the brackets that the text leaves open for never closed, or for closed in
// another piece of it.
func (b *brackets) drop() {
	end := never
	if b.text.goesOn() {
		end = beyond
	}
	for len(b.open.own) > 0 {
		b.pop(end, end)
	}
}

// pop takes the last open bracket away at a byte, which is its end, or that may be never.
// What becomes of a line is what becomes of its outermost.
func (b *brackets) pop(end, at int) {
	o := b.open.pop()
	b.count[o.kind]--
	if top := b.open.top(); o.line >= 0 && (top == nil || top.line != o.line) {
		b.ends[o.line] = end
		if end == never && at >= 0 && b.text.goesOn() {
			b.given[o.line] = at
		}
	}
}

// closes takes a closing bracket, which is a character like others where none of its kind
// is open.
func (b *brackets) closes(k kind, at, line int) {
	if b.count[k] == 0 {
		return
	}
	for b.open.top().kind != k {
		b.pop(never, at)
	}
	if from := b.open.top().line; 0 <= from && from < line {
		b.pairs = append(b.pairs, pair{from, line})
	}
	b.pop(at, at)
	if b.ends[line] >= 0 { // opened and closed on the line itself
		b.ends[line] = nothing
	}
}

func (b *brackets) opens(k kind, line int) {
	b.open.push(bracket{k, line})
	b.count[k]++
}

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
			b.text.holdMark(b.noted, at)
			b.note = ""
			continue
		}
		switch c := rest[0]; c {
		case '{':
			b.opens(curly, line)
		case '[':
			b.opens(square, line)
		case '(':
			b.opens(round, line)
		case '}', ']', ')':
			b.closes(closers[c], at, line)
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
	last, ok := b.last[closing]
	if !ok {
		last = bytes.LastIndex(b.text.Bytes, []byte(closing))
		b.last[closing] = last
	}
	if last < at+n {
		b.text.doubt(at)
		return 1
	}
	b.note, b.noted = closing, at
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
