package compile

import (
	"fmt"

	"frizzel/core/program"
	"frizzel/core/script"
)

// address compiles an address; nil after an error in its path.
func (c *compiler) address(a *script.Address) *program.Address {
	out := &program.Address{Index: len(c.program.Addresses), Outside: a.Outside, Direct: a.Direct, Form: c.form(a)}
	if out.Form == nil {
		return nil
	}
	c.program.Addresses = append(c.program.Addresses, c.place(a.Pos))
	for _, h := range a.Having {
		out.Having = append(out.Having, program.Holding{Lacking: h.Lacking, Pattern: c.pattern(h.Pattern, within)})
	}
	return out
}

func (c *compiler) form(a *script.Address) program.Form {
	switch f := a.Form.(type) {
	case *script.Lines:
		c.countsLines(a.Pos)
		return &program.Lines{From: f.From, To: f.To}
	case *script.EdgeLines:
		if f.Last {
			return &program.LastLines{Count: f.Count}
		}
		return &program.FirstLines{Count: f.Count}
	case *script.LinesWith:
		return &program.LinesWith{Without: f.Without, Pattern: c.pattern(f.Pattern, within), Above: f.Above, Below: f.Below}
	case *script.Range:
		return &program.Range{Form: f.Form, Open: c.mark(f.Open), Close: c.mark(f.Close)}
	case *script.Section:
		return &program.Section{Name: c.constant(f.Name)}
	case *script.Block:
		return &program.Block{Pattern: c.pattern(f.Pattern, within)}
	case *script.Paragraph:
		return &program.Paragraph{Pattern: c.pattern(f.Pattern, within)}
	case *script.Values:
		if path := c.path(f.Path); path != nil {
			return &program.Values{Path: path}
		}
		return nil
	}
	panic(fmt.Sprintf("compile: no program for an address %T", a.Form))
}

func (c *compiler) mark(m *script.Mark) *program.Mark {
	out := &program.Mark{Line: m.Line}
	if m.Line > 0 {
		c.countsLines(m.Pos)
	}
	if m.Pattern != nil {
		out.Pattern = c.pattern(m.Pattern, within)
	}
	return out
}

func (c *compiler) assert(n *script.Assert) {
	a := &program.Assertion{Forbid: n.Forbid, Bound: n.Bound, PerFile: n.PerFile, Place: c.place(n.Pos)}
	a.Addresses = append(a.Addresses, c.within...)
	if n.Pattern != nil {
		if a.Pattern, a.Shown = c.pattern(n.Pattern, within), describe(n.Pattern); a.Pattern == nil {
			return
		}
	}
	c.rule.Asserts = append(c.rule.Asserts, a)
}
