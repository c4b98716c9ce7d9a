package tree

import (
	"errors"
	"slices"
	"strconv"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// Step is one step of a path that names one place: a member by its name, an item by its index from
// 0 or by what it holds, or in XML an element, with what it must hold, or an attribute.
type Step struct {
	Name      string
	Index     int
	Numbered  bool // by Index
	Attribute bool
	Item      bool // by With alone
	Every     bool // each row of a table
	With      []Test
}

// A Test is a value that a member found by a path of names must have.
type Test struct {
	Steps []Step
	Text  string
	Kind  Kind // of a value that is no text: Number, Bool or Null; else String
}

// Fresh is the new value of settle: a text, or a literal of the syntax.
type Fresh struct {
	Text    string
	Literal bool
	Place   Place
}

// Place says where a member is added: at the top of its parent, or next to a sibling, or else at the end.
type Place struct {
	Top   bool
	Below bool   // else above
	Near  []Step // from the parent to the sibling; nil for none
}

// Settle returns the edits after which the path steps below a node leads to exactly one value, fresh. It changes
// the existing value, deletes further members of the same names, and, if add is true, adds missing members and
// parents. It returns no edits if nothing is to be done. The error is a *MisfitError or a *CannotHoldError.
func (d *Document) Settle(from *Node, steps []Step, fresh Fresh, add bool) (edit.List, Changes, error) {
	if len(steps) == 2 && steps[0].Every {
		return d.settleColumn(from, steps[1], fresh)
	}
	at, rest, doubles, err := d.walk(from, steps)
	if err != nil {
		return nil, nil, err
	}
	if len(rest) == 0 {
		edits, changes, err := d.become(at, fresh)
		if err != nil || len(doubles) == 0 {
			return edits, changes, err
		}
		gone, removed, err := d.Delete(doubles)
		for n, c := range removed {
			changes[n] = c
		}
		edits = append(edits, gone...)
		slices.SortFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
		return edits, changes, err
	}
	if !add {
		return nil, nil, nil
	}
	want, err := d.wanted(rest, fresh)
	if err != nil {
		return nil, nil, err
	}
	return d.add(at, want, rest[0].Item, fresh.Place)
}

// walk follows steps as far as there is something. doubles are further members of the last name.
func (d *Document) walk(from *Node, steps []Step) (at *Node, rest []Step, doubles []*Node, err error) {
	at = from
	for i, s := range steps {
		found, err := d.oneStep(at, &s)
		if err != nil {
			return nil, nil, nil, err
		}
		if len(found) == 0 {
			return at, steps[i:], nil, nil
		}
		if s.Item && len(found) > 1 || found[0].Kind == Element && len(found) > 1 {
			return nil, nil, nil, several(d, found)
		}
		if at = found[0]; i == len(steps)-1 {
			doubles = found[1:]
		}
	}
	return at, nil, doubles, nil
}

// several is the error of a step that leads to more than one value.
func several(d *Document, found []*Node) error {
	const most = 4
	var paths []string
	for _, n := range found[:min(len(found), most)] {
		paths = append(paths, d.Path(n))
	}
	if len(found) > most {
		paths = append(paths, "…")
	}
	return misfit("this path leads to %d values: %s; say what the one has, or select all of them by at", len(found), strings.Join(paths, ", "))
}

// oneStep returns the members of a node that a step leads to.
func (d *Document) oneStep(at *Node, s *Step) (found []*Node, err error) {
	switch {
	case at.Kind == Alias:
		return nil, misfit("%s stands for a value that is elsewhere", d.Path(at))
	case s.Every:
		return nil, misfit("[*] leads to all rows of a table, and this is none: say at '$[*]' settle value '@…'")
	case s.Item && at.Kind == Null:
		return nil, nil
	case s.Item && at.Kind != Array:
		return nil, misfit("%s is %s, and has no items", d.Path(at), at.Kind.An())
	case s.Numbered && at.Kind == Array:
		if s.Index < len(at.Members) {
			return at.Members[s.Index : s.Index+1], nil
		}
		remedy := "; settle item adds one to the list"
		if d.Syntax == syntax.CSV {
			remedy = ""
		}
		return nil, misfit("%s has no item %d%s", d.Path(at), s.Index, remedy)
	case s.Numbered:
		return nil, misfit("%s is %s, and has no items", d.Path(at), at.Kind.An())
	case at.Kind == Array && !s.Item:
		return nil, misfit("%s is a list, whose items have no names", d.Path(at))
	case at.Kind != Object && at.Kind != Element && at.Kind != Null && at.Kind != Array:
		return nil, misfit("%s is %s, and has no members", d.Path(at), at.Kind.An())
	}
	for _, m := range at.Members {
		if (s.Item || d.format.fits(s, m)) && d.holdsAll(m, s.With) {
			found = append(found, m)
		}
	}
	return found, nil
}

// holdsAll reports whether what tests look for is in a node.
func (d *Document) holdsAll(n *Node, tests []Test) bool {
	for _, t := range tests {
		if at := d.follow(n, t.Steps); at == nil || !t.is(at) {
			return false
		}
	}
	return true
}

// follow returns the first value that steps by name lead to, or nil.
func (d *Document) follow(n *Node, steps []Step) *Node {
	for _, s := range steps {
		if n.Kind != Object && n.Kind != Element {
			return nil
		}
		i := slices.IndexFunc(n.Members, func(m *Node) bool { return d.format.fits(&s, m) })
		if i < 0 {
			return nil
		}
		n = n.Members[i]
	}
	return n
}

// is reports whether a node has the value.
func (t *Test) is(n *Node) bool {
	if n.Kind >= Element {
		return !n.HasMembers() && n.Text == t.Text
	}
	if n.Kind != t.Kind {
		return false
	}
	if t.Kind == Bool {
		return Truth(n.Text) == Truth(t.Text)
	}
	if t.Kind == Number {
		a, errA := strconv.ParseFloat(n.Text, 64)
		b, errB := strconv.ParseFloat(t.Text, 64)
		return n.Text == t.Text || errA == nil && errB == nil && a == b
	}
	return t.Kind == Null || n.Text == t.Text
}

// Truth reports whether a word for true or false is one for true.
func Truth(word string) bool {
	return strings.ContainsAny(word[:1], "tTyY") || strings.EqualFold(word, "on")
}

// become returns the edits that give a node the value fresh.
func (d *Document) become(n *Node, fresh Fresh) (edit.List, Changes, error) {
	if n.scattered {
		return nil, nil, misfit("%s is not a value in one place", d.Path(n))
	}
	if err := d.format.canBecome(n, fresh.Literal); err != nil {
		return nil, nil, err
	}
	if d.HasExpression(n) && (fresh.Literal || n.HasMembers() || n.Text != fresh.Text) {
		return nil, nil, misfit("%s has an expression of a template in it, and cannot become another value", d.Path(n))
	}
	changes := Changes{}
	if fresh.Literal {
		want, err := d.literal(&Step{Name: n.Name, Attribute: n.Kind == Attribute}, fresh.Text)
		if err != nil {
			return nil, nil, err
		}
		if n.Kind == Element {
			want.Members = append(attributesOf(n), want.Members...)
		}
		if alike(n, want) {
			return nil, changes, nil
		}
		changes.of(n).Becomes = want
		return d.format.written(n, want), changes, nil
	}
	if n.HasMembers() || n.Kind == Alias {
		want := &Node{Kind: String, Name: n.Name, Text: fresh.Text}
		changes.of(n).Becomes = want
		return d.format.written(n, want), changes, nil
	}
	if n.Text == fresh.Text {
		return nil, changes, nil
	}
	v := d.Show(n)
	edits, kind, err := d.Write(v, edit.List{{Start: 0, End: len(v.Text), New: []byte(fresh.Text)}})
	c := changes.of(n)
	c.Text, c.Kind = &fresh.Text, kind
	return edits, changes, err
}

// attributesOf returns the attributes of an element.
func attributesOf(n *Node) (out []*Node) {
	for _, m := range n.Members {
		if m.Kind == Attribute {
			out = append(out, m)
		}
	}
	return out
}

// alike reports whether two values are the same in kind, names and texts.
func alike(a, b *Node) bool {
	if a.Kind != b.Kind || !a.HasMembers() && a.Text != b.Text || a.HasMembers() != b.HasMembers() {
		return false
	}
	of, others := solid(a), solid(b)
	if len(of) != len(others) {
		return false
	}
	for i, m := range of {
		if m.Name != others[i].Name && a.Kind != Array || !alike(m, others[i]) {
			return false
		}
	}
	return true
}

// scalar returns a text in the notation of the siblings of n.
func (d *Document) scalar(n *Node, text string) string {
	n.Kind = String
	if p := n.Parent; p != nil {
		for _, m := range p.Members {
			if m.Kind == String && !m.HasMembers() && m.style <= singleQuoted {
				n.style = m.style
			}
		}
	}
	c := d.format
	if n.style == plainStyle {
		n.style = c.traits().fresh
	}
	for _, raw := range c.forms(n, text, String) {
		if got, kind, ok := c.reads(n, raw); ok && got == text && kind == String {
			return raw
		}
	}
	return `"` + escaped(text, jsonEscapes) + `"`
}

// wanted returns the member that is to be added: the first of the missing steps, with the others
// and what settles them in it.
func (d *Document) wanted(steps []Step, fresh Fresh) (*Node, error) {
	n, err := d.leaf(&steps[len(steps)-1], fresh)
	if err != nil {
		return nil, err
	}
	for i := len(steps) - 1; i >= 0; i-- {
		s := &steps[i]
		switch {
		case s.Numbered:
			return nil, misfit("there is no list to have an item %d", s.Index)
		case s.Item && i < len(steps)-1:
			inner := n.Members
			n.Members = nil
			if d.hold(n, s.With); !steps[i+1].Item && d.follow(n, steps[i+1:i+2]) != nil {
				return nil, misfit("%s is what the item is found by", steps[i+1].Name)
			}
			for _, m := range inner {
				n.add(m)
			}
		case s.Item && !d.holdsAll(n, s.With):
			return nil, misfit("what would be added does not hold what the path looks for")
		case !s.Item:
			n.Name = s.Name
			inner := n.Members
			n.Members = nil
			d.hold(n, s.With)
			for _, m := range inner {
				n.add(m)
			}
		}
		if i > 0 {
			outer := &Node{Kind: d.format.newKind(&steps[i-1], true)}
			if s.Item {
				outer.Kind = Array
			}
			outer.add(n)
			n = outer
		}
	}
	return n, nil
}

// leaf returns the value that is to be added.
func (d *Document) leaf(s *Step, fresh Fresh) (*Node, error) {
	if fresh.Literal {
		return d.literal(s, fresh.Text)
	}
	return &Node{Kind: d.format.newKind(s, false), Text: fresh.Text}, nil
}

// hold gives a new node what tests look for.
func (d *Document) hold(n *Node, tests []Test) {
	for _, t := range tests {
		at := n
		for i := range t.Steps {
			s, last := &t.Steps[i], i == len(t.Steps)-1
			if next := d.follow(at, t.Steps[i:i+1]); next != nil {
				at = next
				continue
			}
			m := &Node{Kind: d.format.newKind(s, !last), Name: s.Name}
			if last && t.Kind != String {
				m.Kind = t.Kind
			}
			if at.add(m); m.Kind == Attribute { // which come first
				attributes := len(attributesOf(at))
				at.Members = slices.Insert(at.Members[:len(at.Members)-1], attributes-1, m)
			}
			at = m
		}
		at.Text = t.Text
		if t.Kind != String {
			at.raw = t.Text
		}
	}
}

// SettleItem returns the edits after which the list at steps below a node contains exactly one item equal to
// fresh. A missing list is added. The errors are those of Settle.
func (d *Document) SettleItem(from *Node, steps []Step, fresh Fresh, add bool) (edit.List, Changes, error) {
	if !d.format.traits().lists {
		return nil, nil, misfit("a %s file has no lists", d.Syntax)
	}
	at, rest, _, err := d.walk(from, steps)
	if err != nil {
		return nil, nil, err
	}
	want, err := d.leaf(&Step{}, fresh)
	if err != nil {
		return nil, nil, err
	}
	switch {
	case len(rest) > 0 && !add, at.Kind == Null && !add:
		return nil, nil, nil
	case len(rest) > 0:
		outer, err := d.wanted(rest, Fresh{})
		if err != nil {
			return nil, nil, err
		}
		list := outer
		for list.HasMembers() {
			list = list.Members[len(list.Members)-1]
		}
		list.Kind, list.Text = Array, ""
		list.add(want)
		return d.add(at, outer, rest[0].Item, fresh.Place)
	case at.Kind == Null:
		return d.add(at, want, true, Place{})
	case at.Kind != Array:
		return nil, nil, misfit("%s is not a list of values", d.Path(at))
	}
	var found []*Node
	for _, m := range at.Members {
		if alike(m, want) {
			found = append(found, m)
		}
	}
	switch {
	case len(found) == 1:
		return nil, Changes{}, nil
	case len(found) > 1:
		return d.Delete(found[1:])
	case !add:
		return nil, nil, nil
	}
	return d.add(at, want, true, fresh.Place)
}

// AnyLiteral reports whether a text is a valid literal in some syntax of a family of paths.
func AnyLiteral(text string, family syntax.Family) bool {
	for _, name := range syntax.Names() {
		d := &Document{lists: -1}
		d.Syntax, _ = syntax.Named(name)
		if d.format = formatOf(d, d.Syntax); d.Syntax.Family() != family {
			continue
		}
		if _, err := d.literal(&Step{Name: "x"}, text); err == nil {
			return true
		}
	}
	return false
}

// literal parses a literal of the document's syntax as the value at a step.
func (d *Document) literal(s *Step, text string) (*Node, error) {
	text = strings.ReplaceAll(text, "\r\n", "\n")
	n, err := d.format.literal(s, text)
	var syntax *SyntaxError
	if errors.As(err, &syntax) {
		return nil, misfit("%s: %v", excerpt(text), err)
	}
	return n, err
}

// asWritten returns the values of a parsed literal as ones to be added, each with its notation.
func asWritten(n *Node, text string) *Node {
	fresh := *n
	fresh.raw, fresh.Members = text[n.Start:n.End], nil
	for _, m := range n.Members {
		fresh.add(asWritten(m, text))
	}
	fresh.Parent, fresh.Anchor, fresh.Tag, fresh.keyNode, fresh.places = nil, n.Anchor, n.Tag, nil, nil
	fresh.Start, fresh.End, fresh.Key, fresh.KeyEnd = 0, 0, 0, 0
	return &fresh
}
