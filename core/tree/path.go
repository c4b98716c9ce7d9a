package tree

import (
	"fmt"
	"strings"
)

// Path returns where a node is among all: its normalized path of RFC 9535, or of XML an XPath with
// positions; behind the number of its document where there are several.
func (d *Document) Path(n *Node) string {
	var steps []string
	for ; n.Parent != nil; n = n.Parent {
		steps = append(steps, step(n))
	}
	var b strings.Builder
	if len(d.Roots) > 1 {
		for i, r := range d.Roots {
			if r == n {
				fmt.Fprintf(&b, "%d:", i+1)
			}
		}
	}
	switch {
	case d.Syntax != XML:
		b.WriteByte('$')
	case len(steps) == 0:
		b.WriteByte('/')
	}
	for i := len(steps) - 1; i >= 0; i-- {
		b.WriteString(steps[i])
	}
	return b.String()
}

func step(n *Node) string {
	switch n.Kind {
	case Attribute:
		return "/@" + n.Name
	case Element:
		return fmt.Sprintf("/%s[%d]", n.Name, n.position(func(m *Node) bool { return m.Kind == Element && m.Name == n.Name }))
	case Characters:
		return fmt.Sprintf("/text()[%d]", n.position(func(m *Node) bool { return m.Kind == Characters }))
	case Comment:
		return fmt.Sprintf("/comment()[%d]", n.position(func(m *Node) bool { return m.Kind == Comment }))
	case Instruction:
		return fmt.Sprintf("/processing-instruction()[%d]", n.position(func(m *Node) bool { return m.Kind == Instruction }))
	}
	switch n.Parent.Kind {
	case Array:
		return fmt.Sprintf("[%d]", n.index())
	}
	return "['" + escapedName(n.Name) + "']"
}

// position returns which of its siblings of a kind the node is, from 1.
func (n *Node) position(like func(*Node) bool) (at int) {
	for _, m := range n.Parent.Members {
		if like(m) {
			at++
		}
		if m == n {
			break
		}
	}
	return at
}

var nameEscapes = map[rune]string{'\'': `\'`, '\\': `\\`, '\b': `\b`, '\f': `\f`, '\n': `\n`, '\r': `\r`, '\t': `\t`}

func escapedName(name string) string {
	return strings.ReplaceAll(escaped(name, nameEscapes), `\u007f`, "\x7f")
}
