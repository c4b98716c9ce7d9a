package tree

import (
	"fmt"
	"slices"
	"strings"
)

// Changes maps nodes of a document to their intended changes. All other nodes, except those within a changed one,
// must stay equal.
type Changes map[*Node]*Change

// A Change is the intended change of one node.
type Change struct {
	// Text and Kind are a scalar's new value.
	Text *string
	Kind Kind
	// Opaque means that lines of a node with members change. The result must parse; its value is not checked.
	Opaque  bool
	Removed bool
	Name    *string // that it has from now on
	Added   []Added // members, in order
	Order   []*Node // all members, in the order that they are to have; nil for the one that they have
	Becomes *Node   // the replacement
}

// Added is a member that is to be added. Only the kinds, names, texts and members of it and of what it holds count.
type Added struct {
	*Node
	Before *Node // the member that it precedes; nil for the end
}

// of returns the change of a node, and makes room for it.
func (c Changes) of(n *Node) *Change {
	if c[n] == nil {
		c[n] = &Change{Kind: n.Kind}
	}
	return c[n]
}

// Become records a new text and kind of a scalar, or, for a node with members, a change of its lines.
func (c Changes) Become(n *Node, text string, kind Kind) {
	if n.HasMembers() {
		c.of(n).Opaque = true
		return
	}
	of := c.of(n)
	of.Text, of.Kind = &text, kind
}

// Merge takes over other changes.
func (c Changes) Merge(others Changes) {
	for n, o := range others {
		if c[n] == nil {
			c[n] = o
			continue
		}
		c[n].Added = append(c[n].Added, o.Added...)
		c[n].Removed = c[n].Removed || o.Removed
		if o.Order != nil {
			c[n].Order = o.Order
		}
		if o.Name != nil {
			c[n].Name = o.Name
		}
		if o.Text != nil {
			c[n].Text, c[n].Kind = o.Text, o.Kind
		}
		if o.Becomes != nil {
			c[n].Becomes = o.Becomes
		}
	}
}

// A DifferenceError reports that a result differs from the old text with the intended changes.
type DifferenceError struct {
	Path   string // of the value that differs
	Reason string
}

func (e *DifferenceError) Error() string {
	return fmt.Sprintf("what would be written does not read as what was meant: %s %s", e.Path, e.Reason)
}

// Prove parses text and compares it with the document after the changes. It returns the new document, and its
// nodes that correspond to follow. The error is a *SyntaxError or a *DifferenceError.
func (d *Document) Prove(text []byte, changes Changes, follow ...*Node) (*Document, map[*Node]*Node, error) {
	made, err := Parse(d.Syntax, text)
	if err != nil {
		return nil, nil, err
	}
	if err := d.kept(made, changes); err != nil {
		return nil, nil, err
	}
	p := &proof{changes: changes, now: make(map[*Node]*Node, len(follow)), doc: d}
	for _, n := range follow {
		p.now[n] = nil
	}
	if len(made.Roots) != len(d.Roots) {
		return nil, nil, &DifferenceError{"the file", "holds another number of documents"}
	}
	if d.strict && !made.strict {
		return nil, nil, &DifferenceError{"the file", "is no strict JSON any more"}
	}
	for i, n := range d.Roots {
		if !p.same(n, made.Roots[i]) {
			return nil, nil, p.err
		}
	}
	return made, p.now, nil
}

// proof is two trees that are being compared.
type proof struct {
	doc     *Document
	changes Changes
	now     map[*Node]*Node
	err     error
}

func (p *proof) differs(n *Node, format string, args ...any) bool {
	p.err = &DifferenceError{p.doc.Path(n), fmt.Sprintf(format, args...)}
	return false
}

// same reports whether now equals old with its change.
func (p *proof) same(old, now *Node) bool {
	if len(p.now) > 0 {
		if _, ok := p.now[old]; ok {
			p.now[old] = now
		}
	}
	c := p.changes[old]
	if c == nil {
		c = &unchanged
	}
	if c.Becomes != nil {
		if c.Becomes.Name = now.Name; !p.equal(c.Becomes, now) {
			return p.differs(old, "would not be what it is to become")
		}
		return true
	}
	name := old.Name
	if c.Name != nil {
		name = *c.Name
	}
	if now.Name != name {
		return p.differs(old, "would be named %q, and not %q", now.Name, name)
	}
	if now.Anchor != old.Anchor || now.Tag != old.Tag {
		return p.differs(old, "would have another anchor or tag")
	}
	if c.Opaque {
		return true
	}
	kind, text := old.Kind, old.Text
	if c.Text != nil {
		kind, text = c.Kind, *c.Text
	}
	if now.Kind != kind {
		return p.differs(old, "would be %s, and not %s", now.Kind.An(), kind.An())
	}
	if c.Text != nil && kind == Element { // whose text is in its members
		if now.HasMembers() || now.Text != text {
			return p.differs(old, "would be %s, and not %s", excerpt(now.Text), excerpt(text))
		}
		return p.members(old, now, &Change{}, attributesOnly)
	}
	if !old.HasMembers() && old.Kind != Element && len(c.Added) == 0 && now.Text != text {
		return p.differs(old, "would be %s, and not %s", excerpt(now.Text), excerpt(text))
	}
	return p.members(old, now, c, all)
}

