package tree

import (
	"fmt"
	"slices"

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
	raw, err := d.format.key(n, name)
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
	d.format.renamed(n, name, changes)
	slices.SortFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	return edits, changes, nil
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
