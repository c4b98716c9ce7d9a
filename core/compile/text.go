package compile

import (
	"bytes"
	"slices"
	"strconv"
	"strings"
	"time"

	"frizzel/core/program"
	"frizzel/core/script"
)

// builtin returns the value of a placeholder that is the same for a whole run.
func (c *compiler) builtin(name string) (string, bool) {
	switch name {
	case "tab":
		return "\t", true
	case "newline":
		return "\n", true
	case "today":
		return c.options.Now.Format(time.DateOnly), true
	}
	return "", false
}

// parts returns a text's parts. A text from a file is one literal.
func (c *compiler) parts(t *script.Text) []script.Part {
	if t.File == nil {
		return t.Parts
	}
	content, known := c.contents[t]
	if !known {
		text, _ := c.read(t.File, script.Beside(c.source.Name, c.constant(t.File)))
		content = strings.ReplaceAll(string(bytes.TrimPrefix(text, []byte("\ufeff"))), "\r\n", "\n")
		content = strings.TrimSuffix(content, "\n")
		c.contents[t] = content
	}
	return []script.Part{{Literal: content}}
}

// filters returns a placeholder's filters, with their tables.
func (c *compiler) filters(h *script.Placeholder) []script.Filter {
	filters := slices.Clone(h.Filters)
	for i, f := range filters {
		if f.Name == "by" {
			filters[i].Table = c.tableNamed(f.Word, h.Pos).beside
		}
	}
	return filters
}

// fixed returns the value of a text that holds no placeholder, "" for nil.
func (c *compiler) fixed(t *script.Text) string {
	if t == nil {
		return ""
	}
	s, _ := t.Plain()
	return s
}

// constant returns a text's value, with parameters filled in; what depends on the
// file or the match is an error.
func (c *compiler) constant(t *script.Text) string {
	return c.fill(t, func(s string) string { return s })
}

// fill is constant with each placeholder's value passed through quote.
func (c *compiler) fill(t *script.Text, quote func(string) string) string {
	var b strings.Builder
	for _, part := range c.parts(t) {
		if part.Hole == nil {
			b.WriteString(part.Literal)
			continue
		}
		v, ok := c.value(part.Hole)
		if !ok {
			if slices.Contains(script.Builtin(), part.Hole.Name) || isNumber(part.Hole.Name) {
				c.errorf(part.Hole.Pos, "", "{=%s} depends on the file or the match, and cannot stand here", part.Hole.Name)
			} else {
				c.unknown(part.Hole, nil)
			}
			continue
		}
		b.WriteString(quote(v))
	}
	return b.String()
}

// value returns a placeholder's value if it is the same for a whole run.
func (c *compiler) value(h *script.Placeholder) (string, bool) {
	v, ok := c.builtin(h.Name)
	if !ok {
		if v, ok = c.values[h.Name]; !ok {
			return "", false
		}
		c.used[h.Name] = true
	}
	v, err := program.Filter(v, c.filters(h))
	switch {
	case err == nil || c.options.Lenient:
	case c.options.Row > 0:
		c.errorf(h.Pos, "", "row %d: %v", c.options.Row, err)
	default:
		c.errorf(h.Pos, "", "%v", err)
	}
	return v, true
}

// declareIt says what to do about a placeholder that names nothing in a script.
func declareIt(name string) string {
	return "declare it with param " + name + ", or write {== if the two characters {= are meant"
}

// unknown reports a placeholder that names nothing.
func (c *compiler) unknown(h *script.Placeholder, groups []string) {
	known := script.Builtin()
	for name := range c.values {
		known = append(known, name)
	}
	for _, g := range groups {
		if g != "" {
			known = append(known, g)
		}
	}
	slices.Sort(known)
	remedy, near := c.undeclared(h.Name), script.Nearest(h.Name, known)
	if near != "" {
		remedy = "did you mean {=" + near + "}?"
	}
	c.errorf(h.Pos, remedy, "{=%s} names nothing", h.Name)
	name := h.Pos
	name.Column, name.Width = name.Column+len("{="), len(h.Name)
	if near != "" {
		c.fix(script.Fix{Title: "write {=" + near + "}", Pos: name, New: near})
	}
	if script.IsName(h.Name) {
		c.fix(script.Fix{Title: "declare it with param " + h.Name, Where: script.FixTop, New: "param " + h.Name})
	}
	name.Width = 0
	c.fix(script.Fix{Title: "write {== for the two characters {=", Pos: name, New: "="})
}

