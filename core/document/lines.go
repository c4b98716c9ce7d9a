package document

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"
)

// part is an XML file of a document.
type part struct {
	name   string
	member *member // nil of a flat document
	src    []byte  // without the byte order mark
	mark   int     // bytes of that
}

// line is a line of the text.
type line struct {
	text     []byte // without its end
	segments []segment
	place    place
	level    int     // of a heading
	lock     int     // of all of it
	spare    bool    // not shown: it stands there for readers that cannot read the one shown
	paired   bool    // a spare one that changes with the one shown
	copies   []*line // not shown, they hold the same text and change with it
	links    []string
}

// segment is a piece of a line's text, and the bytes of a part that it was read from.
type segment struct {
	at       int32 // in the line's text; it ends where the next one begins
	from, to int32 // in the part
	element  int32 // that its text stands in, else -1
	part     uint16
	lock     uint16 // in Document.locks; 0 for none
	kind     kind
	flavor   flavor
}

// kind is how a segment's bytes stand for its text.
type kind byte

const (
	plain   kind = iota // they are the text
	escape              // they stand for it as a whole, in an element's text
	element             // they are elements
	value               // they are within an attribute's value
	fixed               // there are none
)

// flavor is how text is written in a part.
type flavor byte

const (
	bare     flavor = iota // characters alone
	inWord                 // WordprocessingML
	inSheet                // SpreadsheetML
	inSlide                // DrawingML
	inOpen                 // OpenDocument
	inHeader               // SpreadsheetML's headers and footers, in which & begins a code
)

// element is one whose content is text alone.
type textElement struct {
	part       int32
	tag, begin int32 // its start tag, its content
	end        int32 // of that
	properties [2]int32
	preserve   bool // it says that white space at its ends counts
	sole       bool // it need not say so
	trimmed    bool // there is some, which does not count
}

// place is where a line stands.
type place struct {
	in          string
	row, column int // of a table's cell, from 1
	cells       []area
}

func (p place) String() string {
	switch {
	case len(p.cells) > 0:
		return p.in + areas(p.cells)
	case p.row > 0 && p.in == "":
		return fmt.Sprintf("table row %d column %d", p.row, p.column)
	case p.row > 0:
		return fmt.Sprintf("%s, table row %d column %d", p.in, p.row, p.column)
	}
	return p.in
}

// builder reads parts into a document.
type builder struct {
	doc    *Document
	s      *scanner
	part   int
	flavor flavor
	lines  []*line
	open   []*line // paragraphs that are open, the innermost last
	frames []frame
	frame
	where    place
	hiding   []byte // what hides gathers
	texts    []textElement
	lockOf   map[string]int
	seen     map[*member]bool
	formulas []string
	embedded []string
	arena
	every bool // elements of other namespaces are asked for, too
}

// frame is what holds within an element.
type frame struct {
	act  action
	mode mode
	lock int
	skip bool // what is in it is not looked at
	run  bool // it is one of WordprocessingML's runs, or in one
	gone bool // it was deleted, or moved away
}

// action is what is to be done at an element's end.
type action byte

// mode is what becomes of text.
type mode byte

const (
	ignored mode = iota
	shown
	hidden
)

// handler reads the elements of a part.
type handler interface {
	opens(name string) error
	closes(act action) error
}

// load inflates a member as a part.
func (b *builder) load(m *member) (*part, error) {
	src, err := b.doc.pack.content(m)
	if err != nil {
		return nil, err
	}
	if b.seen == nil {
		b.seen = map[*member]bool{}
	}
	b.seen[m] = true
	return partOf(m.name, m, src)
}

func partOf(name string, m *member, src []byte) (*part, error) {
	p := &part{name: name, member: m, src: bytes.TrimPrefix(src, []byte("\ufeff"))}
	p.mark = len(src) - len(p.src)
	if !utf8.Valid(p.src) {
		return nil, damaged("its part %q is no UTF-8", name)
	}
	return p, nil
}

// walk reads a part's elements.
func (b *builder) walk(p *part, f flavor, h handler) error {
	b.doc.parts = append(b.doc.parts, p)
	b.part, b.flavor, b.s = len(b.doc.parts)-1, f, newScanner(p.src)
	b.frames, b.frame = b.frames[:0], frame{}
	err := b.elements(h)
	if err != nil && p.member != nil {
		return damaged("%v (in %s)", err, p.name)
	}
	return err
}

