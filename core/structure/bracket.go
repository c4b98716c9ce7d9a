package structure

import (
	"bytes"
	"slices"
)

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
