package compile

import (
	"frizzel/core/program"
	"frizzel/core/script"
)

// addressKinds are the compiled forms of addresses.
var addressKinds = map[script.AddressKind]program.AddressKind{
	script.Line: program.Lines, script.Lines: program.Lines,
	script.FirstLines: program.FirstLines, script.LastLines: program.LastLines,
	script.LinesWith: program.LinesWith, script.LinesWithout: program.LinesWithout,
	script.Range: program.Range, script.Between: program.Between, script.Until: program.Until,
	script.Section: program.Section, script.Block: program.Block, script.Paragraph: program.Paragraph,
	script.At: program.At,
}

func (c *compiler) address(a *script.Address) *program.Address {
	out := &program.Address{
		Index: len(c.program.Addresses), Kind: addressKinds[a.Kind], Outside: a.Outside,
		From: a.From, To: a.To, Above: a.Above, Below: a.Below, Direct: a.Direct,
	}
	c.program.Addresses = append(c.program.Addresses, c.place(a.Pos))
	if a.Kind == script.Line || a.Kind == script.Lines {
		c.countsLines(a.Pos)
	}
	if a.Pattern != nil {
		out.Pattern = c.pattern(a.Pattern, within)
	}
	if a.Path != nil {
		out.Path = c.path(a.Path)
	}
	if a.Section != nil {
		out.Section = c.constant(a.Section)
	}
	out.Open, out.Close = c.mark(a.Open), c.mark(a.Close)
	for _, h := range a.Having {
		out.Having = append(out.Having, program.Holding{Lacking: h.Lacking, Pattern: c.pattern(h.Pattern, within)})
	}
	return out
}

func (c *compiler) mark(m *script.Mark) *program.Mark {
	if m == nil {
		return nil
	}
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
	a := &program.Assertion{
		Forbid: n.Forbid, Bound: n.Bound, PerFile: n.PerFile,
		Pattern: c.pattern(n.Pattern, within), Shown: describe(n.Pattern), Place: c.place(n.Pos),
	}
	a.Addresses = append(a.Addresses, c.within...)
	if c.options.WholeValues && c.underPath() {
		a.Pattern = nil
		c.rule.Asserts = append(c.rule.Asserts, a)
		return
	}
	if a.Pattern != nil {
		c.rule.Asserts = append(c.rule.Asserts, a)
	}
}
