package tree

import (
	"bytes"
	"errors"
	"regexp"
	"sort"
	"strings"
	"sync"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// A hole is an expression of a template, {{ … }}, {% … %} or {# … #}, which is set aside while the text is read.
type hole struct {
	extent
	alone bool // on lines of its own, which are read as blank ones, or as comments
	blank bool // as a blank one, even in YAML
}

var (
	expression = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`(?s)\{\{-?\s*/\*.*?\*/\s*-?\}\}|\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}`)
	})
	// plainHole is where a plain value of YAML begins with an expression.
	plainHole = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?m)(?:^|[:?-][ \t])[ \t]*\{\{`) })
	opensHole = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^\{[{%][-~+]?\s*(if|range|with|define|block|for|macro|filter|call|raw|autoescape)\b`)
	})
	closesHole = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\{[{%][-~+]?\s*end[a-z]*\b`) })
)

// Two characters that fill holes, of two bytes and of three, so that they fill any length. A text that has one of them is
// read without setting anything aside.
const two, three = "ʬ", "\ue0fb"

// filler returns n bytes of text.
func filler(n int) string {
	if n%2 == 0 {
		return strings.Repeat(two, n/2)
	}
	return strings.Repeat(two, (n-3)/2) + three
}

// mayBeTemplate reports whether a text has expressions of a template.
func mayBeTemplate(text []byte) bool {
	return (bytes.Contains(text, []byte("{{")) || bytes.Contains(text, []byte("{%"))) &&
		!bytes.Contains(text, []byte(two)) && !bytes.Contains(text, []byte(three))
}

// read reads the text. If it is not of its syntax, or a plain value of YAML begins with an expression, it is read once more
// with its expressions set aside.
func (d *Document) read() error {
	if d.Syntax == syntax.CSV || d.Syntax == syntax.BareCSV || !mayBeTemplate(d.Text) {
		return d.format.parse()
	}
	var first error
	if d.Syntax != syntax.YAML || !plainHole().Match(d.Text) {
		if first = d.format.parse(); first == nil {
			return nil
		}
	}
	err := d.readAside()
	if err == nil {
		return nil
	}
	d.Roots, d.holes = nil, nil
	if first == nil {
		if first = d.format.parse(); first == nil {
			return nil
		}
	}
	var fault *SyntaxError
	if errors.As(err, &fault) {
		return &SyntaxError{fault.Syntax, fault.Line, fault.Reason + "; it is a template, whose expressions were set aside"}
	}
	return err
}

// readAside reads the text with its expressions set aside. Those on lines of their own are blank, unless they stand within
// a block of lines, whose text they are.
func (d *Document) readAside() error {
	d.findHoles()
	text := d.Text
	defer func() { d.Text, d.starts = text, nil }()
	d.Text, d.starts = d.filled(), nil
	if err := d.format.parse(); err != nil {
		return err
	}
	d.Text, d.starts = text, nil
	for _, r := range d.Roots {
		d.restore(r)
		if d.Syntax == syntax.YAML {
			d.reach(r)
		}
	}
	return nil
}

// reach extends values that are empty without the expressions on the lines below them: over those that are indented deeper
// than the value's key. The values around it end no earlier.
func (d *Document) reach(n *Node) {
	for _, m := range n.Members {
		d.reach(m)
		if n.style != flow {
			n.End = max(n.End, m.End)
		}
	}
	if n.Kind != Null || n.Start < n.End || n.Parent == nil || n.Parent.style == flow {
		return
	}
	column := n.Parent.column(d)
	for i := d.holeAt(n.Start); i < len(d.holes) && d.holes[i].alone; i++ {
		h := d.holes[i]
		if strings.TrimSpace(string(d.Text[n.End:h.start])) != "" || h.start-d.lineStart(h.start) <= column {
			return
		}
		n.End = h.end
	}
}

// column returns the column of the members of a node.
func (n *Node) column(d *Document) int { return n.Inner - d.lineStart(n.Inner) }

func (d *Document) findHoles() {
	d.holes = nil
	for _, m := range expression().FindAllIndex(d.Text, -1) {
		d.holes = append(d.holes, hole{extent: extent{m[0], m[1]}})
	}
	for i := 0; i < len(d.holes); { // runs of them on lines of their own
		from, to := d.lineStart(d.holes[i].start), d.holes[i].end
		k := i + 1
		for k < len(d.holes) && d.holes[k].start <= d.lineEnd(to) {
			to = d.holes[k].end
			k++
		}
		rest := from
		alone := true
		for _, h := range d.holes[i:k] {
			alone = alone && strings.TrimSpace(d.raw(rest, h.start)) == ""
			rest = h.end
		}
		alone = alone && strings.TrimSpace(d.raw(rest, d.lineEnd(rest))) == ""
		value := d.Syntax == syntax.YAML && alone && k == i+1 && bytes.HasPrefix(d.Text[d.holes[i].start:], []byte("{{")) && d.isWhole()
		for n := i; n < k; n++ {
			d.holes[n].alone = alone && !value
		}
		i = k
	}
	if d.Syntax == syntax.YAML {
		d.fillBlocks()
	}
}

// isWhole reports whether the text is one expression and nothing else.
func (d *Document) isWhole() bool {
	return len(d.holes) == 1 && strings.TrimSpace(d.raw(0, d.holes[0].start)+d.raw(d.holes[0].end, len(d.Text))) == ""
}

// filled returns a text of the same length without expressions.
func (d *Document) filled() []byte {
	out := bytes.Clone(d.Text)
	place := &holeScanner{Document: d}
	for _, h := range d.holes {
		put := filler(h.end - h.start)
		switch kind := place.before(h); {
		case h.alone || kind == betweenMembers:
			fresh := blanked(d.Text[h.start:h.end])
			if d.Syntax == syntax.YAML && !h.blank { // spaces would be text behind a block of lines
				fresh[0] = '#'
			}
			put = string(fresh)
		case kind == wholeValue:
			put = `"` + filler(h.end-h.start-2) + `"`
		}
		copy(out[h.start:h.end], put)
	}
	return out
}

// blanked returns spaces, and the line breaks of a text.
func blanked(text []byte) []byte {
	out := bytes.Repeat([]byte(" "), len(text))
	for i, c := range text {
		if c == '\n' || c == '\r' {
			out[i] = c
		}
	}
	return out
}

// A holePlace is where an expression stands.
type holePlace int

const (
	withinText holePlace = iota
	wholeValue
	betweenMembers
)

// A holeScanner tells where expressions stand, in the order of the text, by the quotes and tags before each.
type holeScanner struct {
	*Document
	at    int
	tag   bool // of XML that is open
	quote byte // that is open; 0 for none
	last  byte // the last character outside quotes that is no space
}

func (s *holeScanner) before(h hole) holePlace {
	if s.Syntax == syntax.YAML {
		text := s.Text[h.start:h.end]
		before := strings.TrimRight(s.raw(s.lineStart(h.start), h.start), " \t")
		control := opensHole().Match(text) || closesHole().Match(text)
		if control && (strings.HasSuffix(before, "-") || strings.HasSuffix(before, ":")) && strings.TrimSpace(s.raw(h.end, s.lineEnd(h.end))) == "" {
			return betweenMembers // what it begins is on the lines below
		}
		return withinText
	}
	for ; s.at < h.start; s.at++ {
		s.take(s.Text[s.at])
	}
	s.at = h.end
	switch {
	case s.tag && s.quote == 0:
		return betweenMembers
	case s.Syntax == syntax.XML, s.quote != 0:
		return withinText
	}
	next := byte('\n')
	if rest := strings.TrimLeft(s.raw(h.end, s.lineEnd(h.end)), " \t"); rest != "" {
		next = rest[0]
	}
	if strings.IndexByte(":=[,{", s.last) >= 0 && strings.IndexByte(",]}:#\n/", next) >= 0 && !(s.last == ',' && next == '\n') {
		s.last = '"'
		return wholeValue
	}
	return betweenMembers
}

// take takes the next character outside expressions.
func (s *holeScanner) take(c byte) {
	xml := s.Syntax == syntax.XML
	switch {
	case xml && !s.tag:
		s.tag = c == '<'
	case xml && s.quote == 0:
		s.tag = c != '>'
		if c == '"' || c == '\'' {
			s.quote = c
		}
	case xml && c == s.quote:
		s.quote = 0
	case xml:
	case s.quote != 0 && c == '\\' && s.quote == '"':
		s.at++
	case s.quote != 0 && c == s.quote:
		s.quote = 0
		s.last = c
	case s.quote != 0:
	case c == '"' || c == '\'' && s.Syntax == syntax.TOML:
		s.quote = c
	case c == '#' && s.Syntax == syntax.TOML:
		s.at = s.lineEnd(s.at) - 1
	case strings.IndexByte(" \t\r\n", c) < 0:
		s.last = c
	}
}

var blockBegins = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?:^|[ \t])[|>][-+0-9]*[ \t]*(?:#.*)?$`) })

