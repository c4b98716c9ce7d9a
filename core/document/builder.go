package document

import (
	"bytes"
	"strings"
)

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
	where    location
	hiding   []byte // what hides gathers
	texts    []textElement
	lockOf   map[string]int
	seen     map[*member]bool
	formulas []string
	embedded []string
	arena
	every bool // elements of other namespaces are read, too
}

// A frame is the state within an element.
type frame struct {
	act  action
	mode mode
	lock int
	skip bool // what is in it is not looked at
	run  bool // it is one of WordprocessingML's runs, or in one
	gone bool // it was deleted, or moved away
}

// An action is done at the end of an element.
type action byte

// A mode says how text is read.
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

// begin opens a line.
func (b *builder) begin() *line {
	l := b.line()
	l.location = b.where
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
		b.where = l.location
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
func (b *builder) whole(what, text, why string) {
	l := b.line()
	l.text, l.location, l.lock = append(l.text, oneLine(text)...), b.where, b.locked(why)
	if cells := l.location.cells; what != "" && len(cells) > 0 {
		l.location = location{in: "sheet " + cells[0].sheet + " cell " + cells[0].String() + ", " + what}
	} else if what != "" {
		l.location.in = strings.TrimPrefix(l.location.in+", "+what, ", ")
	}
	b.lines = append(b.lines, l)
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
		p = l.location
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

// finish lays the lines out as the document's text.
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

// unpaired counts a line that no line shown stands for.
func (b *builder) unpaired(l *line) {
	if len(l.text) > 0 && !l.paired {
		d := b.doc
		d.Hidden = append(d.Hidden, Hidden{strings.TrimPrefix(l.location.String()+", for older readers", ", "), string(l.text)})
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
