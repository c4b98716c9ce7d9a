package tree

import (
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// add returns the edits that add a member to a parent.
func (d *Document) add(parent *Node, want *Node, fresh Fresh) (edit.List, Changes, error) {
	changes := Changes{}
	if parent.Kind == Null {
		object := &Node{Kind: Object}
		object.add(want)
		changes.of(parent).Becomes = object
	} else {
		changes.of(parent).Added = []*Node{want}
	}
	edits, err := d.format.add(&memberWriter{d, fresh}, parent, want)
	return edits, changes, err
}

// insert adds a member, as write gives it for an indentation and one step more, at the end of a
// parent between brackets.
func (d plain) insert(parent *Node, write func(indent, step string) string) (edit.List, error) {
	if parent.Kind == Null {
		return d.format.written(parent, "{"+write("", "")+"}"), nil
	}
	open, closing := d.brackets(parent)+1, parent.End-1
	if len(parent.Members) == 0 {
		return d.addFirst(open, closing, write), nil
	}
	last := parent.Members[len(parent.Members)-1]
	start, end := last.span()
	comma := d.comma(end, closing)
	behind := max(end, comma+1)
	line := d.lineStart(start)
	if strings.TrimLeft(d.raw(line, start), " \t") != "" || line <= open-1 && d.lineStart(open) == line { // on one line
		space := " "
		if n := len(parent.Members); n > 1 {
			_, before := parent.Members[n-2].span()
			if c := d.comma(before, closing); c >= 0 {
				space = d.raw(c+1, start)
				if strings.ContainsAny(space, "\n#/") {
					space = " "
				}
			}
		}
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

// addFirst adds a member between brackets that hold none.
func (d *Document) addFirst(open, closing int, write func(indent, step string) string) edit.List {
	inside := d.raw(open, closing)
	indent := d.raw(d.lineStart(open), d.lineStart(open)+len(lines.Indentation(d.Text[d.lineStart(open):open])))
	step := d.step()
	switch {
	case strings.TrimSpace(inside) != "": // a comment
		at := open + len(strings.TrimRight(inside, " \t\r\n"))
		return edit.List{{Start: at, End: at, New: []byte(d.ending() + indent + step + write(indent+step, step))}}
	case d.format.traits().lines && (strings.Contains(string(d.Text), "\n"+step) || strings.Contains(inside, "\n")):
		return edit.List{{Start: open, End: closing, New: []byte(d.ending() + indent + step + write(indent+step, step) + d.ending() + indent)}}
	}
	return edit.List{{Start: open, End: closing, New: []byte(write("", ""))}}
}

// step is one step of indentation: a tab where lines begin with them, else the least of the file.
func (d *Document) step() string {
	least := 0
	for at := 0; at < len(d.Text); at = lines.Next(d.Text, at, len(d.Text)) {
		indent := lines.Indentation(d.Text[at:lines.Next(d.Text, at, len(d.Text))])
		if len(indent) > 0 && indent[0] == '\t' {
			return "\t"
		}
		if n := len(indent); n > 0 && (least == 0 || n < least) {
			least = n
		}
	}
	if least == 0 {
		least = 2
	}
	return strings.Repeat(" ", least)
}
