package compile

import (
	"fmt"
	"strings"

	"frizzel/core/pattern"
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
		if f.Pattern != nil {
			return &program.EdgeLinesWith{Last: f.Last, Count: f.Count, Pattern: c.pattern(f.Pattern, within)}
		}
		if f.Last {
			return &program.LastLines{Count: f.Count}
		}
		return &program.FirstLines{Count: f.Count}
	case *script.LinesNear:
		return &program.LinesNear{Count: f.Count, Below: f.Below, Pattern: c.pattern(f.Pattern, within)}
	case *script.LinesWith:
		return &program.LinesWith{Without: f.Without, Pattern: c.pattern(f.Pattern, within), Above: f.Above, Below: f.Below}
	case *script.Range:
		return &program.Range{Form: f.Form, Open: c.pattern(f.Open, within), Close: c.mark(f.Close)}
	case *script.Section:
		return c.section(f)
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

func (c *compiler) section(f *script.Section) *program.Section {
	if f.Pattern != nil {
		return &program.Section{Pattern: c.pattern(f.Pattern, within)}
	}
	name := c.constant(f.Name)
	if strings.HasPrefix(name, "[") && strings.HasSuffix(name, "]") {
		c.warn(f.Name.Pos, fmt.Sprintf("say section %q", strings.Trim(name, "[]")), "a section's name is said without its brackets")
		c.fix(script.Fix{Title: "leave out the brackets", Pos: f.Name.Pos, Old: f.Name.Raw, New: strings.Trim(f.Name.Raw, "[]")})
	}
	return &program.Section{Name: name, IgnoreCase: f.IgnoreCase}
}

// mark compiles the closing mark of a range; nil for the last line.
func (c *compiler) mark(p *script.Pattern) *pattern.Pattern {
	if p == nil {
		return nil
	}
	return c.pattern(p, within)
}

func (c *compiler) assert(n *script.Assert) {
	a := &program.Assertion{Of: c.subject, Forbid: n.Forbid, Bound: n.Bound, PerFile: n.PerFile, Place: c.place(n.Pos)}
	a.Addresses = append(a.Addresses, c.within...)
	if n.Pattern != nil {
		if a.Pattern, a.Shown = c.pattern(n.Pattern, within), describe(n.Pattern); a.Pattern == nil {
			return
		}
		c.program.Rare.Add(a.Pattern)
	}
	c.rule.Asserts = append(c.rule.Asserts, a)
}
