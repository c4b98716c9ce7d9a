package tree

import (
	"strings"
)

// A memberWriter writes values that are added, in the layout of their siblings.
type memberWriter struct {
	*Document
	layout layout
	tables bool // siblings are tables of TOML with headers
}

// A layout says where the members of new objects and lists stand.
type layout int

const (
	asTyped layout = iota // as the script writes them; those that it does not write on lines of their own
	onLines
	onOneLine
)

// writerFor returns a writer of a value in the place of a member of parent, or of a new one if instead is nil. Objects
// and lists are laid out as most siblings that are ones.
func (d *Document) writerFor(parent, instead *Node) *memberWriter {
	w := &memberWriter{Document: d}
	if parent == nil {
		return w
	}
	lined, single := 0, 0
	const enough = 100 // siblings, whose texts may be long
	for _, m := range parent.Members[max(len(parent.Members)-enough, 0):] {
		switch {
		case m == instead || len(m.Members) == 0 || !m.HasMembers():
		case m.scattered:
			w.tables = true
		case m.style == flow && strings.IndexByte(d.raw(m.Start, m.End), '\n') < 0:
			single++
		default:
			lined++
		}
	}
	switch {
	case lined > 0 && lined >= single:
		w.layout = onLines
	case single > 0:
		w.layout = onOneLine
	}
	return w
}

// typed returns a value without members, or one that is written as it was typed, on several lines within the indentation.
func (w *memberWriter) typed(parent, n *Node, indent string) (string, bool) {
	switch {
	case n.raw == "" && n.HasMembers():
		return "", false
	case n.raw == "":
		return w.scalar(&Node{Parent: parent}, n.Text), true
	case strings.Contains(n.raw, "\n"):
		return strings.ReplaceAll(n.raw, "\n", w.ending()+indent), true
	}
	return n.raw, len(n.Members) == 0 || w.layout == asTyped
}

// linesOf reports whether the members of a new value stand on lines of their own, if there is a step of indentation.
func (w *memberWriter) linesOf(step string) bool { return step != "" && w.layout != onOneLine }

// oneLine returns a new object or list between brackets on one line. inner is what follows and precedes the brackets.
func (w *memberWriter) oneLine(parent, n *Node, inner string) string {
	var parts []string
	for _, m := range n.Members {
		parts = append(parts, w.named(parent, n, m)+w.format.value(w, &Node{style: flow, Kind: n.Kind, Parent: parent}, m, "", ""))
	}
	space := " "
	if w.separator(parent) == ":" {
		space = ""
	}
	open, closing := "{"+inner, inner+"}"
	if n.Kind == Array {
		open, closing = "[", "]"
	}
	return open + strings.Join(parts, ","+space) + closing
}

// named returns the name of a member of a new object with what parts it from its value; "" of an item.
func (w *memberWriter) named(like, of, m *Node) string {
	if of.Kind == Array {
		return ""
	}
	return w.nameLike(like, m.Name) + w.separator(like)
}

// separator returns the text between the name and the value of the last sibling.
func (w *memberWriter) separator(parent *Node) string {
	t := w.format.traits()
	sep := t.colon
	for _, m := range parent.Members {
		if m.KeyEnd > m.Key && m.Start > m.KeyEnd && !m.scattered && (m.style == flow || !m.HasMembers()) {
			if s := w.raw(m.KeyEnd, m.Start); !strings.ContainsAny(s, "\n#/") && len(s) <= 4 && strings.TrimSpace(s) != "" && (!t.fixedColon || s == sep) {
				sep = s
			}
		}
	}
	return sep
}

// nameLike writes a name as the last sibling's is written.
func (w *memberWriter) nameLike(parent *Node, name string) string {
	like := &Node{Key: len(w.Text), KeyEnd: len(w.Text)}
	for _, m := range parent.Members {
		if m.KeyEnd > m.Key {
			like = m
		}
	}
	if raw, err := w.format.key(like, name); err == nil {
		return raw
	}
	return `"` + escaped(name, jsonEscapes) + `"`
}