var unchanged Change

func all(*Node) bool              { return true }
func attributesOnly(n *Node) bool { return n.Kind == Attribute }

// members compares the members that count.
func (p *proof) members(old, now *Node, c *Change, counts func(*Node) bool) bool {
	t := p.doc.format.traits()
	touched := len(c.Added) > 0 || c.Order != nil
	members := old.Members
	if c.Order != nil {
		members = c.Order
	}
	for _, m := range members {
		touched = touched || p.gone(m)
	}
	var want []*Node
	blank := func(n *Node) bool { // that layout may change, or that is nothing
		return n.Kind == Characters && n.Text == "" || touched && n.Kind == Characters && n.style != cdata && strings.TrimSpace(n.Text) == ""
	}
	for _, m := range members {
		if p.gone(m) || !counts(m) || blank(m) {
			continue
		}
		want = append(want, m)
	}
	var got []*Node
	for _, m := range now.Members {
		if counts(m) && !blank(m) {
			got = append(got, m)
		}
	}
	if t.byHeaders && old.Kind == Object { // whose order follows from headers
		got = p.inOrderOf(want, got)
	}
	if touched && t.joinsTexts { // texts around a deleted node become one
		want, got = joinedTexts(want), joinedTexts(got)
	}
	if len(got) != len(want)+len(c.Added) {
		return p.differs(old, "would have %d members, and not %d", len(got), len(want)+len(c.Added))
	}
	if len(c.Added) > 0 && c.Added[0].Before == nil && !t.addsLast { // new members may precede others
		return p.unordered(old, want, got, c.Added)
	}
	byName := t.byHeaders && old.Kind == Object
	i := 0
	added := func(before *Node) bool {
		for _, a := range c.Added {
			if a.Before != before && !byName || byName && before != nil {
				continue
			}
			if !p.equal(a.Node, got[i]) {
				return p.differs(old, "would not hold what is to be added")
			}
			i++
		}
		return true
	}
	for _, m := range want {
		if !added(m) || !p.same(m, got[i]) {
			return false
		}
		i++
	}
	return added(nil)
}

// inOrderOf returns want in the order of the names in got, followed by the other members.
func (p *proof) inOrderOf(want, got []*Node) []*Node {
	named := make(map[string]*Node, len(got))
	for _, n := range got {
		named[n.Name] = n
	}
	out := make([]*Node, 0, len(got))
	for _, n := range want {
		name := n.Name
		if c := p.changes[n]; c != nil && c.Name != nil {
			name = *c.Name
		}
		if g := named[name]; g != nil {
			out = append(out, g)
			delete(named, name)
		}
	}
	for _, n := range got {
		if named[n.Name] == n {
			out = append(out, n)
		}
	}
	return out
}

// joinedTexts merges adjacent texts.
func joinedTexts(nodes []*Node) (out []*Node) {
	for _, n := range nodes {
		if last := len(out) - 1; n.Kind == Characters && last >= 0 && out[last].Kind == Characters {
			out[last] = &Node{Kind: Characters, Text: out[last].Text + n.Text, Parent: n.Parent}
			continue
		}
		out = append(out, n)
	}
	return out
}

// gone reports whether a node is to be there no more.
func (p *proof) gone(n *Node) bool {
	c := p.changes[n]
	return c != nil && (c.Removed || n.Kind == Characters && c.Text != nil && *c.Text == "")
}

// unordered compares members with added ones among them.
func (p *proof) unordered(old *Node, want, got []*Node, added []Added) bool {
	i := 0
	for _, n := range got {
		if len(added) > 0 && (i == len(want) || !p.quiet(want[i], n)) && p.equal(added[0].Node, n) {
			added = added[1:]
			continue
		}
		if i == len(want) {
			return p.differs(old, "would not hold what is to be added")
		}
		if !p.same(want[i], n) {
			return false
		}
		i++
	}
	return true
}

// quiet is same without a word of what differs.
func (p *proof) quiet(old, now *Node) bool {
	before := p.err
	ok := p.same(old, now)
	p.err = before
	return ok
}

// equal reports whether a node is the one that was added.
func (p *proof) equal(want, now *Node) bool {
	if want.Kind != now.Kind || want.Name != now.Name || !want.HasMembers() && want.Text != now.Text && want.Kind != Characters {
		return false
	}
	if want.Kind == Element && !want.HasMembers() {
		return !now.HasMembers() && want.Text == now.Text && p.equalAll(attributesOf(want), attributesOf(now))
	}
	if want.Kind == Characters {
		return slices.Equal(strings.Fields(want.Text), strings.Fields(now.Text))
	}
	return p.equalAll(solid(want), solid(now))
}

func (p *proof) equalAll(want, now []*Node) bool {
	if len(want) != len(now) {
		return false
	}
	for i := range want {
		if !p.equal(want[i], now[i]) {
			return false
		}
	}
	return true
}

// solid returns the members of a node that layout does not bring along.
func solid(n *Node) (out []*Node) {
	for _, m := range n.Members {
		if m.Kind != Characters || strings.TrimSpace(m.Text) != "" {
			out = append(out, m)
		}
	}
	return out
}
