package tree

import (
	"strings"

	"frizzel/core/edit"
)

// deleteBlock takes members of YAML away that stand by their indentation.
func (d *Document) deleteBlock(parent *Node, nodes []*Node) (edits edit.List, err error) {
	if len(nodes) == len(parent.Members) {
		empty := "{}"
		if parent.Kind == Array {
			empty = "[]"
		}
		start, _ := parent.Members[0].span()
		if parent.Kind == Array {
			start = parent.Inner
		}
		end := d.lineEnd(parent.End)
		if from := d.lineStart(start); strings.TrimSpace(d.raw(from, start)) == "" && parent.Parent != nil { // behind its key's line
			before := d.lineEnd(max(from-1, 0))
			for strings.TrimSpace(d.raw(d.lineStart(before), before)) == "" && before > 0 {
				before = d.lineEnd(max(d.lineStart(before)-1, 0))
			}
			if key := strings.TrimRight(d.raw(d.lineStart(before), before), " \t"); strings.HasSuffix(key, ":") || strings.HasSuffix(key, "-") || parent.Anchor != "" || parent.Tag != "" {
				return edit.List{{Start: before, End: end, New: []byte(" " + empty)}}, nil
			}
		}
		return edit.List{{Start: start, End: end, New: []byte(empty)}}, nil
	}
	for _, n := range nodes {
		start, end := n.span()
		if parent.Kind == Array {
			if start = d.dash(parent, n); start < 0 {
				return nil, misfit("where %s begins cannot be told", d.Path(n))
			}
		}
		if from, to, ok := d.wholeLines(start, end, "#"); ok {
			edits = append(edits, edit.Edit{Start: from, End: to})
			continue
		}
		// The first of members that begin behind a dash: the next one takes its place.
		i := n.Index()
		if i+1 >= len(parent.Members) {
			return nil, misfit("%s does not stand on lines of its own", d.Path(n))
		}
		next := parent.Members[i+1]
		to, _ := next.span()
		if parent.Kind == Array {
			to = d.dash(parent, next)
		}
		if to < 0 {
			return nil, misfit("where %s begins cannot be told", d.Path(next))
		}
		edits = append(edits, edit.Edit{Start: start, End: to})
	}
	return edits, nil
}

// dash returns where the dash of an item stands; -1 where that cannot be told.
func (d *Document) dash(parent, n *Node) int {
	column := d.indent(parent)
	for at := d.lineStart(n.Start); ; at = d.lineStart(at - 1) {
		line := at
		for i := 0; i < column && line < len(d.Text) && d.Text[line] != '\n'; i++ {
			line++
		}
		if line < len(d.Text) && d.Text[line] == '-' && line <= n.Start {
			return line
		}
		if at == 0 {
			return -1
		}
	}
}
