package tree

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"frizzel/core/edit"
)

// Value is a node's text as statements see it.
type Value struct {
	Text []byte
	doc  *Document
	node *Node
	// segments map Text to the document's bytes, in order. They are empty if Text is equal to the node's
	// bytes, or if it can only be written as a whole.
	segments []segment
	raw      bool // Text is equal to the bytes from start on
	start    int
}

// Node returns the node that the value is shown of.
func (v *Value) Node() *Node { return v.node }

// Document returns the document that the value is part of.
func (v *Value) Document() *Document { return v.doc }

// Scattered reports whether a value has several parts, so that it cannot be changed as one text.
func (d *Document) Scattered(n *Node) bool { return n.scattered && n.header.end == 0 }

// Aliases returns the number of aliases of a value or of a value that contains it.
func (d *Document) Aliases(n *Node) (count int) {
	anchored := false
	for at := n; at != nil; at = at.Parent {
		anchored = anchored || at.Anchor != "" && at.Kind != Alias
	}
	if !anchored {
		return 0
	}
	var walk func(m *Node)
	walk = func(m *Node) {
		if m.Kind == Alias && m.Target != nil && n.Within(m.Target) {
			count++
		}
		for _, inner := range m.Members {
			walk(inner)
		}
	}
	walk(n.Root())
	return count
}

// A segment is a part of a value: literal bytes, or one escape or line break.
type segment struct {
	at, to     int // of Value.Text
	start, end int // of the document's text
	one        bool
}

// Show returns the text of a node for statements: a scalar's value, or the lines (or the bytes) of a node with
// members.
func (d *Document) Show(n *Node) *Value {
	if n.HasMembers() {
		start := d.outer(n)
		return &Value{Text: d.Text[start:n.End], doc: d, node: n, raw: true, start: start}
	}
	v := &Value{Text: []byte(n.Text), doc: d, node: n}
	c := d.format
	start, end := c.inner(n)
	if d.raw(start, end) == n.Text {
		v.raw, v.start = true, start
		return v
	}
	v.segments = d.align(c, n, start, end)
	return v
}

// outer returns the start of a node with members: the start of its line, if only whitespace precedes it.
func (d *Document) outer(n *Node) int {
	if n.style == flow {
		return n.Start
	}
	line := n.Start
	for line > 0 && (d.Text[line-1] == ' ' || d.Text[line-1] == '\t') {
		line--
	}
	if line == 0 || d.Text[line-1] == '\n' {
		return line
	}
	return n.Start // something else is on its line, which may be very long
}

// align maps the bytes of a scalar to its text. It returns nil if the mapping is unknown.
func (d *Document) align(c format, n *Node, start, end int) (all []segment) {
	raw, value := d.raw(start, end), n.Text
	r, v := 0, 0
	add := func(of, to int, one bool) {
		if last := len(all) - 1; !one && last >= 0 && !all[last].one {
			all[last].end, all[last].to = all[last].end+of, all[last].to+to
		} else {
			all = append(all, segment{v, v + to, start + r, start + r + of, one})
		}
		r, v = r+of, v+to
	}
	for r < len(raw) {
		switch of, to := c.escape(n, raw[r:], value[v:]); {
		case of > 0 && r+of <= len(raw) && v+to <= len(value):
			add(of, to, true)
		case of == 0 && v < len(value) && raw[r] == value[v]:
			add(1, 1, false)
		default:
			return nil
		}
	}
	if rest := value[v:]; rest != "" {
		if n.style != literalBlock && n.style != foldedBlock || strings.Trim(rest, "\n") != "" {
			return nil
		}
		add(0, len(rest), true) // line breaks that its header asks for
	}
	return all
}

// Place returns the document's offset for a byte of the value's text.
func (v *Value) Place(at int) int {
	if v.raw {
		return v.start + at
	}
	for _, p := range v.segments {
		if at < p.to {
			if p.one {
				return p.start
			}
			return p.start + at - p.at
		}
	}
	if len(v.segments) > 0 {
		return v.segments[len(v.segments)-1].end
	}
	return v.node.Start
}

// A CannotHoldError reports that a value cannot have a text.
type CannotHoldError struct{ Reason string }

func (e *CannotHoldError) Error() string { return e.Reason }

// Write returns the edits of the document's text that make a value's text another one, and the
// kind of value that it is then. The edits are to Value.Text. The error is a *CannotHoldError.
func (d *Document) Write(v *Value, edits edit.List) (edit.List, Kind, error) {
	n := v.node
	if n.HasMembers() {
		return shifted(edits, v.start), n.Kind, nil
	}
	c := d.format
	fresh := string(edits.Apply(v.Text))
	if d.HasExpression(n) {
		return d.aroundExpressions(v, edits, fresh)
	}
	if !utf8.ValidString(fresh) && !c.traits().anyBytes {
		return nil, 0, &CannotHoldError{fmt.Sprintf("%s cannot hold bytes that are not UTF-8", d.Syntax)}
	}
	kind := d.kindOf(c, n, fresh)
	if kind == n.Kind || kind.bare() && n.Kind.bare() {
		if out, ok := d.bySegments(c, v, edits, fresh, kind); ok {
			return out, kind, nil
		}
	}
	out, err := d.whole(c, n, fresh, kind)
	if err != nil && kind.bare() {
		kind = String
		out, err = d.whole(c, n, fresh, kind)
	}
	return out, kind, err
}