// fillBlocks makes those expressions part of the text that stand within blocks of lines, as deep as their lines.
func (d *Document) fillBlocks() {
	for at := 0; at < len(d.Text); {
		next := lines.Next(d.Text, at, len(d.Text))
		if header := string(lines.Content(d.Text[at:next])); blockBegins().MatchString(header) {
			d.fillBlock(next, len(header)-len(strings.TrimLeft(header, " -")))
		}
		at = next
	}
}

// fillBlock is fillBlocks for the block whose first line begins at the byte at, below a line whose text begins in the column
// outer.
func (d *Document) fillBlock(at, outer int) {
	inside, end := -1, 0 // the column of its lines, and where the last of them ends
	var within []int
	for last := at; at < len(d.Text); at = last {
		last = lines.Next(d.Text, at, len(d.Text))
		column := len(lines.Indentation(d.Text[at:last]))
		i := d.holeAt(at)
		switch {
		case lines.Blank(d.Text[at:last]):
			continue
		case i < len(d.holes) && d.holes[i].alone && d.holes[i].start < last:
			for ; i < len(d.holes) && d.holes[i].start < last; i++ {
				within = append(within, i)
			}
			last = max(last, lines.Next(d.Text, d.holes[i-1].end, len(d.Text)))
			if inside >= 0 || column <= outer {
				continue
			}
		case inside < 0 && column < outer, inside < 0 && column == outer && outer > 0, inside >= 0 && column < inside:
			at = len(d.Text)
			last = at
			continue
		}
		if inside < 0 {
			inside = column
		}
		end = last
	}
	for _, i := range within {
		switch h := &d.holes[i]; {
		case inside >= 0 && h.start-d.lineStart(h.start) >= inside:
			h.alone = false
		case h.start < end: // a comment would end the block
			h.blank = true
		}
	}
}

