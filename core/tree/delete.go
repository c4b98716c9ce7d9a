package tree

import (
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Delete returns the edits that delete nodes, none of which contains another. A member is deleted with its
// separator, the comment on its line, and its line if it is alone there. A parent whose last member is deleted
// stays as an empty one. The error is a *MisfitError.
func (d *Document) Delete(nodes []*Node) (edit.List, Changes, error) {
	if c, ok := d.format.(csvFormat); ok && len(nodes) > 0 && !nodes[0].HasMembers() {
		return c.removeCells(nodes)
	}
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

// wholeLines extends a range to whole lines, if only whitespace and a comment are next to it on its lines.
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

// comma returns the offset of the comma after at, past whitespace and comments, or -1 if there is none before end.
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

// deleteFlow deletes members between brackets, which are separated by commas.
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
		if comma := d.comma(end, closing); comma >= 0 { // the last member need not have a comma
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
		if behind := d.behindComment(end, closing); behind > end { // which is the member's
			end = behind
			if strings.TrimLeft(d.raw(open, start), " \t") == "" && m.Index() < last { // the next one takes its place
				end += len(d.raw(end, closing)) - len(strings.TrimLeft(d.raw(end, closing), " \t\r\n"))
			}
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

// behindComment returns the end of the comment that stands between a byte and the end of its line, or the byte if there is
// none, or more.
func (d *Document) behindComment(at, closing int) int {
	end := at
	for end < closing && (d.Text[end] == ' ' || d.Text[end] == '\t') {
		end++
	}
	if end == closing {
		return at
	}
	past := d.format.pastComment(end)
	past -= len(lines.Ending(d.Text[end:past]))
	if past == end || past > closing || !d.endsLine(past) {
		return at
	}
	return past
}

// endsLine reports whether at is the end of a line or of the text.
func (d *Document) endsLine(at int) bool {
	rest := d.Text[at:]
	return len(rest) == 0 || rest[0] == '\n' || rest[0] == '\r' && len(rest) > 1 && rest[1] == '\n'
}

func lastEnd(parent *Node) int {
	_, end := parent.Members[len(parent.Members)-1].span()
	return end
}

// brackets returns the offset of a node's opening bracket, after an anchor or a tag.
func (d *Document) brackets(n *Node) int {
	at := n.Start
	for at < n.End && d.Text[at] != '[' && d.Text[at] != '{' {
		at++
	}
	return at
}

// commented reports whether there is a comment between brackets.
func (d *Document) commented(start, end int) bool {
	for at := start; at < end; at++ {
		if d.format.pastComment(at) > at {
			return true
		}
	}
	return false
}
