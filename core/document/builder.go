package document

import (
	"bytes"
	"strings"
)

// A builder reads the parts of a package into a document.
type builder struct {
	doc    *Document
	s      *scanner
	part   int
	flavor flavor
	lines  []*line
	open   []*line // paragraphs whose end tag was not read yet, the innermost last
	frames []frame
	frame
	where    location
	hiding   []byte // the hidden text being read
	texts    []textElement
	lockOf   map[string]int
	seen     map[*member]bool
	formulas []string
	embedded []string
	arena
	segments int             // how many there are
	linked   map[[2]int]bool // the targets of links that are lines, by part and offset
	every    bool            // read elements of unknown namespaces, too
}

// A frame is the state of the builder within an element.
type frame struct {
	act  action
	mode mode
	lock int
	skip bool // ignore its content
	run  bool // the element is a run of WordprocessingML, or within one
	gone bool // its text was deleted or moved, with changes tracked
}

// An action is run at an element's end tag.
type action byte

// A mode is how the characters of an element are read.
type mode byte

const (
	ignored mode = iota
	shown
	hidden
)

// A handler reads the elements of a part.
type handler interface {
	opens(name string) error
	closes(act action) error
}

// load inflates a member and returns it as a part.
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

// walk calls h for each start tag of a part, and runs the actions of the end tags.
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
		if err := b.full(); err != nil {
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

// Limits on the segments and on the lines and hidden texts of a small document, which take 32 and some 200 bytes each. A
// larger file may have more of them: see limits.
const (
	maxSegments = 8 << 20
	maxLines    = 4 << 20
)

// limits returns the numbers of segments and of lines that a document of size bytes may have.
func limits(size int) (segments, lines int) { return maxSegments + size/4, maxLines + size/2 }

// full returns an error if the document has too many lines or segments.
func (b *builder) full() error {
	switch segments, lines := limits(len(b.doc.raw)); {
	case b.segments > segments:
		return damaged("its text is written in more than %d pieces", segments)
	case len(b.lines)+len(b.doc.Hidden) > lines:
		return damaged("its text has more than %d lines", lines)
	}
	return nil
}

// counted reports whether there is room for one more segment, and counts it. elements returns the error.
func (b *builder) counted() bool {
	most, _ := limits(len(b.doc.raw))
	if b.segments <= most {
		b.segments++
	}
	return b.segments <= most
}

// stretched extends the last segment, which stands for an element, to the element's end tag.
func (b *builder) stretched() {
	if l := b.current(); l != nil && len(l.segments) > 0 {
		l.segments[len(l.segments)-1].to = int32(b.s.end)
	}
}

// begin opens a line.
func (b *builder) begin() *line {
	l := b.line()
	l.location = b.where
	b.lines = append(b.lines, l)
	b.open = append(b.open, l)
	return l
}

// end closes the innermost line.
func (b *builder) end() {
	l := b.current()
	b.open = b.open[:len(b.open)-1]
	where := b.where
	for _, target := range l.links {
		b.where = l.location
		b.link(target)
	}
	b.where, l.links = where, nil
}

// current returns the innermost line, or nil outside lines.
func (b *builder) current() *line {
	if len(b.open) == 0 {
		return nil
	}
	return b.open[len(b.open)-1]
}

// link adds a line for the target of a link, unless the same bytes have one already.
func (b *builder) link(of link) {
	at := [2]int{of.part, of.from}
	if of.target == "" || b.linked[at] {
		return
	}
	if b.linked == nil {
		b.linked = map[[2]int]bool{}
	}
	b.linked[at] = true
	l := b.line()
	l.location = b.within("link target")
	src := b.doc.parts[of.part].src
	for from := of.from; from < of.to && b.counted(); { // references alone, so that several changes may lie between them
		to := from
		for to < of.to && src[to] != '&' {
			to++
		}
		if from == to {
			_, n := entity(src[from:of.to])
			to += max(n, 1)
		}
		l.segments = append(l.segments, segment{at: int32(len(l.text)), from: int32(from), to: int32(to), part: uint16(of.part), element: -1, kind: value})
		l.text = append(l.text, oneLine(unescaped(src[from:to]))...)
		from = to
	}
	b.lines = append(b.lines, l)
}

// within returns the current place with what is meant there.
func (b *builder) within(what string) location {
	at := b.where
	if cells := at.cells; len(cells) > 0 {
		return location{in: "sheet " + cells[0].sheet + " cell " + cells[0].String() + ", " + what}
	}
	at.in = strings.TrimPrefix(at.in+", "+what, ", ")
	return at
}

// locked returns the index of why in the document's locks, and adds it if it is new.
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

// hide adds a hidden text.
func (b *builder) hide(what, text string) {
	if strings.TrimSpace(text) == "" {
		return
	}
	p := b.where
	if l := b.current(); l != nil {
		p = l.location
	}
	p.in = strings.TrimPrefix(p.in+", "+what, ", ")
	p.in = strings.TrimSuffix(p.in, ", ")
	b.doc.Hidden = append(b.doc.Hidden, Hidden{p.String(), string(oneLine(strings.TrimSpace(text)))})
}

// hides reads the text of the current element as hidden; act runs at its end tag.
func (b *builder) hides(act action) {
	if b.mode != hidden {
		b.act, b.mode = act, hidden
		b.hiding = b.hiding[:0]
	}
}

// hid adds the text that was read since hides.
func (b *builder) hid(what string) {
	b.hide(what, string(b.hiding))
	b.hiding = b.hiding[:0]
}

// finish joins the lines to the document's text.
func (b *builder) finish() {
	d := b.doc
	size := 0
	for _, l := range b.lines {
		if l.spare {
			b.unpaired(l)
			continue
		}
		if len(l.text) == 0 && len(l.location.cells) > 0 {
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
}

// unpaired adds the text of a spare line as hidden if no shown line is paired with it.
func (b *builder) unpaired(l *line) {
	if len(l.text) > 0 && !l.paired {
		d := b.doc
		d.Hidden = append(d.Hidden, Hidden{strings.TrimPrefix(l.location.String()+", for older readers", ", "), string(l.text)})
	}
}

// pair makes each spare line from the index first on (the lines of an alternative that is not shown) a copy
// of a shown line with the same text, so that both change together.
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
