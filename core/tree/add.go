package tree

import (
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// add returns the edits that add a member to a parent, or an item to a list.
func (d *Document) add(parent, want *Node, item bool, place Place) (edit.List, Changes, error) {
	changes := Changes{}
	before := d.place(parent, place)
	if parent.Kind == Null {
		outer := &Node{Kind: Object}
		if item {
			outer.Kind = Array
		}
		outer.add(want)
		changes.of(parent).Becomes = outer
		return d.format.written(parent, outer), changes, nil
	}
	added := Added{Node: want}
	if before < len(parent.Members) {
		added.Before = parent.Members[before]
	}
	changes.of(parent).Added = []Added{added}
	edits, err := d.format.add(d.writerFor(parent, nil), parent, want, before)
	return edits, changes, err
}

// place returns the index of the member that a new one goes before, or their number. Attributes have no places.
func (d *Document) place(parent *Node, place Place) int {
	first := 0
	for first < len(parent.Members) && parent.Members[first].Kind == Attribute {
		first++
	}
	end := len(parent.Members)
	switch {
	case parent.pair:
		return end
	case place.Top:
		for first < end && parent.Members[first].Kind == Characters {
			first++
		}
		return first
	case place.Near == nil:
		return end
	}
	found, err := d.oneStep(parent, &place.Near[0])
	if err != nil || len(found) == 0 {
		return end
	}
	if place.Below {
		at := found[len(found)-1].Index() + 1
		for at < end && parent.Members[at].Kind == Characters {
			at++
		}
		return at
	}
	return withComments(found[0])
}

// withComments returns the index of a node, or of the first of the comments of XML directly above it.
func withComments(n *Node) int {
	at := n.Index()
	for above := at - 1; above >= 0; above-- {
		switch m := n.Parent.Members[above]; {
		case m.Kind == Comment:
			at = above
		case m.Kind != Characters || strings.TrimSpace(m.Text) != "" || strings.Count(m.Text, "\n") > 1:
			return at
		}
	}
	return at
}

// insert adds a member, as write gives it for an indentation and one step more, before the member at an index of a
// parent between brackets, or at its end.
func (d plain) insert(parent *Node, before int, write func(indent, step string) string) (edit.List, error) {
	open, closing := d.brackets(parent)+1, parent.End-1
	switch {
	case len(parent.Members) == 0:
		return d.addFirst(open, closing, write), nil
	case before < len(parent.Members):
		return d.insertBefore(parent, parent.Members[before], open, write), nil
	}
	last := parent.Members[len(parent.Members)-1]
	start, end := last.span()
	comma := d.comma(end, closing)
	behind := max(end, comma+1)
	line := d.lineStart(start)
	if d.sharesLine(start, open) {
		space := d.spaceBefore(parent, closing)
		if comma >= 0 {
			return edit.List{{Start: behind, End: behind, New: []byte(space + write("", "") + ",")}}, nil
		}
		return edit.List{{Start: end, End: end, New: []byte("," + space + write("", ""))}}, nil
	}
	indent := d.raw(line, start)
	fresh := d.ending() + indent + write(indent, d.step())
	at := d.lineEnd(behind)
	if at >= closing { // the bracket is after it
		at = behind
	}
	if comma >= 0 {
		return edit.List{{Start: at, End: at, New: []byte(fresh + ",")}}, nil
	}
	if at == end {
		return edit.List{{Start: at, End: at, New: []byte("," + fresh)}}, nil
	}
	return edit.List{{Start: end, End: end, New: []byte(",")}, {Start: at, End: at, New: []byte(fresh)}}, nil
}

// sharesLine reports whether something else is on a member's line before it, or the bracket that precedes it.
func (d *Document) sharesLine(start, open int) bool {
	for start > open && (d.Text[start-1] == ' ' || d.Text[start-1] == '\t') {
		start--
	}
	return start == open || d.Text[start-1] != '\n'
}

// spaceBefore returns what stands between a comma and the last member between brackets.
func (d *Document) spaceBefore(parent *Node, closing int) string {
	n := len(parent.Members)
	if n < 2 {
		return " "
	}
	start, _ := parent.Members[n-1].span()
	_, before := parent.Members[n-2].span()
	c := d.comma(before, closing)
	if c < 0 || strings.ContainsAny(d.raw(c+1, start), "\n#/") {
		return " "
	}
	return d.raw(c+1, start)
}

// insertBefore adds a member before another one between brackets.
func (d plain) insertBefore(parent, next *Node, open int, write func(indent, step string) string) edit.List {
	start, _ := next.span()
	if d.sharesLine(start, open) {
		return edit.List{{Start: start, End: start, New: []byte(write("", "") + "," + d.spaceBefore(parent, parent.End-1))}}
	}
	at := d.aboveComments(start, open)
	indent := d.raw(d.lineStart(start), start)
	return edit.List{{Start: at, End: at, New: []byte(indent + write(indent, d.step()) + "," + d.ending())}}
}

// aboveComments returns the start of the line of a byte, or of the comments directly above it, but not before least.
func (d *Document) aboveComments(at, least int) int {
	at = d.lineStart(at)
	for at > 0 {
		above := lines.Previous(d.Text, 0, at)
		if above < least || !d.isComment(above, at) {
			break
		}
		at = above
	}
	return at
}

// isComment reports whether a line is a comment and no more.
func (d *Document) isComment(start, end int) bool {
	line := strings.TrimSpace(d.raw(start, end))
	if line == "" {
		return false
	}
	from := start + strings.Index(d.raw(start, end), line)
	past := d.format.pastComment(from)
	return past > from && strings.TrimSpace(d.raw(past, max(end, past))) == ""
}

// addFirst adds a member between brackets that hold none.
func (d *Document) addFirst(open, closing int, write func(indent, step string) string) edit.List {
	inside := d.raw(open, closing)
	indent := d.raw(d.lineStart(open), d.lineStart(open)+len(lines.Indentation(d.Text[d.lineStart(open):open])))
	step := d.step()
	switch {
	case strings.TrimSpace(inside) != "": // a comment
		at := open + len(strings.TrimRight(inside, " \t\r\n"))
		return edit.List{{Start: at, End: at, New: []byte(d.ending() + indent + step + write(indent+step, step))}}
	case d.format.traits().lines && (d.stepped() || strings.Contains(inside, "\n")):
		return edit.List{{Start: open, End: closing, New: []byte(d.ending() + indent + step + write(indent+step, step) + d.ending() + indent)}}
	}
	return edit.List{{Start: open, End: closing, New: []byte(write("", ""))}}
}

// stepped reports whether some line is indented by a step.
func (d *Document) stepped() bool {
	d.step()
	return d.indented
}

// step is one step of indentation: a tab where lines begin with them, else the least of the file.
func (d *Document) step() string {
	if d.stepFound != "" {
		return d.stepFound
	}
	least := 0
	for at := 0; at < len(d.Text); {
		next := lines.Next(d.Text, at, len(d.Text))
		indent := lines.Indentation(d.Text[at:next])
		at = next
		if len(indent) > 0 && indent[0] == '\t' {
			d.stepFound, d.indented = "\t", true
			return d.stepFound
		}
		if n := len(indent); n > 0 && (least == 0 || n < least) {
			least = n
		}
	}
	d.indented = least > 0
	if least == 0 {
		least = 2
	}
	d.stepFound = strings.Repeat(" ", least)
	return d.stepFound
}

// settleColumn gives every row of a table a cell with a text, in a column that is added behind the last one if it is
// missing.
func (d *Document) settleColumn(from *Node, s Step, fresh Fresh) (edit.List, Changes, error) {
	c, ok := d.format.(csvFormat)
	if !ok || from.Parent != nil || fresh.Literal {
		_, err := d.oneStep(from, &Step{Every: true})
		return nil, nil, err
	}
	return c.column(s.Name, fresh.Text)
}

// sorted returns edits in the order of their places.
func sorted(edits edit.List) edit.List {
	slices.SortStableFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	return edits
}
