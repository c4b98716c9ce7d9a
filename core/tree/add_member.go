package tree

import (
	"strings"
)

// memberWriter writes members that are added.
type memberWriter struct {
	*Document
	fresh Fresh
}

// value writes the innermost value.
func (w *memberWriter) value(parent *Node) string {
	if w.fresh.Literal {
		return w.fresh.Text
	}
	return w.scalar(&Node{Parent: parent}, w.fresh.Text)
}

// innermost reports whether a node to be added is the value itself.
func (w *memberWriter) innermost(n *Node) bool {
	return w.fresh.Literal && !(n.Kind == Object && len(n.Members) == 1 && n.End == 0) || !n.HasMembers()
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
