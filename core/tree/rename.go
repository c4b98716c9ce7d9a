package tree

import (
	"fmt"
	"slices"
	"strings"

	"frizzel/core/syntax"

	"frizzel/core/edit"
)

// MisfitError is the error of a change that a document has no place for.
type MisfitError struct{ Reason string }

func (e *MisfitError) Error() string { return e.Reason }

func misfit(format string, args ...any) error { return &MisfitError{fmt.Sprintf(format, args...)} }

// Rename returns the edits that give a member another name: a key, an element's or attribute's
// name, or a column's header. The error is a *MisfitError.
func (d *Document) Rename(n *Node, name string) (edit.List, Changes, error) {
	if n.Parent == nil || n.Key == n.KeyEnd {
		return nil, nil, misfit("%s here has no name of its own", n.Kind.An())
	}
	for _, m := range n.Parent.Members {
		if m != n && m.Name == name && (n.Kind != Element && m.Kind != Element) {
			return nil, nil, misfit("%s has a sibling of that name already", d.Path(n))
		}
	}
	raw, err := d.key(n, name)
	if err != nil {
		return nil, nil, err
	}
	changes := Changes{}
	changes.of(n).Name = &name
	if n.Name == name {
		return nil, changes, nil
	}
	edits := d.replaced(n.Key, n.KeyEnd, raw)
	for _, k := range n.keys {
		edits = append(edits, d.replaced(k.start, k.end, raw)...)
	}
	if n.Kind == Element && n.InnerEnd < n.End {
		at := n.InnerEnd + len("</")
		edits = append(edits, d.replaced(at, at+len(n.Name), raw)...)
	}
	if d.Syntax == syntax.CSV { // every cell of the column is named by its header
		column := n.Index()
		for _, row := range d.Roots[0].Members {
			if column < len(row.Members) {
				changes.of(row.Members[column]).Name = &name
			}
		}
	}
	slices.SortFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	return edits, changes, nil
}

// key writes a name in the place of a member's.
func (d *Document) key(n *Node, name string) (string, error) {
	switch d.Syntax {
	case syntax.JSON:
		return `"` + escaped(name, jsonEscapes) + `"`, nil
	case syntax.TOML:
		return d.tomlName(n, name), nil
	case syntax.XML:
		made, err := Parse(syntax.XML, []byte("<x "+name+`="" />`))
		if err != nil || len(made.Roots[0].Members[0].Members) != 1 || made.Roots[0].Members[0].Members[0].Name != name {
			if prefix, local, ok := strings.Cut(name, ":"); !ok || !nameOfXML(prefix) || !nameOfXML(local) {
				return "", misfit("%q is not a valid XML name", name)
			}
		}
		return name, nil
	case syntax.YAML:
		return d.yamlName(n, name)
	}
	return csvCodec{d}.forms(&Node{style: d.quoted(n.Key), Parent: n.Parent}, name, String)[0], nil
}

func nameOfXML(s string) bool {
	_, err := Parse(syntax.XML, []byte("<"+s+"/>"))
	return err == nil && !strings.ContainsAny(s, " \t\r\n/>")
}

// quoted returns the style of what begins at a byte.
func (d *Document) quoted(at int) style {
	switch {
	case at >= len(d.Text):
	case d.Text[at] == '"':
		return doubleQuoted
	case d.Text[at] == '\'':
		return singleQuoted
	}
	return plainStyle
}

// tomlName writes a key in the quotes of another one, at n.
func (d *Document) tomlName(n *Node, name string) string {
	switch raw := tomlKey(name); d.quoted(n.Key) {
	case doubleQuoted:
		return `"` + escaped(name, jsonEscapes) + `"`
	case singleQuoted:
		if !strings.ContainsAny(name, "'\n\r") {
			return "'" + name + "'"
		}
		return raw
	default:
		return raw
	}
}

// yamlName writes a key as the one of n is written.
func (d *Document) yamlName(n *Node, name string) (string, error) {
	if n.keyNode != nil && n.keyNode.HasMembers() {
		return "", misfit("the key of %s is not text", d.Path(n))
	}
	c := yamlCodec{d}
	for _, raw := range c.forms(&Node{style: d.quoted(n.Key), Kind: String}, name, String) {
		made, err := Parse(syntax.YAML, []byte(raw+": 1\n"))
		if err == nil && len(made.Roots) == 1 && len(made.Roots[0].Members) == 1 && made.Roots[0].Members[0].Name == name {
			return raw, nil
		}
	}
	return "", misfit("%q cannot be a key", name)
}
