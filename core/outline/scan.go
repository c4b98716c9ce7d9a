package outline

import (
	"bytes"

	"frizzel/core/lines"
)

// A kind is the kind of an opener.
type opener uint8

const (
	curly opener = iota
	square
	round
	element
	slashed // a tag that ends in />, which a later closing tag may still close
	openers
)

var openerOf = map[byte]opener{'{': curly, '[': square, '(': round}
var closerOf = map[byte]opener{'}': curly, ']': square, ')': round}

// opened is something that is open.
type opened struct {
	kind  opener
	first bool // it is the first thing on its line
	line  int32
	name  string // of an element
}

// inside is the kind of a construct of several lines.
type inside uint8

const (
	inText inside = iota
	inComment
	inString
	inTag // or a declaration, or the like
)

// A scanner splits lines into tokens and matches opening with closing ones. For each line it sets these fields
// of the node: kind, which is Blank, Comment or Entry; end, the line that closes the outermost opening token of
// the line, or 0; by, the sort of that token; parent, the first line whose token this line closes; and flags.
type scanner struct {
	t     *Text
	d     *dialect
	nodes []node

	open  []opened
	count [openers]int
	tags  map[string]*[2]int // by name: how many elements, and how many slashed tags, are open

	skip   int    // end of a token that began earlier
	within inside // what that is
	last   map[string]int
	failed map[string]bool // terminators that do not occur in the rest of the text

	trailing int // offset of a comment after other text on the last line, or -1
}

func newScanner(t *Text) *scanner {
	return &scanner{
		t: t, d: dialectOf(t.syntax), nodes: make([]node, t.Count()), tags: map[string]*[2]int{},
		last: map[string]int{}, failed: map[string]bool{},
	}
}

// scan reads all lines.
func (s *scanner) scan() {
	for i := range s.nodes {
		s.line(i)
	}
	for len(s.open) > 0 {
		s.drop()
	}
	for i := range s.nodes {
		if n := &s.nodes[i]; n.kind == Comment && n.flags&events != 0 { // text follows the comment
			n.kind = Entry
		}
	}
}

// cursor is the place in a line that is being read.
type cursor struct {
	i     int // the line
	start int // its first byte
	at    int // the current offset
	end   int // behind its content
	alone bool
	first bool // the first thing on the line is a comment
}

// line reads line i.
func (s *scanner) line(i int) {
	t, n := s.t, &s.nodes[i]
	start := t.Start(i)
	content := lines.Content(t.Bytes[start:t.Start(i+1)])
	c := &cursor{i: i, start: start, at: start, end: start + len(content), alone: true}
	n.column = int32(Column(content))
	s.trailing = -1
	if n.flags&raw != 0 || s.skip > start && s.within == inString {
		n.flags |= raw
	}
	switch {
	case lines.Blank(content):
		n.kind = Blank
		return
	case n.flags&raw != 0 && s.skip <= start: // in a fence
		n.kind = Entry
		return
	}
	if s.skip > start {
		if c.first = s.within == inComment; c.first {
			n.flags |= commented
		}
		c.alone = false
		c.at = min(s.skip, c.end)
	}
	if s.d.flow {
		s.yamlTokens(c)
	} else {
		s.tokens(c)
	}
	if n.kind = Entry; c.first {
		n.kind = Comment
	}
	s.ends(n, c)
	for k := len(s.open) - 1; k >= 0 && int(s.open[k].line) == i; k-- {
		if s.open[k].first {
			n.flags |= leads
		}
	}
}

// ends notes how the line's code ends.
func (s *scanner) ends(n *node, c *cursor) {
	code := s.t.Bytes[c.start:c.end]
	if s.trailing >= 0 {
		code = s.t.Bytes[c.start:s.trailing]
	}
	code = bytes.TrimRight(code, " \t")
	if len(code) == 0 {
		return
	}
	switch code[len(code)-1] {
	case ',', ';', '}', ']':
		n.flags |= endsItem
	case ':':
		n.flags |= endsKey
	}
}

// prev returns the byte before the cursor on its line, a space at the line's beginning.
func (s *scanner) prev(c *cursor) byte {
	if c.at == c.start {
		return ' '
	}
	return s.t.Bytes[c.at-1]
}

// special are the bytes at which some token may begin.
var special = func() (set [256]bool) {
	for _, c := range []byte("{}[]()'\"`#;/<") {
		set[c] = true
	}
	return set
}()

// tokens reads the rest of a line.
func (s *scanner) tokens(c *cursor) {
	text := s.t.Bytes
	for c.at < c.end {
		b := text[c.at]
		if b == ' ' || b == '\t' {
			c.at++
			continue
		}
		if !special[b] || !s.token(c, b) {
			c.at++
		}
		c.alone = false
		if s.skip > c.at { // the token ends later on this line, or after it
			c.at = min(s.skip, c.end)
		}
	}
}

// token reads what begins with b, and reports whether it moved the cursor.
func (s *scanner) token(c *cursor, b byte) bool {
	d, rest := s.d, s.t.Bytes[c.at:c.end]
	switch b {
	case '\'', '"', '`':
		return s.quote(c, rest)
	case '{', '[', '(':
		if bytes.IndexByte([]byte(d.brackets), b) >= 0 {
			s.push(openerOf[b], "", c)
		}
		return false
	case '}', ']', ')':
		s.close(closerOf[b], "", c.i)
		return false
	case '#':
		if s.hashBegins(c, rest) {
			return s.comment(c, c.end)
		}
	case ';':
		if d.semicolon && c.alone {
			return s.comment(c, c.end)
		}
	case '/':
		if d.slashes && bytes.HasPrefix(rest, []byte("//")) && (c.alone || isSpace(s.prev(c))) {
			return s.comment(c, c.end)
		}
		if d.stars != noStars && bytes.HasPrefix(rest, []byte("/*")) &&
			(d.stars == anyStars || c.alone || bytes.IndexByte([]byte(" \t{[(}]);"), s.prev(c)) >= 0) {
			if end, ok := s.terminated(c.at+2, "*/"); ok {
				return s.comment(c, end)
			}
		}
	case '<':
		return s.angle(c, rest)
	}
	return false
}