// restore gives names and texts their expressions back.
func (d *Document) restore(n *Node) {
	if n.KeyEnd > n.Key {
		n.Name = d.refilled(n.Name, n.Key, n.KeyEnd)
	}
	if n.keyNode != nil {
		n.keyNode.Text = d.refilled(n.keyNode.Text, n.keyNode.Start, n.keyNode.End)
	}
	if n.Kind == Element {
		n.Text = d.refilled(n.Text, n.Inner, n.InnerEnd)
	} else {
		n.Text = d.refilled(n.Text, n.Start, n.End)
	}
	for _, m := range n.Members {
		d.restore(m)
	}
}

// refilled puts the expressions of a range of the text in the places of their fillers.
func (d *Document) refilled(text string, start, end int) string {
	if !strings.Contains(text, two) && !strings.Contains(text, three) {
		return text
	}
	var from strings.Builder
	for i := d.holeAt(start); i < len(d.holes) && d.holes[i].start < end; i++ {
		if !d.holes[i].alone {
			from.Write(d.Text[d.holes[i].start:d.holes[i].end])
		}
	}
	source := from.String()
	if source != "" && d.quotedHole(start) {
		return source[1 : len(source)-1] // quotes stood for its first and last characters
	}
	var b strings.Builder
	for len(text) > 0 {
		switch {
		case strings.HasPrefix(text, two) && len(source) >= len(two):
			b.WriteString(source[:len(two)])
			source, text = source[len(two):], text[len(two):]
		case strings.HasPrefix(text, three) && len(source) >= len(three):
			b.WriteString(source[:len(three)])
			source, text = source[len(three):], text[len(three):]
		default:
			b.WriteByte(text[0])
			text = text[1:]
		}
	}
	return b.String()
}

// quotedHole reports whether a value of JSON or TOML is one expression.
func (d *Document) quotedHole(start int) bool {
	i := d.holeAt(start)
	return d.Syntax != syntax.YAML && d.Syntax != syntax.XML && i < len(d.holes) && d.holes[i].start == start
}

