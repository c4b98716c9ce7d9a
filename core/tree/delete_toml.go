package tree

import (
	"strings"

	"frizzel/core/edit"
)

// deleteTOML takes members of tables away, which may stand in several places.
func (d *Document) deleteTOML(parent *Node, nodes []*Node) (edits edit.List, err error) {
	if inFlow(parent) {
		return nil, misfit("%s is part of a dotted key in an inline table", d.Path(nodes[0]))
	}
	if len(nodes) == len(parent.Members) && parent.scattered && parent.header.end == 0 {
		return d.emptyTOML(parent, nodes)
	}
	for _, n := range nodes {
		for _, p := range d.tomlPlaces(n) {
			start, end, ok := d.wholeLines(p.start, p.end, "#")
			if !ok {
				start, end = p.start, p.end
			}
			edits = append(edits, edit.Edit{Start: start, End: end})
		}
	}
	return edits, nil
}

// inFlow reports whether a node lies between brackets.
func inFlow(n *Node) bool {
	for ; n != nil; n = n.Parent {
		if n.style == flow {
			return true
		}
	}
	return false
}

// emptyTOML takes all members away of a table that has no header, and leaves it as an empty one.
func (d *Document) emptyTOML(parent *Node, nodes []*Node) (edits edit.List, err error) {
	w := &memberWriter{Document: d}
	path := w.tablePath(parent)
	if parent.Kind == Array || path == nil {
		return nil, misfit("a list of tables cannot be empty; delete %s", d.Path(parent))
	}
	fresh := "[" + strings.Join(path, ".") + "]"
	if w.dotted(parent) {
		first := parent.places[0].start
		fresh = d.raw(first, parent.KeyEnd) + " = {}"
	}
	for _, n := range nodes {
		for _, p := range d.tomlPlaces(n) {
			if len(edits) == 0 {
				edits = append(edits, edit.Edit{Start: p.start, End: p.end, New: []byte(fresh)})
				continue
			}
			start, end, _ := d.wholeLines(p.start, p.end, "#")
			edits = append(edits, edit.Edit{Start: start, End: end})
		}
	}
	return edits, nil
}

// tomlPlaces returns all bytes of a member: its line, or the lines of its headers with what stands
// below them, and of all tables within.
func (d *Document) tomlPlaces(n *Node) (all []place) {
	if n.scattered {
		if n.header.end > n.header.start {
			end := n.header.end
			if n.End > n.Start { // lines below it
				end = n.End
			}
			all = append(all, place{n.header.start, end})
		}
		for _, m := range n.Members {
			if n.header.end > 0 && !m.scattered { // on one of its lines
				continue
			}
			all = append(all, d.tomlPlaces(m)...)
		}
		return all
	}
	if len(n.places) > 0 {
		return n.places
	}
	start, end := n.span()
	return []place{{start, end}}
}