// aroundExpressions is Write for a value with expressions of a template in it, which is only changed around them.
func (d *Document) aroundExpressions(v *Value, edits edit.List, fresh string) (edit.List, Kind, error) {
	n := v.node
	out, ok := d.bySegments(d.format, v, edits, fresh, n.Kind)
	if !ok {
		return nil, 0, &CannotHoldError{"it has an expression of a template in it, and can only change around that"}
	}
	return out, n.Kind, d.withoutHoles(out)
}

// kindOf returns the kind of a node after it becomes text: its old kind if the text is valid for it.
func (d *Document) kindOf(c format, n *Node, text string) Kind {
	if n.Kind.bare() {
		return c.bareKind(n, text)
	}
	return n.Kind
}

// whole returns the edit that writes a node anew.
func (d *Document) whole(c format, n *Node, text string, kind Kind) (edit.List, error) {
	for _, raw := range c.forms(n, text, kind) {
		if got, k, ok := c.reads(n, raw); ok && got == text && k == kind {
			return d.replaced(d.format.content(n), n.End, raw), nil
		}
	}
	return nil, &CannotHoldError{fmt.Sprintf("%s here cannot hold %s", n.Kind.An(), excerpt(text))}
}

// excerpt shows the beginning of a text.
func excerpt(text string) string {
	const most = 40
	if len(text) > most {
		text = strings.ToValidUTF8(text[:most], "") + "…"
	}
	return fmt.Sprintf("%q", text)
}

// replaced returns the edit that makes some bytes others, without what both begin and end with.
func (d *Document) replaced(start, end int, fresh string) edit.List {
	old := d.raw(start, end)
	front, back := 0, 0
	for front < len(old) && front < len(fresh) && old[front] == fresh[front] {
		front++
	}
	for front > 0 && front < len(fresh) && !utf8.RuneStart(fresh[front]) {
		front--
	}
	for back < len(old)-front && back < len(fresh)-front && old[len(old)-1-back] == fresh[len(fresh)-1-back] {
		back++
	}
	for back > 0 && !utf8.RuneStart(old[len(old)-back]) {
		back--
	}
	return edit.List{{Start: start + front, End: end - back, New: []byte(fresh[front : len(fresh)-back])}}
}

// bySegments carries edits back one by one, and reports whether that gives the text.
func (d *Document) bySegments(c format, v *Value, edits edit.List, fresh string, kind Kind) (edit.List, bool) {
	n := v.node
	if n.Start == n.End { // an empty value
		return nil, false
	}
	var out edit.List
	for _, e := range edits {
		start, end, text, ok := v.covering(e)
		if !ok {
			return nil, false
		}
		if n.style == literalBlock && e.End == len(v.Text) { // the block's last newline follows its text
			text = strings.TrimSuffix(text, "\n")
		}
		raw, ok := c.fragment(n, text)
		if !ok {
			return nil, false
		}
		if last := len(out) - 1; last >= 0 && start < out[last].End { // both within one sign
			return nil, false
		}
		out = append(out, edit.Edit{Start: start, End: end, New: []byte(raw), Rules: e.Rules})
	}
	begin := d.format.content(n)
	raw := string(shifted(out, -begin).Apply(d.Text[begin:n.End]))
	got, k, ok := c.reads(n, raw)
	return out, ok && got == fresh && k == kind
}

// covering returns the range of bytes to rewrite for an edit, and the new text of that range.
func (v *Value) covering(e edit.Edit) (start, end int, text string, ok bool) {
	text = string(e.New)
	if v.raw {
		return v.start + e.Start, v.start + e.End, text, true
	}
	if len(v.segments) == 0 {
		return 0, 0, "", false
	}
	i := slices.IndexFunc(v.segments, func(p segment) bool { return e.Start < p.to || e.Start == p.to && !p.one })
	if i < 0 {
		end = v.segments[len(v.segments)-1].end
		return end, end, text, true
	}
	if last := len(v.segments) - 1; len(e.New) == 0 && e.Start < e.End && e.End == len(v.Text) && i > 0 && v.segments[i-1].one && v.segments[i-1].to == e.Start && v.node.style == literalBlock {
		return v.segments[i-1].start, v.segments[last].end, "", true // the last lines, with the break before them
	}
	first := v.segments[i]
	start = first.start
	if !first.one {
		start += e.Start - first.at
	} else if e.Start > first.at {
		text = string(v.Text[first.at:e.Start]) + text
	}
	if e.End == e.Start && !(first.one && e.Start > first.at) {
		return start, start, text, true
	}
	for ; i < len(v.segments); i++ {
		p := v.segments[i]
		if e.End > p.to {
			continue
		}
		if !p.one {
			return start, p.start + e.End - p.at, text, true
		}
		return start, p.end, text + string(v.Text[e.End:p.to]), true
	}
	return 0, 0, "", false
}

// shifted returns edits with their offsets increased by by.
func shifted(edits edit.List, by int) edit.List {
	out := slices.Clone(edits)
	for i := range out {
		out[i].Start, out[i].End = out[i].Start+by, out[i].End+by
	}
	return out
}

// ReadsAsNumber reports whether a text is a number where a value without quotes can be one.
func (d *Document) ReadsAsNumber(text string) bool {
	if d.format.traits().anyBytes || d.format.traits().joinsTexts {
		return false
	}
	return (jsonFormat{plain{d}}).bareKind(nil, text) == Number
}
