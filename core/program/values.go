package program

import (
	"slices"
	"strconv"
	"strings"
	"time"

	"frizzel/core/pattern"
	"frizzel/core/script"
)

// Options are what a script is compiled with.
type Options struct {
	// Values are the parameters given, by name. A name that no parameter has is
	// an error.
	Values map[string]string
	// Env looks up an environment variable; nil finds none.
	Env func(name string) (value string, ok bool)
	// Now is the instant that {=today} is taken from.
	Now time.Time
	// Load reads a script or a table that the script names, by its path relative
	// to the script's own name; nil finds none.
	Load func(path string) ([]byte, error)
	// Lenient gives a parameter without a value its own name, so that a script
	// can be checked without one.
	Lenient bool
}

// param declares a parameter, with its value.
func (c *compiler) param(p *script.Param) {
	if other, ok := c.known[p.Name]; ok {
		c.errorf(p.Pos, "", "the name %q is taken by %s", p.Name, other)
		return
	}
	c.known[p.Name] = "a parameter"
	param := Param{Name: p.Name, About: c.fixed(p.About)}
	if v, ok := c.options.Values[p.Name]; ok {
		param.Value, param.Given = v, true
	} else if v, ok := c.fromEnv(p.Env); ok {
		param.Value, param.Given = v, true
	} else if p.Default != nil {
		param.Value, param.Given = c.fixed(p.Default), true
	}
	if p.Matching != nil {
		if m := c.pattern(p.Matching, false); m != nil && param.Given && !m.MatchesWhole(param.Value) {
			c.errorf(p.Pos, "", "the parameter %s is %q, which does not match %s", p.Name, param.Value, describe(p.Matching))
		}
	}
	if !param.Given {
		if !c.options.Lenient {
			c.errorf(p.Pos, "give it with --set "+p.Name+"=VALUE", "the parameter %s has no value", p.Name)
		}
		param.Value = p.Name
	}
	c.values[p.Name] = param.Value
	c.program.Params = append(c.program.Params, param)
}

func (c *compiler) fromEnv(name *script.Text) (string, bool) {
	if name == nil || c.options.Env == nil {
		return "", false
	}
	return c.options.Env(c.fixed(name))
}

// describe writes a pattern short, for a message.
func describe(p *script.Pattern) string {
	s := p.Kind.String() + " " + strconv.Quote(p.Text.Raw)
	if p.Kind == script.WholeLines {
		line, _, more := strings.Cut(p.Text.Raw, "\n")
		s = "lines " + strconv.Quote(line)
		if more {
			s += " …"
		}
	}
	return s
}

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
	for _, part := range t.Parts {
		if part.Hole == nil {
			b.WriteString(part.Literal)
			continue
		}
		v, ok := c.value(part.Hole)
		if !ok {
			if slices.Contains(script.Builtin, part.Hole.Name) || isNumber(part.Hole.Name) {
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

// value returns a placeholder's value where it is the same for a whole run.
func (c *compiler) value(h *script.Placeholder) (string, bool) {
	v, ok := c.builtin(h.Name)
	if !ok {
		if v, ok = c.values[h.Name]; !ok {
			return "", false
		}
		c.used[h.Name] = true
	}
	v, err := filtered(v, h.Filters)
	if err != nil && !c.options.Lenient {
		c.errorf(h.Pos, "", "%v", err)
	}
	return v, true
}

// unknown reports a placeholder that names nothing.
func (c *compiler) unknown(h *script.Placeholder, groups []string) {
	known := slices.Clone(script.Builtin)
	for name := range c.values {
		known = append(known, name)
	}
	for _, g := range groups {
		if g != "" {
			known = append(known, g)
		}
	}
	slices.Sort(known)
	remedy := "declare it with param " + h.Name + ", or write {== where the two characters {= are meant"
	if near := script.Nearest(h.Name, known); near != "" {
		remedy = "did you mean {=" + near + "}?"
	}
	c.errorf(h.Pos, remedy, "{=%s} names nothing", h.Name)
}

func isNumber(s string) bool {
	_, err := strconv.Atoi(s)
	return err == nil
}

// pattern compiles a pattern, with parameters filled in; nil after an error.
func (c *compiler) pattern(p *script.Pattern, across bool) *pattern.Pattern {
	if p.Kind == script.Regex && !c.notInClass(p.Text) {
		return nil
	}
	spec := pattern.Spec{
		Kind:        patternKind[p.Kind],
		Whole:       p.Whole,
		IgnoreCase:  p.IgnoreCase,
		AcrossLines: across,
		Captures:    true,
		Joiners:     c.joiners,
		Source:      c.matched(p.Kind, p.Text),
	}
	for _, g := range p.Guards {
		source := c.matched(g.Kind, g.Text)
		if g.Kind != script.Regex && (source == "" || strings.Contains(source, "\n")) {
			c.errorf(g.Pos, "", "a guard is some text within one line")
			return nil
		}
		spec.Guards = append(spec.Guards, pattern.Guard{Not: g.Not, Preceded: g.Preceded, Kind: patternKind[g.Kind], Source: source})
	}
	if spec.Kind != pattern.Regex && spec.Source == "" {
		c.errorf(p.Pos, "", "this pattern is empty")
		return nil
	}
	compiled, err := pattern.Compile(spec)
	if err != nil {
		c.badRegex(p, err)
		return nil
	}
	c.lintRegex(p)
	return compiled
}

var patternKind = map[script.PatternKind]pattern.Kind{
	script.PlainText:  pattern.Text,
	script.WholeWord:  pattern.Word,
	script.Regex:      pattern.Regex,
	script.WholeLines: pattern.Lines,
}

// matched returns a pattern's text; in a regular expression a value stands as one
// literal atom.
func (c *compiler) matched(kind script.PatternKind, t *script.Text) string {
	if kind != script.Regex {
		return c.constant(t)
	}
	return c.fill(t, atom)
}
