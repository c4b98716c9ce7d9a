package compile

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"frizzel/core/pattern"
	"frizzel/core/program"
	"frizzel/core/script"
)

// Pattern compiles a separate pattern of the rule language. Messages refer to it by name.
func Pattern(name, text string) (*pattern.Pattern, script.Problems) {
	n, problems := script.ParsePattern(name, text)
	if len(problems) > 0 {
		return nil, problems
	}
	c := newCompiler(Options{})
	c.source = &script.Source{Name: name, Text: text}
	return c.pattern(n, within), c.problems.Errors()
}

// Template compiles a separate text to fill in for the matches of a program's last assertion. Messages refer to
// it by name.
func Template(p *program.Program, name, text string, o Options) (*program.Template, script.Problems) {
	t, problems := script.ParseText(name, text)
	if len(problems) > 0 {
		return nil, problems
	}
	c := newCompiler(o)
	c.source = &script.Source{Name: name, Text: text}
	groups := []string{""}
	for _, r := range p.Rules {
		for _, a := range r.Asserts {
			groups, c.within = a.Groups(), a.Addresses
		}
	}
	return c.template(t, groups), c.problems
}

// A reach is the extent of a regular expression's matches.
type reach int

const (
	within reach = iota // a line
	across              // all lines at once
)

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

// pattern compiles a pattern, with parameters filled in; nil after an error.
func (c *compiler) pattern(p *script.Pattern, reach reach) *pattern.Pattern {
	if p.Kind == script.Regex && !c.valuesStand(p.Text) {
		return nil
	}
	before := len(c.problems)
	spec := pattern.Spec{
		Kind:        patternKind[p.Kind],
		Whole:       p.Whole,
		IgnoreCase:  p.IgnoreCase,
		AcrossLines: reach == across,
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
	if len(c.problems) > before { // a placeholder error was reported already
		return nil
	}
	if spec.Kind != pattern.Regex && spec.Source == "" {
		c.errorf(p.Pos, "", "this pattern is empty")
		return nil
	}
	c.program.Wide = c.program.Wide || !isASCII(spec.Source)
	compiled, err := pattern.Compile(spec)
	if err != nil {
		c.badRegex(p, err)
		return nil
	}
	groups := compiled.Groups()
	for i, name := range groups {
		if name != "" && slices.Contains(groups[:i], name) {
			c.errorf(p.Text.Pos, "choose another name", "two groups of this expression are called %s", name)
			return nil
		}
		if slices.Contains(script.Builtin(), name) {
			c.errorf(p.Text.Pos, "choose another name", "a group of this expression is called %s, and so is a built-in placeholder", name)
			return nil
		}
	}
	c.lintRegex(p)
	return compiled
}

func isASCII(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return r >= utf8.RuneSelf }) < 0
}

var patternKind = map[script.PatternKind]pattern.Kind{
	script.PlainText:  pattern.Text,
	script.WholeWord:  pattern.Word,
	script.Regex:      pattern.Regex,
	script.WholeLines: pattern.Lines,
}

// matched returns a pattern's text. In a regular expression each placeholder's value is one literal atom.
func (c *compiler) matched(kind script.PatternKind, t *script.Text) string {
	if kind != script.Regex {
		return c.constant(t)
	}
	return c.fill(t, atom)
}