func (b *builder) elements(h handler) error {
	s := b.s
	for {
		if err := s.next(); err != nil {
			return err
		}
		switch s.token {
		case atEnd:
			return nil
		case startTag:
			b.frames = append(b.frames, b.frame)
			b.act = 0
			if !b.skip && (s.name != "" || b.every) {
				if err := h.opens(s.name); err != nil {
					return err
				}
			}
			if !s.empty {
				if b.skip {
					s.leap()
				}
				continue
			}
			s.close()
			fallthrough
		case endTag:
			if b.act != 0 {
				if err := h.closes(b.act); err != nil {
					return err
				}
			}
			b.frame = b.frames[len(b.frames)-1]
			b.frames = b.frames[:len(b.frames)-1]
		default:
			if b.mode != ignored && !b.skip {
				if err := b.characters(s.start, s.end, s.token == verbatim); err != nil {
					return err
				}
			}
		}
	}
}

// arena is room for the segments and the texts of lines, of which one grows at a time.
type arena struct {
	fresh   []line
	areas   []area
	room    []segment
	letters []byte
	owner   *line
}

const (
	manySegments = 1024
	muchText     = 16 << 10
)

// line returns a new line, to which the room belongs from now on.
func (a *arena) line() *line {
	a.release()
	if len(a.fresh) == 0 {
		a.fresh = make([]line, 64)
	}
	l := &a.fresh[0]
	a.fresh = a.fresh[1:]
	if cap(a.room)-len(a.room) < 16 {
		a.room = make([]segment, 0, manySegments)
	}
	if cap(a.letters)-len(a.letters) < 256 {
		a.letters = make([]byte, 0, muchText)
	}
	l.segments, l.text = a.room[len(a.room):], a.letters[len(a.letters):]
	a.owner = l
	return l
}

// area returns a list of one area.
func (a *arena) area(one area) []area {
	if len(a.areas) == cap(a.areas) {
		a.areas = make([]area, 0, 256)
	}
	a.areas = append(a.areas, one)
	return a.areas[len(a.areas)-1 : len(a.areas) : len(a.areas)]
}

// release leaves the line that has the room with what it took of it.
func (a *arena) release() {
	if a.owner == nil {
		return
	}
	if l := a.owner; cap(l.segments) == cap(a.room)-len(a.room) { // else it outgrew it
		a.room = a.room[:len(a.room)+len(l.segments)]
	}
	if l := a.owner; cap(l.text) == cap(a.letters)-len(a.letters) {
		a.letters = a.letters[:len(a.letters)+len(l.text)]
	}
	a.owner.segments, a.owner.text = slices.Clip(a.owner.segments), slices.Clip(a.owner.text)
	a.owner = nil
}

// begin opens a line.
func (b *builder) begin() *line {
	l := b.line()
	l.place = b.where
	b.lines = append(b.lines, l)
	b.open = append(b.open, l)
	return l
}

// end closes the line that was opened last.
func (b *builder) end() {
	l := b.current()
	b.open = b.open[:len(b.open)-1]
	where := b.where
	for _, target := range l.links {
		b.where = l.place
		b.whole("link target", target, "it is a link's target")
	}
	b.where, l.links = where, nil
}

// current returns the innermost line, nil for none.
func (b *builder) current() *line {
	if len(b.open) == 0 {
		return nil
	}
	return b.open[len(b.open)-1]
}

// whole adds a line that nothing may change.
func (b *builder) whole(what, text, why string) *line {
	l := b.line()
	l.text, l.place, l.lock = append(l.text, oneLine(text)...), b.where, b.locked(why)
	if cells := l.place.cells; what != "" && len(cells) > 0 {
		l.place = place{in: "sheet " + cells[0].sheet + " cell " + cells[0].String() + ", " + what}
	} else if what != "" {
		l.place.in = strings.TrimPrefix(l.place.in+", "+what, ", ")
	}
	b.lines = append(b.lines, l)
	return l
}

// oneLine returns a text as a line shows it.
func oneLine(text string) []byte {
	if strings.IndexByte(text, '\n') < 0 && strings.IndexByte(text, '\r') < 0 {
		return []byte(text)
	}
	return []byte(strings.NewReplacer("\r\n", "\u2028", "\n", "\u2028", "\r", "\u2028").Replace(text))
}