func isSpace(b byte) bool { return b == ' ' || b == '\t' }

func (s *scanner) hashBegins(c *cursor, rest []byte) bool {
	switch s.d.hash {
	case anyHash:
		return true
	case spacedHash:
		return c.alone || isSpace(s.prev(c))
	case hashAlone:
		return c.alone || isSpace(s.prev(c)) && (len(rest) == 1 || isSpace(rest[1]))
	}
	return false
}

// comment passes over a comment that ends at a byte, on this line or a later one.
func (s *scanner) comment(c *cursor, end int) bool {
	if c.alone {
		c.first = true
	} else if s.trailing < 0 && end >= c.end {
		s.trailing = c.at
	}
	s.pass(c, end, inComment)
	return true
}

// pass moves the cursor behind something, which may end on a later line.
func (s *scanner) pass(c *cursor, end int, within inside) {
	s.skip, s.within = end, within
	c.at = min(end, c.end)
}

// terminated returns the byte behind the next occurrence of a terminator from a byte on, if there is one.
func (s *scanner) terminated(from int, mark string) (end int, ok bool) {
	last, known := s.last[mark]
	if !known {
		last = bytes.LastIndex(s.t.Bytes, []byte(mark))
		s.last[mark] = last
	}
	if last < from {
		return 0, false
	}
	return from + bytes.Index(s.t.Bytes[from:], []byte(mark)) + len(mark), true
}

// quote passes over quoted text.
func (s *scanner) quote(c *cursor, rest []byte) bool {
	d := s.d
	if bytes.IndexByte([]byte(d.quotes), rest[0]) < 0 || !d.anyQuote && !c.alone && !opensQuote(s.prev(c)) {
		return false
	}
	if mark := string([]byte{rest[0], rest[0], rest[0]}); d.triple && bytes.HasPrefix(rest, []byte(mark)) {
		if end, ok := s.tripleEnd(c.at+3, mark); ok {
			s.string(c, end)
			return true
		}
	}
	n := quotedLength(rest)
	if d == &toml && rest[0] == '\'' {
		n = bytes.IndexByte(rest[1:], '\'') + 2
	}
	c.at += max(n, 1)
	return true
}

// string passes over a string that may end on a later line, which then is a block.
func (s *scanner) string(c *cursor, end int) {
	if last := s.t.At(end - 1); last > c.i {
		s.closed(int32(c.i), int32(last), Brackets)
	}
	s.pass(c, end, inString)
}

// tripleEnd returns the end of a multi-line string that is open at an offset.
func (s *scanner) tripleEnd(from int, mark string) (int, bool) {
	if s.failed[mark] {
		return 0, false
	}
	text := s.t.Bytes
	for at := from; ; {
		i := bytes.Index(text[at:], []byte(mark))
		if i < 0 {
			s.failed[mark] = true
			return 0, false
		}
		at += i
		if mark[0] == '"' && oddBackslashes(text[from:at]) {
			at++
			continue
		}
		end := at + len(mark)
		for extra := 0; extra < 2 && end < len(text) && text[end] == mark[0]; extra++ { // quotes of the string's own
			end++
		}
		return end, true
	}
}

// oddBackslashes reports whether b ends in a backslash that takes the next character.
func oddBackslashes(b []byte) bool {
	return (len(b)-len(bytes.TrimRight(b, `\`)))%2 == 1
}

// push opens something on line i.
func (s *scanner) push(kind opener, name string, c *cursor) {
	s.open = append(s.open, opened{kind, c.alone, int32(c.i), name})
	s.count[kind]++
	if name != "" {
		n := s.tags[name]
		if n == nil {
			n = &[2]int{}
			s.tags[name] = n
		}
		n[kind-element]++
	}
}

func (s *scanner) pop() opened {
	o := s.open[len(s.open)-1]
	s.open = s.open[:len(s.open)-1]
	s.count[o.kind]--
	if o.name != "" {
		s.tags[o.name][o.kind-element]--
	}
	return o
}

// drop marks the innermost opening token as never closed.
func (s *scanner) drop() {
	if o := s.pop(); o.kind != slashed {
		s.nodes[o.line].flags |= unclosed | events
	}
}

// close handles a closing token on line i. It closes the nearest open token of its kind and name; tokens opened
// inside that one are never closed. If none is open, the token has no effect.
func (s *scanner) close(kind opener, name string, i int) {
	if kind == element {
		n := s.tags[name]
		if n == nil || n[0]+n[1] == 0 {
			return
		}
		if n[0] == 0 {
			kind = slashed
		}
	} else if s.count[kind] == 0 {
		return
	}
	for {
		if o := s.open[len(s.open)-1]; o.kind == kind && o.name == name {
			break
		}
		s.drop()
	}
	by := Brackets
	if kind >= element {
		by = Element
	}
	s.closed(s.pop().line, int32(i), by)
}

// closed notes that what line from opens ends on line to.
func (s *scanner) closed(from, to int32, by By) {
	if from == to {
		return
	}
	if n := &s.nodes[from]; to > n.end {
		n.end, n.by = to, by
	}
	s.nodes[from].flags |= events
	if n := &s.nodes[to]; n.flags&closes == 0 || from < n.parent {
		n.parent = from
		n.flags |= closes | events
	}
}