// holeAt returns the index of the first hole that ends behind a byte.
func (d *Document) holeAt(at int) int {
	return sort.Search(len(d.holes), func(i int) bool { return d.holes[i].end > at })
}

// IsTemplate reports whether the text was read with expressions set aside.
func (d *Document) IsTemplate() bool { return len(d.holes) > 0 }

// HasExpression reports whether a node has an expression of a template in it.
func (d *Document) HasExpression(n *Node) bool {
	i := d.holeAt(n.Start)
	return i < len(d.holes) && d.holes[i].start < n.End
}

// overlaps reports whether an edit would change an expression, and which one.
func (d *Document) overlaps(start, end int) (hole, bool) {
	for i := d.holeAt(start); i < len(d.holes) && d.holes[i].start < end || i < len(d.holes) && start == end && d.holes[i].start < start; i++ {
		if h := d.holes[i]; h.start < end || start == end && h.start < start && start < h.end {
			return h, true
		}
	}
	return hole{}, false
}

// Locked returns why the bytes [from, to) of the value's text must not change, or "".
func (v *Value) Locked(from, to int) string {
	if len(v.doc.holes) == 0 {
		return ""
	}
	start, end := v.Place(from), v.Place(to)
	if h, ok := v.doc.overlaps(start, max(start, end)); ok {
		return "the expression " + excerpt(v.doc.raw(h.start, h.end)) + " of the template stays as it is"
	}
	return ""
}

// kept returns an error if the expressions on lines of their own are not those that they were, but for those of members
// that are removed with all that they begin.
func (d *Document) kept(made *Document, changes Changes) error {
	if len(d.holes) == 0 && len(made.holes) == 0 {
		return nil
	}
	gone := make([]bool, len(d.holes))
	for n, c := range changes {
		if !c.Removed {
			continue
		}
		start, end := n.span()
		if !d.balanced(start, end) {
			return &DifferenceError{d.Path(n), "would take one end of an expression away"}
		}
		for i := d.holeAt(start); i < len(d.holes) && d.holes[i].start < end; i++ {
			gone[i] = true
		}
	}
	var was, is []string
	for i, h := range d.holes {
		if h.alone && !gone[i] {
			was = append(was, d.raw(h.start, h.end))
		}
	}
	for _, h := range made.holes {
		if h.alone {
			is = append(is, made.raw(h.start, h.end))
		}
	}
	for i := range was {
		if i >= len(is) || was[i] != is[i] {
			return &DifferenceError{"the template", "would lose its expression " + excerpt(was[i])}
		}
	}
	if len(is) > len(was) {
		return &DifferenceError{"the template", "would gain an expression"}
	}
	return nil
}

// balanced reports whether all that expressions between two bytes begin ends there.
func (d *Document) balanced(from, to int) bool {
	depth := 0
	for i := d.holeAt(from); i < len(d.holes) && d.holes[i].start < to; i++ {
		text := d.Text[d.holes[i].start:d.holes[i].end]
		switch {
		case opensHole().Match(text):
			depth++
		case closesHole().Match(text):
			if depth--; depth < 0 {
				return false
			}
		}
	}
	return depth == 0
}

// behindOpen returns a place for what is added at the byte at, behind what began at the byte from: where an expression that
// began within is not ended there, it is behind the one that ends it.
func (d *Document) behindOpen(from, at int) int {
	depth := 0
	for i := d.holeAt(from); i < len(d.holes); i++ {
		h := d.holes[i]
		if h.start >= at && depth <= 0 {
			break
		}
		text := d.Text[h.start:h.end]
		switch {
		case opensHole().Match(text):
			depth++
		case closesHole().Match(text):
			depth = max(depth-1, 0) // what is around the members is around what is added, too
		}
		if h.start >= at && depth == 0 && h.alone {
			return d.lineEnd(h.end)
		}
	}
	return at
}

// withoutHoles returns an error if edits would change an expression of the template.
func (d *Document) withoutHoles(edits edit.List) error {
	if len(d.holes) == 0 {
		return nil
	}
	for _, e := range edits {
		if h, ok := d.overlaps(e.Start, e.End); ok {
			return &CannotHoldError{"the expression " + excerpt(d.raw(h.start, h.end)) + " of the template stays as it is, so this cannot become another value as a whole"}
		}
	}
	return nil
}
