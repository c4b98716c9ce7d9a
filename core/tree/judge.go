package tree

import (
	"fmt"

	"frizzel/core/syntax"
)

// MayBe reports whether a text that begins with head may be of the syntax. A log of JSON, a value a
// line, is none: the first of them would have to be all.
func MayBe(s syntax.Syntax, head []byte) bool {
	f := formatOf(nil, s)
	return f == nil || f.mayBe(head)
}

// judgedSize is the size in bytes up to which a text is judged by its tree; a larger one is only
// checked for validity if its format can do so.
const judgedSize = 64 << 20

// Judge returns an error if before parses in its syntax and after does not: a *SyntaxError, or a description of
// new duplicate names. It returns nil if before does not parse.
func Judge(s syntax.Syntax, before, after []byte) error {
	if f := formatOf(nil, s); f != nil && len(after) > judgedSize {
		if was, known := f.valid(before); known {
			if is, _ := f.valid(after); was && !is {
				return &SyntaxError{s, 0, fmt.Sprintf("it is not strict %s", s)}
			}
			return nil
		}
	}
	old, err := Parse(s, before)
	if err != nil {
		return nil
	}
	now, err := Parse(s, after)
	if err != nil {
		return err
	}
	if old.strict && !now.strict {
		return &SyntaxError{s, 0, "it has comments or commas that strict JSON has not"}
	}
	if was, is := old.doubled(), now.doubled(); is.n > was.n {
		return &SyntaxError{s, 0, fmt.Sprintf("%q stands twice in one object", is.name)}
	}
	return nil
}

// doubles are the names that occur several times in one object.
type doubles struct {
	n    int
	name string // the last of them
}

func (d *Document) doubled() (all doubles) {
	var walk func(n *Node)
	walk = func(n *Node) {
		if n.Kind == Object && len(n.Members) > 1 {
			seen := make(map[string]bool, len(n.Members))
			for _, m := range n.Members {
				if seen[m.Name] {
					all.n, all.name = all.n+1, m.Name
				}
				seen[m.Name] = true
			}
		}
		for _, m := range n.Members {
			walk(m)
		}
	}
	for _, r := range d.Roots {
		walk(r)
	}
	return all
}