// locked returns the number of a reason.
func (b *builder) locked(why string) int {
	if b.lockOf == nil {
		b.lockOf = map[string]int{}
	}
	n, ok := b.lockOf[why]
	if !ok {
		n = len(b.doc.locks)
		b.lockOf[why] = n
		b.doc.locks = append(b.doc.locks, why)
	}
	return n
}

// hide adds what no line shows.
func (b *builder) hide(what, text string) {
	if strings.TrimSpace(text) == "" {
		return
	}
	p := b.where
	if l := b.current(); l != nil {
		p = l.place
	}
	p.in = strings.TrimPrefix(p.in+", "+what, ", ")
	p.in = strings.TrimSuffix(p.in, ", ")
	b.doc.Hidden = append(b.doc.Hidden, Hidden{p.String(), string(oneLine(strings.TrimSpace(text)))})
}

// hides takes the text of the element at hand, which closes with the action, as hidden.
func (b *builder) hides(act action) {
	if b.mode != hidden {
		b.act, b.mode = act, hidden
		b.hiding = b.hiding[:0]
	}
}

// hid ends what hides began.
func (b *builder) hid(what string) {
	b.hide(what, string(b.hiding))
	b.hiding = b.hiding[:0]
}

// text begins an element whose content is text.
func (b *builder) text(sole bool) {
	space := b.s.value("xml:space")
	b.texts = append(b.texts, textElement{part: int32(b.part), tag: int32(b.s.start), begin: int32(b.s.end), end: int32(b.s.end), preserve: space == "preserve", sole: sole})
}

// ended ends the content of the element that text began.
func (b *builder) ended() { b.texts[len(b.texts)-1].end = int32(b.s.start) }

// put appends a segment to the line at hand.
func (b *builder) put(text string, k kind, from, to int) {
	if l := b.segment(k, from, to); l != nil {
		l.text = append(l.text, text...)
	}
}

// segment appends a segment to the line at hand, whose text is to follow; it returns nil where
// there is no line.
func (b *builder) segment(k kind, from, to int) *line {
	l := b.current()
	if l == nil {
		return nil
	}
	g := segment{
		at: int32(len(l.text)), from: int32(from), to: int32(to), part: uint16(b.part), element: -1, lock: uint16(b.lock), kind: k, flavor: b.flavor,
	}
	if (k == plain || k == escape) && b.flavor != inOpen {
		g.element = int32(len(b.texts) - 1)
	}
	l.segments = append(l.segments, g)
	return l
}

// characters takes text, which is hidden or shown.
func (b *builder) characters(from, to int, verbatim bool) error {
	src := b.s.src[from:to]
	if b.mode == hidden {
		if verbatim || bytes.IndexByte(src, '&') < 0 {
			b.hiding = append(b.hiding, src...)
		} else {
			b.hiding = append(b.hiding, unescaped(src)...)
		}
		return nil
	}
	if b.current() == nil {
		return nil
	}
	if verbatim {
		lock := b.lock
		b.lock = b.locked("it stands in a CDATA section")
		b.put(string(oneLine(string(src))), escape, from, to)
		b.lock = lock
		return nil
	}
	if b.flavor == inHeader {
		return b.header(from, to)
	}
	if b.flavor == inWord && len(b.texts) > 0 && !b.texts[len(b.texts)-1].preserve {
		for from < to && white(b.s.src[from]) {
			from++
		}
		for from < to && white(b.s.src[to-1]) {
			to--
		}
		b.texts[len(b.texts)-1].trimmed = to-from < len(src)
	}
	return b.pieces(from, to)
}

// blanks are what XML calls white space.
const blanks = " \t\r\n"

