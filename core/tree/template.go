package tree

import (
	"bytes"
	"errors"
	"sort"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/syntax"
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

// restore gives names and texts their expressions back.
func (d *Document) restore(n *Node) {
	if n.KeyEnd > n.Key {
		n.Name = d.refilled(n.Name, n.Key, n.KeyEnd)
	}
	if n.keyNode != nil {
		n.keyNode.Text = d.refilled(n.keyNode.Text, n.keyNode.Start, n.keyNode.End)
	}
	switch {
	case n.Kind == Element:
		n.Text = d.refilled(n.Text, n.Inner, n.InnerEnd)
	case !n.HasMembers() && d.quotedHole(n.Start):
		n.Text, n.style = d.raw(n.Start, n.End), plainStyle // those that it was read with are not in the file
	default:
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
		return source // quotes stood for its first and last characters
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
