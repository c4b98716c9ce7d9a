package tree

import (
	"bytes"
	"encoding/json"
	"fmt"

	"frizzel/core/syntax"
)

// MayBe reports whether a text that begins with head may be of the syntax. A log of JSON, a value a
// line, is none: the first of them would have to be all.
func MayBe(s syntax.Syntax, head []byte) bool {
	if s != syntax.JSON {
		return true
	}
	d := json.NewDecoder(bytes.NewReader(head))
	var first json.RawMessage
	if err := d.Decode(&first); err != nil {
		return true
	}
	rest := bytes.TrimSpace(head[d.InputOffset():])
	return len(rest) == 0 || rest[0] == '/'
}

// judgedSize is up to how many bytes JSON is read as a tree to be judged; of larger texts it is only
// asked whether they are JSON.
const judgedSize = 64 << 20

// Judge says how a text that could be read by its syntax cannot be read any more as it has become:
// a *SyntaxError of the new one, or what is worse in it than in the old one. A text that could not
// be read before is nobody's business.
func Judge(s syntax.Syntax, before, after []byte) error {
	if s == syntax.JSON && len(after) > judgedSize {
		if json.Valid(before) && !json.Valid(after) {
			return &SyntaxError{syntax.JSON, 0, "it is not strict JSON"}
		}
		return nil
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

// doubles are names that stand more than once in one object.
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