func white(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// special are the bytes that do not stand for themselves everywhere.
var special = [256]bool{'&': true, '\n': true, '\r': true, '\t': true, ' ': true, '_': true}

// pieces cuts characters into segments.
func (b *builder) pieces(from, to int) error {
	src := b.s.src
	begin := from
	flush := func(at int) {
		if begin < at {
			if l := b.segment(plain, begin, at); l != nil {
				l.text = append(l.text, src[begin:at]...)
			}
		}
	}
	for at := from; at < to; {
		if !special[src[at]] {
			at++
			continue
		}
		if b.flavor == inOpen && white(src[at]) {
			if src[at] == ' ' && begin < at && (at+1 == to || !white(src[at+1])) { // one, behind what is none
				at++
				continue
			}
			flush(at)
			begin = at
		}
		text, n, err := b.piece(src[at:to])
		if err != nil {
			return err
		}
		if text == string(src[at:at+n]) {
			if at += n; b.flavor == inOpen && text == " " { // what comes next asks for it
				flush(at)
				begin = at
			}
			continue
		}
		flush(at)
		if text != "" {
			b.put(text, escape, at, at+n)
		}
		at += n
		begin = at
	}
	flush(to)
	return nil
}

// piece returns what the first bytes, so many, of characters stand for.
func (b *builder) piece(src []byte) (text string, n int, err error) {
	switch c := src[0]; {
	case c == '&':
		r, n := entity(src)
		if n == 0 {
			return "", 0, damaged("its XML has an entity that is not known: %.12q", src)
		}
		if r == '\n' || r == '\r' {
			r = '\u2028'
		}
		return string(r), n, nil
	case b.flavor == inOpen && white(c):
		n := 1
		for n < len(src) && white(src[n]) {
			n++
		}
		l := b.current()
		if k := len(l.segments) - 1; k < 0 || l.segments[k].kind == fixed || l.text[len(l.text)-1] == ' ' && l.segments[k].kind != element {
			return "", n, nil // collapsed
		}
		return " ", n, nil
	case c == '_' && b.flavor == inSheet:
		r := codeUnit(src)
		if r == '\n' || r == '\r' && bytes.HasPrefix(src[7:], []byte("\n")) {
			return "\u2028", map[bool]int{true: 7, false: 8}[r == '\n'], nil
		}
		if r >= ' ' {
			return string(r), 7, nil
		}
	case c == '\n' && b.flavor == inSheet:
		return "\u2028", 1, nil
	case c == '\r' && b.flavor == inSheet:
		if len(src) > 1 && src[1] == '\n' {
			return "\u2028", 2, nil
		}
		return "\u2028", 1, nil
	case c == '\n' || c == '\r':
		return " ", 1, nil
	}
	return string(src[:1]), 1, nil
}

// codeUnit reads _xHHHH_, as SpreadsheetML writes characters (ISO/IEC 29500-1, 22.9.2.19); -1
// for none.
func codeUnit(src []byte) rune {
	if len(src) < 7 || src[1] != 'x' || src[6] != '_' {
		return -1
	}
	r := rune(0)
	for _, c := range src[2:6] {
		d := strings.IndexByte("0123456789abcdef", c|0x20)
		if d < 0 || c == '_' {
			return -1
		}
		r = r<<4 + rune(d)
	}
	if !utf8.ValidRune(r) {
		return -1
	}
	return r
}

// finish lays the lines out as the document's text.
func (b *builder) finish() error {
	d := b.doc
	size := 0
	for _, l := range b.lines {
		if l.spare {
			b.unpaired(l)
			continue
		}
		if len(l.text) == 0 && len(l.place.cells) > 0 {
			continue
		}
		size += len(l.text) + 1
		d.lines = append(d.lines, l)
	}
	d.Text = make([]byte, 0, size)
	for _, l := range d.lines {
		d.starts = append(d.starts, len(d.Text))
		d.Text = append(append(d.Text, l.text...), '\n')
	}
	d.texts = b.texts
	d.Embedded = b.embedded
	return nil
}

// unpaired counts a line that no line shown stands for.
func (b *builder) unpaired(l *line) {
	if len(l.text) > 0 && !l.paired {
		d := b.doc
		d.Hidden = append(d.Hidden, Hidden{strings.TrimPrefix(l.place.String()+", for older readers", ", "), string(l.text)})
	}
}

// pair makes the spare lines from the first one on, those of an alternative that is not shown,
// change with the lines shown that hold the same text.
func (b *builder) pair(first int) {
	var own, spare []*line
	for _, l := range b.lines[first:] {
		if l.spare {
			spare = append(spare, l)
		} else {
			own = append(own, l)
		}
	}
	for i, l := range spare {
		if i < len(own) && bytes.Equal(own[i].text, l.text) {
			own[i].copies = append(own[i].copies, l)
			l.paired = true
		}
	}
}
