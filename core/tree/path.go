package tree

import (
	"fmt"
	"strings"
)

// Path returns a node's path: its normalized path of RFC 9535, or, in XML, an XPath with positions. It is preceded
// by the number of the document if there are several.
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
	b.WriteString(d.format.rootPath(len(steps) == 0))
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
		return fmt.Sprintf("/%s[%d]", n.Name, n.like)
	case Characters:
		return fmt.Sprintf("/text()[%d]", n.like)
	case Comment:
		return fmt.Sprintf("/comment()[%d]", n.like)
	case Instruction:
		return fmt.Sprintf("/processing-instruction()[%d]", n.like)
	}
	switch n.Parent.Kind {
	case Array:
		return fmt.Sprintf("[%d]", n.Index())
	}
	return "['" + escapedName(n.Name) + "']"
}

// number says of the members of an element which they are of those that a path counts with them.
func (n *Node) number() {
	type sort struct {
		kind Kind
		name string
	}
	counts := map[sort]int{}
	for _, m := range n.Members {
		s := sort{kind: m.Kind}
		if m.Kind == Element {
			s.name = m.Name
		}
		counts[s]++
		m.like = counts[s]
	}
}

var nameEscapes = map[rune]string{'\'': `\'`, '\\': `\\`, '\b': `\b`, '\f': `\f`, '\n': `\n`, '\r': `\r`, '\t': `\t`}

func escapedName(name string) string {
	return strings.ReplaceAll(escaped(name, nameEscapes), `\u007f`, "\x7f")
}
