package tree

import (
	"slices"
	"strings"

	"frizzel/core/syntax"

	"frizzel/core/edit"
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

// Fresh is what settles a value: a text, or what stands for it in the syntax.
type Fresh struct {
	Text    string
	Literal bool
}

// Settle returns the edits that give exactly one place below a node a value: what is there becomes
// it, further members of the same names go, and what is missing is added, with missing parents,
// unless add is not set. No edits mean that it is so already. The error is a *MisfitError or a
// *CannotHoldError.
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
			} else {
				return nil, nil, nil, misfit("%s has no item %d", d.Path(at), s.Index)
			}
		case s.Numbered:
			return nil, nil, nil, misfit("%s is %s, and has no items", d.Path(at), at.Kind.An())
		case at.Kind == Array && d.Syntax != syntax.XML:
			return nil, nil, nil, misfit("%s is a list, whose items have no names", d.Path(at))
		case at.Kind != Object && at.Kind != Element && at.Kind != Null:
			return nil, nil, nil, misfit("%s is %s, and has no members", d.Path(at), at.Kind.An())
		default:
			for _, m := range at.Members {
				if s.fits(m, d.Syntax) {
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

func (s *Step) fits(n *Node, of syntax.Syntax) bool {
	if of != syntax.XML {
		return n.Name == s.Name
	}
	kind := Element
	if s.Attribute {
		kind = Attribute
	}
	_, local, prefixed := strings.Cut(n.Name, ":")
	if n.Kind != kind || n.Name != s.Name && !(prefixed && local == s.Name && kind == Element) {
		return false
	}
	for _, w := range s.With {
		if !slices.ContainsFunc(n.Members, func(m *Node) bool { return m.Kind == Attribute && m.Name == w[0] && m.Text == w[1] }) {
			return false
		}
	}
	return true
}

// become returns the edits that make a node what settles it.
func (d *Document) become(n *Node, fresh Fresh) (edit.List, Changes, error) {
	switch {
	case n.scattered:
		return nil, nil, misfit("%s is not a value in one place", d.Path(n))
	case n.Parent == nil && d.Syntax != syntax.JSON && d.Syntax != syntax.YAML:
		return nil, nil, misfit("a whole %s file cannot become a value", d.Syntax)
	case n.HasMembers() && (d.Syntax == syntax.CSV || d.Syntax == syntax.BareCSV):
		return nil, nil, misfit("a row cannot become a value; say which of its cells")
	case n.Tag != "":
		return nil, nil, misfit("%s says its kind itself, by %s", d.Path(n), n.Tag)
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
		return d.written(n, fresh.Text), changes, nil
	}
	if n.HasMembers() || n.Kind == Alias {
		if d.Syntax == syntax.XML {
			return nil, nil, misfit("%s holds other elements", d.Path(n))
		}
		want := &Node{Kind: String, Name: n.Name, Text: fresh.Text}
		changes.of(n).Becomes = want
		return d.written(n, d.scalar(&Node{Parent: n.Parent}, fresh.Text)), changes, nil
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

// literal reads what stands for a value in the syntax.
func (d *Document) literal(text string) (*Node, error) {
	var made *Document
	var err error
	switch d.Syntax {
	case syntax.JSON:
		made, err = Parse(syntax.JSON, []byte(text))
		if err == nil && d.strict && !made.strict {
			return nil, misfit("%s is not strict JSON, as the file is", excerpt(text))
		}
	case syntax.YAML:
		made, err = Parse(syntax.YAML, []byte(text))
		if err == nil && (len(made.Roots) != 1 || made.Roots[0].End < len(strings.TrimSpace(text))) {
			return nil, misfit("%s is not one value of YAML", excerpt(text))
		}
	case syntax.TOML:
		made, err = Parse(syntax.TOML, []byte("x = "+text))
		if err == nil && len(made.Roots[0].Members) != 1 {
			return nil, misfit("%s is not one value of TOML", excerpt(text))
		}
		if err == nil {
			n := made.Roots[0].Members[0]
			n.Name = ""
			return n, nil
		}
	default:
		return nil, misfit("a %s file has no literals", d.Syntax)
	}
	if err != nil {
		return nil, misfit("%s: %v", excerpt(text), err)
	}
	return made.Roots[0], nil
}

// written returns the edit that puts raw in the place of a value.
func (d *Document) written(n *Node, raw string) edit.List {
	start := n.Start
	if n.Kind != Alias && d.Syntax == syntax.YAML {
		start = n.Inner
	}
	if d.Syntax == syntax.YAML && n.Start == n.End {
		raw = yamlCodec{d}.spaced(n, raw)
	}
	if d.Syntax == syntax.YAML && n.HasMembers() && n.style != flow && n.Parent != nil && n.Parent.Kind == Object { // up to its key
		for start > 0 && strings.IndexByte(" \t\r\n", d.Text[start-1]) >= 0 {
			start--
		}
		raw = " " + raw
	}
	return d.replaced(start, n.End, raw)
}

// scalar writes a text as siblings of a place would stand.
func (d *Document) scalar(n *Node, text string) string {
	n.Kind = String
	if p := n.Parent; p != nil {
		for _, m := range p.Members {
			if m.Kind == String && !m.HasMembers() && m.style <= singleQuoted {
				n.style = m.style
			}
		}
	}
	if d.Syntax == syntax.TOML && n.style == plainStyle {
		n.style = doubleQuoted
	}
	c := d.codec()
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
	case d.Syntax == syntax.XML:
		n = &Node{Kind: Element, Text: fresh.Text}
		if steps[len(steps)-1].Attribute {
			n.Kind = Attribute
		}
	default:
		n = &Node{Kind: String, Text: fresh.Text}
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
			outer := &Node{Kind: Object}
			if d.Syntax == syntax.XML {
				outer.Kind = Element
			}
			outer.add(n)
			n = outer
		}
	}
	return n, nil
}

// SettleItem returns the edits after which the list below a node holds exactly one item that is
// equal to what is given. The list is made where it is missing. The errors are those of Settle.
func (d *Document) SettleItem(from *Node, steps []Step, fresh Fresh, add bool) (edit.List, Changes, error) {
	if d.Syntax == syntax.XML || d.Syntax == syntax.CSV || d.Syntax == syntax.BareCSV {
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
			return d.written(at, raw), changes, nil
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
	edits, err := d.addMember(at, func(string, string) string { return d.item(&Node{Kind: String, Parent: at}, fresh) })
	return edits, changes, err
}

func (d *Document) item(n *Node, fresh Fresh) string {
	if fresh.Literal {
		return fresh.Text
	}
	return d.scalar(&Node{Parent: n.Parent}, fresh.Text)
}

// AnyLiteral reports whether a text stands for a value in some syntax that has literals.
func AnyLiteral(text string) bool {
	for _, s := range []syntax.Syntax{syntax.JSON, syntax.YAML, syntax.TOML} {
		if _, err := (&Document{Syntax: s}).literal(text); err == nil {
			return true
		}
	}
	return false
}
