package compile

import (
	"frizzel/core/pattern"
	"frizzel/core/program"
	"frizzel/core/script"
)

// A link is a replacement of one fixed text by another in whole files: one of those that a script makes in turn.
type link struct {
	at       *script.Replace
	source   *script.Source
	pattern  *pattern.Pattern
	template *program.Template
	old, new string
}

// chained notes a replacement for turnedBack.
func (c *compiler) chained(n *script.Replace, p *pattern.Pattern, with *program.Template) {
	if n.Pattern.Kind == script.Regex || len(n.Pattern.Guards) > 0 || n.Which != (script.Which{}) || len(c.within) > 0 || c.subject != script.Content || c.guarded() {
		return
	}
	for _, part := range with.Parts {
		if part.From != program.FromLiteral {
			return
		}
	}
	c.chain = append(c.chain, link{n, c.source, p, with, c.fixed(n.Pattern.Text), c.fixed(n.With)})
}

// turnedBack warns of a replacement that writes what an earlier one looks for: of one that restores what that replaced,
// and of a swap by way of a third text, or a shift, which a second run would do once more.
func (c *compiler) turnedBack() {
	first := map[string]link{}
	for _, l := range c.chain {
		earlier, ok := first[l.new]
		if _, known := first[l.old]; !known {
			first[l.old] = l
		}
		if !ok || l.old == l.new {
			continue
		}
		c.source = l.source
		again := func(text string) bool {
			once := c.throughAll(text)
			return once != text && c.throughAll(once) != once
		}
		switch {
		case c.throughAll(earlier.old) == earlier.old:
			c.warn(l.at.With.Pos, "to swap two texts say replace each, with a line for each", "this turns back what line %d wrote", earlier.at.Pos.Line)
		case again(earlier.old), again(l.old):
			c.warn(l.at.With.Pos, "say when: when file lacks what is written, or apply the script once", "a second run would replace this text again, by line %d", earlier.at.Pos.Line)
		}
		return
	}
}

// throughAll returns what the links make of a text, in turn.
func (c *compiler) throughAll(text string) string {
	for _, l := range c.chain {
		text, _ = replaced(l.pattern, l.template, text)
	}
	return text
}
