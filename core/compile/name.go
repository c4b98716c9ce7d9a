package compile

import (
	"frizzel/core/script"
)

// named compiles the statements under an address of a name or a link's target.
func (c *compiler) named(n *script.Addressed, of script.Subject) {
	words := "in " + of.Address()
	if len(c.within) > 0 || c.subject != script.Content {
		c.errorf(n.Pos, "move it out of the address", "%s stands under an address, and is not about lines", words)
		return
	}
	if of == script.DirectoryName && len(c.rule.When) > 0 {
		c.errorf(n.Pos, "put it into a rule without when", "when is about a file's content, and a directory has none")
	}
	if of == script.LinkTarget && len(c.rule.When) > 0 {
		c.warn(n.Pos, "put it into a rule without when", "when is about a file's content, and a link has none, so this changes nothing")
	}
	c.subject = of
	defer func() { c.subject = script.Content }()
	body := make([]script.Node, 0, len(n.Body))
	for _, inner := range n.Body {
		if c.onName(inner, words) {
			body = append(body, inner)
		}
	}
	c.rule.Names[of] = append(c.rule.Names[of], c.actions(body)...)
}

// onName reports whether a statement may act on a name, which is one line without an ending, and otherwise reports a
// problem.
func (c *compiler) onName(n script.Node, words string) bool {
	switch n := n.(type) {
	case *script.Replace, *script.ReplaceEach, *script.Assert:
		return true
	case *script.Rewrite:
		if !n.Literal {
			return true
		}
	case *script.Addressed:
		c.errorf(n.Pos, "leave the address out", "%s selects one short text, and no address narrows it", words)
		return false
	}
	c.errorf(n.Place(), "a name takes replace, replace each, remove, rewrite as, require and forbid", "this statement does not act on a name")
	return false
}