func isNumber(s string) bool {
	_, err := strconv.Atoi(s)
	return err == nil
}

// sources are the placeholders that are filled in for each change.
var sources = map[string]program.Source{
	"count": program.FromCount, "count-all": program.FromCountAll, "count-here": program.FromCountHere, "pseudonym": program.FromPseudonym, "line": program.FromLine, "file": program.FromFile, "filename": program.FromFileName, "value-path": program.FromValuePath,
}

// template compiles a text. groups are the names of the pattern's groups, group 0
// included; nil if there is no match to refer to.
func (c *compiler) template(t *script.Text, groups []string) *program.Template {
	tmpl := &program.Template{}
	literal := func(s string) {
		if n := len(tmpl.Parts); n > 0 && tmpl.Parts[n-1].From == program.FromLiteral {
			tmpl.Parts[n-1].Literal += s
		} else if s != "" {
			tmpl.Parts = append(tmpl.Parts, program.Part{Literal: s})
		}
	}
	for _, p := range c.parts(t) {
		if p.Hole == nil {
			literal(p.Literal)
			continue
		}
		hole := program.Part{Filters: c.filters(p.Hole)}
		if from, ok := sources[p.Hole.Name]; ok {
			hole.From = from
			c.ordered(p.Hole, from)
			if from == program.FromValuePath && !c.anyPath() {
				c.errorf(p.Hole.Pos, "it stands under an at", "{=value-path} is the path of a value, and there is none here")
			}
			if from == program.FromPseudonym && groups == nil {
				c.errorf(p.Hole.Pos, "it stands in the with of a replace", "{=pseudonym} refers to a match, and there is none here")
			}
		} else if g, ok := c.group(p.Hole, groups); ok {
			hole.From, hole.Group = program.FromGroup, g
		} else if v, ok := c.value(p.Hole); ok {
			if _, param := c.values[p.Hole.Name]; param && c.options.Mark != nil {
				v = c.options.Mark(p.Hole.Name, v)
			}
			literal(v)
			continue
		} else {
			c.unknownIn(p.Hole, groups)
			continue
		}
		tmpl.Parts = append(tmpl.Parts, hole)
	}
	return tmpl
}

// ordered notes that a placeholder counts over all files, or over all names.
func (c *compiler) ordered(hole *script.Placeholder, from program.Source) {
	all := from == program.FromCountAll || from == program.FromPseudonym
	switch {
	case c.subject == script.Content:
		c.program.Sequential = c.program.Sequential || all
	case all || from == program.FromCount:
		c.program.NumbersNames = true
		c.warn(hole.Pos, "number them once, or put what is counted into a table", "a second run may number the names anew")
	}
}

// anyPath reports whether the current statement changes or searches values of a path.
func (c *compiler) anyPath() bool {
	return slices.ContainsFunc(c.within, func(a *program.Address) bool { return a.Path() != nil })
}

// group returns the number of the group that a placeholder names.
func (c *compiler) group(h *script.Placeholder, groups []string) (int, bool) {
	if n, err := strconv.Atoi(h.Name); err == nil {
		return n, n < len(groups)
	}
	i := slices.Index(groups, h.Name)
	if i > 0 {
		if _, ok := c.values[h.Name]; ok {
			c.errorf(h.Pos, "rename one of them", "{=%s} is both a group and a parameter", h.Name)
		}
	}
	return i, i > 0
}

// unknownIn reports a placeholder that names nothing, or a group that is not there.
func (c *compiler) unknownIn(h *script.Placeholder, groups []string) {
	n, err := strconv.Atoi(h.Name)
	switch {
	case err != nil:
		c.unknown(h, groups)
	case len(groups) == 0:
		c.errorf(h.Pos, "", "{=%d} refers to a match, and there is none here", n)
	case len(groups) == 1:
		c.errorf(h.Pos, "{=0} is the whole match", "there is no group %d: the pattern has no groups", n)
	default:
		c.errorf(h.Pos, "", "there is no group %d: the pattern's last one is %d", n, len(groups)-1)
	}
}
