package tree

import (
	"errors"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// Step is one step of a path that names one place: a member by its name, an item by its index from
// 0, or in XML an element, with attributes that it must have, or an attribute.
type Step struct {
	Name      string
	Index     int
	Numbered  bool // by Index
	Attribute bool
	With      [][2]string // attributes and their values
}

// Fresh is the new value of settle: a text, or a literal of the syntax.
type Fresh struct {
	Text    string
	Literal bool
}

// Settle returns the edits after which the path steps below a node leads to exactly one value, fresh. It changes
// the existing value, deletes further members of the same names, and, if add is true, adds missing members and
// parents. It returns no edits if nothing is to be done. The error is a *MisfitError or a *CannotHoldError.
func (d *Document) Settle(from *Node, steps []Step, fresh Fresh, add bool) (edit.List, Changes, error) {
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
	return d.add(at, want, fresh)
}

// walk follows steps as far as there is something. doubles are further members of the last name.
func (d *Document) walk(from *Node, steps []Step) (at *Node, rest []Step, doubles []*Node, err error) {
	at = from
	for i, s := range steps {
		if at.Kind == Alias {
			return nil, nil, nil, misfit("%s stands for a value that is elsewhere", d.Path(at))
		}
		var found []*Node
		switch {
		case s.Numbered && at.Kind == Array:
			if s.Index < len(at.Members) {
				found = at.Members[s.Index : s.Index+1]
				break
			}
			remedy := "; settle item adds one to the list"
			if d.Syntax == syntax.CSV {
				remedy = ""
			}
			return nil, nil, nil, misfit("%s has no item %d%s", d.Path(at), s.Index, remedy)
		case s.Numbered:
			return nil, nil, nil, misfit("%s is %s, and has no items", d.Path(at), at.Kind.An())
		case at.Kind == Array:
			return nil, nil, nil, misfit("%s is a list, whose items have no names", d.Path(at))
		case at.Kind != Object && at.Kind != Element && at.Kind != Null:
			return nil, nil, nil, misfit("%s is %s, and has no members", d.Path(at), at.Kind.An())
		default:
			for _, m := range at.Members {
				if d.format.fits(&s, m) {
					found = append(found, m)
				}
			}
		}
		if len(found) == 0 {
			return at, steps[i:], nil, nil
		}
		if at = found[0]; i == len(steps)-1 && at.Kind != Element {
			doubles = found[1:]
		}
	}
	return at, nil, doubles, nil
}

// become returns the edits that give a node the value fresh.
func (d *Document) become(n *Node, fresh Fresh) (edit.List, Changes, error) {
	if n.scattered {
		return nil, nil, misfit("%s is not a value in one place", d.Path(n))
	}
	if err := d.format.canBecome(n, fresh.Literal); err != nil {
		return nil, nil, err
	}
	changes := Changes{}
	if fresh.Literal {
		want, err := d.literal(fresh.Text)
		if err != nil {
			return nil, nil, err
		}
		if alike(n, want) {
			return nil, changes, nil
		}
		changes.of(n).Becomes = want
		return d.format.written(n, fresh.Text), changes, nil
	}
	if n.HasMembers() || n.Kind == Alias {
		want := &Node{Kind: String, Name: n.Name, Text: fresh.Text}
		changes.of(n).Becomes = want
		return d.format.written(n, d.scalar(&Node{Parent: n.Parent}, fresh.Text)), changes, nil
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

// alike reports whether two values are the same in kind, names and texts.
func alike(a, b *Node) bool {
	if a.Kind != b.Kind || !a.HasMembers() && a.Text != b.Text || len(a.Members) != len(b.Members) {
		return false
	}
	for i := range a.Members {
		if a.Members[i].Name != b.Members[i].Name && a.Kind == Object || !alike(a.Members[i], b.Members[i]) {
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
	var n *Node
	switch {
	case fresh.Literal:
		of, err := d.literal(fresh.Text)
		if err != nil {
			return nil, err
		}
		copied := *of
		n = &copied
	default:
		n = &Node{Kind: d.format.newKind(&steps[len(steps)-1], false), Text: fresh.Text}
	}
	for i := len(steps) - 1; i >= 0; i-- {
		s := steps[i]
		if s.Numbered {
			return nil, misfit("there is no list to have an item %d", s.Index)
		}
		n.Name = s.Name
		for k := len(s.With) - 1; k >= 0; k-- {
			w := s.With[k]
			n.Members = slices.Insert(n.Members, 0, &Node{Kind: Attribute, Name: w[0], Text: w[1], Parent: n})
		}
		if i > 0 {
			outer := &Node{Kind: d.format.newKind(&steps[i-1], true)}
			outer.add(n)
			n = outer
		}
	}
	return n, nil
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
	want := &Node{Kind: String, Text: fresh.Text}
	if fresh.Literal {
		if want, err = d.literal(fresh.Text); err != nil {
			return nil, nil, err
		}
	}
	if len(rest) > 0 || at.Kind == Null {
		if !add {
			return nil, nil, nil
		}
		list := &Node{Kind: Array}
		list.add(want)
		raw := "[" + d.item(want, fresh) + "]"
		if len(rest) == 0 {
			changes := Changes{}
			changes.of(at).Becomes = list
			return d.format.written(at, raw), changes, nil
		}
		outer, err := d.wanted(rest, Fresh{raw, true})
		if err != nil {
			return nil, nil, err
		}
		return d.add(at, outer, Fresh{raw, true})
	}
	if at.Kind != Array || at.scattered {
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
	changes := Changes{}
	changes.of(at).Added = []*Node{want}
	edits, err := d.format.insert(at, func(string, string) string { return d.item(&Node{Kind: String, Parent: at}, fresh) })
	return edits, changes, err
}

func (d *Document) item(n *Node, fresh Fresh) string {
	if fresh.Literal {
		return fresh.Text
	}
	return d.scalar(&Node{Parent: n.Parent}, fresh.Text)
}

// AnyLiteral reports whether a text is a valid literal in some syntax.
func AnyLiteral(text string) bool {
	for _, name := range syntax.Names() {
		d := &Document{}
		d.Syntax, _ = syntax.Named(name)
		d.format = formatOf(d, d.Syntax)
		if _, err := d.literal(text); err == nil {
			return true
		}
	}
	return false
}

// literal parses a literal of the document's syntax.
func (d *Document) literal(text string) (*Node, error) {
	n, err := d.format.literal(text)
	var syntax *SyntaxError
	if errors.As(err, &syntax) {
		return nil, misfit("%s: %v", excerpt(text), err)
	}
	return n, err
}
