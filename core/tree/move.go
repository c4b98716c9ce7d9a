package tree

import (
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Move returns the edits that put members of one parent elsewhere among their siblings, in the order that they have, each
// with the comments directly above it and the one on its line. The error is a *MisfitError.
func (d *Document) Move(nodes []*Node, place Place) (edit.List, Changes, error) {
	parent := nodes[0].Parent
	if parent == nil || nodes[0].Kind == Attribute || nodes[0].Kind == Characters {
		return nil, nil, misfit("%s has no place among siblings", d.Path(nodes[0]))
	}
	if place.Near != nil {
		if found, err := d.oneStep(parent, &place.Near[0]); err != nil || len(found) == 0 {
			return nil, nil, misfit("%s has no such sibling to move next to", d.Path(nodes[0]))
		} else if slices.Contains(nodes, found[0]) {
			return nil, Changes{}, nil
		}
	}
	var all []*Node
	for _, n := range nodes {
		all = append(all, parent.Members[withComments(n):n.Index()+1]...)
	}
	nodes = all
	order := d.moved(parent, nodes, d.place(parent, place))
	if slices.Equal(order, parent.Members) {
		return nil, Changes{}, nil
	}
	changes := Changes{}
	changes.of(parent).Order = order
	edits, err := d.format.reorder(parent, order)
	return edits, changes, err
}

// moved returns the members of a parent with some before the one at an index.
func (d *Document) moved(parent *Node, nodes []*Node, before int) (order []*Node) {
	moves := make(map[*Node]bool, len(nodes))
	for _, n := range nodes {
		moves[n] = true
	}
	for i, m := range parent.Members {
		if i == before {
			order = append(order, nodes...)
		}
		if !moves[m] {
			order = append(order, m)
		}
	}
	if before >= len(parent.Members) {
		order = append(order, nodes...)
	}
	return order
}

// reorder returns the edits that put the members of a parent in an order.
func (d plain) reorder(parent *Node, order []*Node) (edit.List, error) {
	return d.permuted(parent, parent.Members, order, d.format.extent), nil
}

// permuted returns the edits that put members in another order: whole lines where each has its own, else the members alone,
// between the separators that are there.
func (d plain) permuted(parent *Node, members, order []*Node, of func(n *Node) (start, end int)) edit.List {
	flowing := parent.style == flow && parent.Kind != Element
	closing := len(d.Text)
	if flowing {
		closing = parent.End - 1
	}
	whole, bare, above := map[*Node]extent{}, map[*Node]extent{}, 0
	for _, m := range members {
		start, end := of(m)
		bare[m] = extent{start, end}
		if comma := d.comma(end, closing); flowing && comma >= 0 {
			end = comma + 1
		}
		if from, to, ok := d.wholeLines(start, end, "#", "//"); ok && to <= closing {
			whole[m] = extent{d.aboveComments(from, above), to}
		}
		above = end // a row that looks like a comment is none
	}
	if len(whole) < len(members) {
		return d.exchanged(members, order, bare, func(m *Node, _ int) string { return d.raw(bare[m].start, bare[m].end) })
	}
	trailing := d.comma(lastEnd(parent), closing) >= 0
	return d.exchanged(members, order, whole, func(m *Node, k int) string {
		text := d.raw(whole[m].start, whole[m].end)
		if flowing {
			text = d.withComma(m, whole[m], text, k < len(order)-1 || trailing)
		}
		ending := lines.Ending([]byte(text))
		switch { // the last line of the file may have none
		case ending == "" && k < len(order)-1:
			text += d.ending()
		case k == len(order)-1:
			if lines.Ending(d.Text[whole[members[k]].start:whole[members[k]].end]) == "" {
				text = strings.TrimSuffix(text, ending)
			}
		}
		return text
	})
}

// exchanged returns the edit that puts pieces of the text in another order. What stands between them stays. piece returns the
// text of a member as the one of an index.
func (d plain) exchanged(members, order []*Node, pieces map[*Node]extent, piece func(m *Node, k int) string) edit.List {
	first, last := 0, len(order)-1
	for first < len(order) && order[first] == members[first] {
		first++
	}
	if first == len(order) {
		return nil
	}
	for last > first && order[last] == members[last] {
		last--
	}
	var b strings.Builder
	for k := first; k <= last; k++ {
		if k > first {
			b.WriteString(d.raw(pieces[members[k-1]].end, pieces[members[k]].start))
		}
		b.WriteString(piece(order[k], k))
	}
	return d.replaced(pieces[members[first]].start, pieces[members[last]].end, b.String())
}

// withComma returns the lines of a member with a comma behind it, or without one.
func (d plain) withComma(m *Node, p extent, text string, wanted bool) string {
	_, end := m.span()
	comma := d.comma(end, p.end)
	at := end - p.start
	switch {
	case wanted && comma < 0:
		return text[:at] + "," + text[at:]
	case !wanted && comma >= 0:
		return text[:comma-p.start] + text[comma-p.start+1:]
	}
	return text
}
