package tree

import (
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Delete returns the edits that take nodes away, none of which lies in another: members with their
// separators, the comment on their line, and their line where they have one alone. If that would
// take all that a parent has, it stays as an empty one. The error is a *MisfitError.
func (d *Document) Delete(nodes []*Node) (edit.List, Changes, error) {
	changes := Changes{}
	var edits edit.List
	for from := 0; from < len(nodes); {
		to := from + 1
		for to < len(nodes) && nodes[to].Parent == nodes[from].Parent {
			to++
		}
		some, err := d.deleteOf(nodes[from].Parent, nodes[from:to])
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, some...)
		from = to
	}
	for _, n := range nodes {
		changes.of(n).Removed = true
	}
	slices.SortStableFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	var out edit.List
	for _, e := range edits { // which may meet
		if n := len(out); n > 0 && e.Start < out[n-1].End {
			out[n-1].End = max(out[n-1].End, e.End)
			out[n-1].New = append(out[n-1].New, e.New...)
			continue
		}
		out = append(out, e)
	}
	return out, changes, nil
}

func (d *Document) deleteOf(parent *Node, nodes []*Node) (edit.List, error) {
	if parent == nil {
		return nil, misfit("a whole document cannot be deleted")
	}
	return d.format.remove(parent, nodes)
}

// wholeLines widens bytes to their lines, with the last one's ending, if nothing but white space
// and perhaps a comment stands beside them.
func (d *Document) wholeLines(start, end int, comments ...string) (int, int, bool) {
	from := start
	for from > 0 && (d.Text[from-1] == ' ' || d.Text[from-1] == '\t') {
		from--
	}
	if from > 0 && d.Text[from-1] != '\n' { // asked first: a line may be a whole file
		return start, end, false
	}
	to := d.lineEnd(end)
	behind := strings.TrimLeft(d.raw(end, to), " \t")
	comment := behind == ""
	for _, c := range comments {
		comment = comment || strings.HasPrefix(behind, c) || c == "//" && strings.HasPrefix(behind, "/*") && strings.HasSuffix(behind, "*/")
	}
	if !comment {
		return start, end, false
	}
	return from, lines.Next(d.Text, to, len(d.Text)), true
}

// span returns the bytes of a member with its name.
func (n *Node) span() (int, int) {
	start, end := n.Start, n.End
	if n.KeyEnd > n.Key {
		start, end = min(start, n.Key), max(end, n.KeyEnd)
	}
	if n.keyNode != nil {
		start = min(start, n.keyNode.Start)
	}
	return start, end
}

// comma returns where the comma behind a byte stands, past white space and comments; -1 where none
// does before end.
func (d *Document) comma(at, end int) int {
	for at < end {
		switch c := d.Text[at]; c {
		case ',':
			return at
		case ' ', '\t', '\r', '\n':
			at++
		default:
			past := d.format.pastComment(at)
			if past == at {
				return -1
			}
			at = past
		}
	}
	return -1
}

// deleteFlow takes members away that stand between brackets, with commas between them.
func (d *Document) deleteFlow(parent *Node, nodes []*Node) (edits edit.List) {
	gone := map[*Node]bool{}
	for _, n := range nodes {
		gone[n] = true
	}
	open, closing := d.brackets(parent)+1, parent.End-1
	if len(nodes) == len(parent.Members) && !d.commented(open, closing) {
		return edit.List{{Start: open, End: closing}}
	}
	last := len(parent.Members) - 1 // that stays
	for last >= 0 && gone[parent.Members[last]] {
		last--
	}
	if last >= 0 && last < len(parent.Members)-1 && d.comma(lastEnd(parent), closing) < 0 {
		_, end := parent.Members[last].span()
		if comma := d.comma(end, closing); comma >= 0 { // no comma stood behind the last one
			edits = append(edits, edit.Edit{Start: comma, End: comma + 1})
		}
	}
	for _, m := range nodes {
		start, end := m.span()
		comma := d.comma(end, closing)
		if comma >= 0 {
			end = comma + 1
		}
		if from, to, ok := d.wholeLines(start, end, "#", "//"); ok && to <= closing {
			edits = append(edits, edit.Edit{Start: from, End: to})
			continue
		}
		for end < closing && (d.Text[end] == ' ' || d.Text[end] == '\t') && comma >= 0 {
			end++
		}
		if comma < 0 || m.Index() > last || d.endsLine(end) { // what separates it from the one before goes
			for start > open && strings.IndexByte(" \t", d.Text[start-1]) >= 0 {
				start--
			}
		}
		edits = append(edits, edit.Edit{Start: start, End: end})
	}
	return edits
}

// endsLine reports whether a line's ending, or the text's end, stands at a byte.
func (d *Document) endsLine(at int) bool {
	rest := d.Text[at:]
	return len(rest) == 0 || rest[0] == '\n' || rest[0] == '\r' && len(rest) > 1 && rest[1] == '\n'
}

func lastEnd(parent *Node) int {
	_, end := parent.Members[len(parent.Members)-1].span()
	return end
}

// brackets returns where a node's own brackets begin, behind an anchor or a tag.
func (d *Document) brackets(n *Node) int {
	at := n.Start
	for at < n.End && d.Text[at] != '[' && d.Text[at] != '{' {
		at++
	}
	return at
}

// commented reports whether a comment stands between brackets.
func (d *Document) commented(start, end int) bool {
	for at := start; at < end; at++ {
		if d.format.pastComment(at) > at {
			return true
		}
	}
	return false
}
