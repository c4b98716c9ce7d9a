// Package compile turns rule scripts into programs.
//
// [Scripts] resolves names, fills in parameters, compiles patterns and loads the scripts and tables
// that a script uses. The result, a [program.Program], does not refer to the scripts, and the scripts
// are not changed. [Examples] runs the examples of a script. Every mistake is returned as a problem
// with its place, and allowed but probably unintended forms as warnings.
package compile

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"

	"frizzel/core/pattern"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
)

// Scripts makes a program of scripts, which run one after the other. If the problems
// hold an error there is no program.
func Scripts(scripts []*script.Script, o Options) (*program.Program, script.Problems) {
	c := newCompiler(o)
	c.all(scripts)
	c.problems.Sort()
	if len(c.problems.Errors()) > 0 {
		return nil, c.problems
	}
	return c.program, c.problems
}

func newCompiler(o Options) *compiler {
	return &compiler{
		options:    o,
		program:    &program.Program{AllowUnreadable: o.AllowUnreadable, AllowBroken: o.AllowBroken},
		known:      map[string]bool{},
		values:     map[string]string{},
		used:       map[string]bool{},
		undeclared: declareIt,
		uses:       map[*script.UseScript]*script.Script{},
		rules:      map[string]int{},
		contents:   map[*script.Text]string{},
	}
}

// all compiles scripts: first the scripts that they use, then their parameters, then their rules.
func (c *compiler) all(scripts []*script.Script) {
	scripts = slices.DeleteFunc(slices.Clone(scripts), func(s *script.Script) bool {
		name := path.Clean(s.Source.Name)
		if slices.Contains(c.loaded, name) { // given twice, or used by one before
			return true
		}
		c.load(s, []string{name})
		return false
	})
	for _, s := range scripts {
		c.declare(s)
	}
	if len(scripts) > 0 {
		c.source = scripts[0].Source
	}
	c.checkValues()
	for _, s := range scripts {
		c.script(s, nil)
	}
	c.turnedBack()
	for _, s := range scripts {
		c.unused(s)
		c.empty(s)
	}
}

// compiler turns trees into a program.
type compiler struct {
	options  Options
	program  *program.Program
	problems script.Problems
	source   *script.Source // of the current script

	known  map[string]bool   // names of rules
	values map[string]string // of parameters
	used   map[string]bool   // parameters
	// undeclared says what to do about a placeholder that names nothing.
	undeclared func(name string) string
	uses       map[*script.UseScript]*script.Script
	loaded     []string       // names of the scripts read so far
	rules      map[string]int // rules compiled so far, by name

	tables   map[string]*lookup      // named tables in reach of the current statement
	contents map[*script.Text]string // of the files of `from file`
	joiners  string
	syntax   syntax.Syntax
	rule     *program.Rule
	within   []*program.Address // the addresses around the current statement
	subject  script.Subject     // that the current statement acts on
	moved    string             // the first statement that may change the number of lines
	chain    []link             // the replacements of fixed texts so far
}

func (c *compiler) errorf(pos script.Pos, remedy, format string, args ...any) {
	for i, a := range args { // a table of a stranger's may have any texts
		if s, ok := a.(string); ok {
			args[i] = script.Shorten(s)
		}
	}
	remedy = script.Shorten(remedy)
	c.problems = append(c.problems, script.Problem{
		Source: cmp.Or(pos.In, c.source), Pos: pos, Reason: fmt.Sprintf(format, args...), Remedy: remedy,
	})
}

// fix adds a fix to the last problem.
func (c *compiler) fix(f script.Fix) {
	last := &c.problems[len(c.problems)-1]
	last.Fixes = append(last.Fixes, f)
}

// near adds the fix of a word at pos, or behind it, that was meant to be another one; "" for none.
func (c *compiler) near(pos script.Pos, word, near string) {
	if near != "" {
		c.fix(script.Fix{Title: "write " + near, Pos: pos, Old: word, New: near})
	}
}

// load reads the scripts that s uses, each once. chain holds the names of s and of
// those that use it.
func (c *compiler) load(s *script.Script, chain []string) {
	c.loaded = append(c.loaded, path.Clean(s.Source.Name))
	for _, item := range s.Items {
		use, ok := item.(*script.UseScript)
		if !ok {
			continue
		}
		c.source = s.Source
		name := script.Beside(s.Source.Name, c.fixed(use.Path))
		if slices.Contains(chain, name) {
			c.errorf(use.Path.Pos, "", "%s uses itself in the end: %s", name, strings.Join(append(chain, name), " uses "))
			continue
		}
		if slices.Contains(c.loaded, name) {
			continue
		}
		text, ok := c.read(use.Path, name)
		if !ok {
			continue
		}
		used, problems := script.Parse(name, string(text))
		c.problems = append(c.problems, problems...)
		c.uses[use] = used
		c.load(used, append(slices.Clone(chain), name))
	}
	c.source = s.Source
}

// read loads what t names.
func (c *compiler) read(t *script.Text, name string) ([]byte, bool) {
	err := error(fs.ErrNotExist)
	if c.options.Load != nil {
		var text []byte
		if text, err = c.options.Load(name); err == nil {
			return text, true
		}
	}
	if errors.Is(err, fs.ErrNotExist) {
		c.errorf(t.Pos, "paths are relative to the script that names them", "there is no file %s", name)
	} else {
		c.errorf(t.Pos, "", "%v", err)
	}
	return nil, false
}

// declare declares the parameters of s and of the scripts it uses, in their order.
func (c *compiler) declare(s *script.Script) {
	for _, item := range s.Items {
		c.source = s.Source
		switch item := item.(type) {
		case *script.UseScript:
			if used := c.uses[item]; used != nil {
				c.declare(used)
			}
		case *script.Param:
			c.param(item)
		case *script.Rule:
			if c.known[item.Name] {
				c.errorf(item.Pos, "", "the name %q is taken by another rule", item.Name)
			}
			c.known[item.Name] = true
		}
	}
	c.source = s.Source
}

// checkValues reports values given for parameters that are not there.
func (c *compiler) checkValues() {
	var names []string
	for _, p := range c.program.Params {
		names = append(names, p.Name)
	}
	for _, name := range slices.Sorted(maps.Keys(c.options.Values)) {
		if slices.Contains(names, name) {
			continue
		}
		remedy, _ := script.Meant(name, names, "declare it with param "+name)
		c.errorf(script.Pos{}, remedy, "a value is given for %s, and no parameter has that name", name)
	}
	for _, name := range slices.Sorted(maps.Keys(c.options.Shared)) {
		if remedy, near := script.Meant(name, names, ""); near != "" {
			c.warn(script.Pos{}, remedy, "a file gives a value for %s, and no parameter has that name", name)
		}
	}
}

// script compiles the rules of s, over the files that outer accepts.
func (c *compiler) script(s *script.Script, outer []program.Selector) {
	source, joiners := c.source, c.joiners
	c.source, c.joiners = s.Source, ""
	defer func() { c.source, c.joiners = source, joiners }()

	defer func(syntax syntax.Syntax) { c.syntax = syntax }(c.syntax)
	c.syntax = c.options.Syntax
	own, encoding := c.settings(s.Items, &c.joiners)
	defer c.scoped(nil, s.Items)()
	filters := append(slices.Clone(outer), own...)
	for _, item := range s.Items {
		switch n := item.(type) {
		case *script.Title:
			if c.program.Title == "" {
				c.program.Title = c.fixed(n.Text)
			}
		case *script.UseScript:
			if used := c.uses[n]; used != nil {
				c.script(used, filters)
			}
		case *script.Rule:
			c.namedRule(n, filters, encoding)
		default:
			if script.Declares(n) {
				continue
			}
			c.begin(program.Rule{
				Label: fmt.Sprintf("%s:%d", path.Base(s.Source.Name), n.Place().Line), Selectors: filters, Encoding: encoding,
			})
			c.body([]script.Node{n})
		}
	}
}

// settings reads the declarations about files of a script or a rule.
func (c *compiler) settings(items []script.Node, joiners *string) (filters []program.Selector, encoding string) {
	var f program.Selector
	said := map[string]bool{}
	once := func(pos script.Pos, what string) {
		if said[what] {
			c.errorf(pos, "say it once", "%s is said twice", what)
		}
		said[what] = true
	}
	chosen, left := map[string]bool{}, map[string]bool{}
	for _, item := range items {
		switch n := item.(type) {
		case *script.Version:
			once(n.Pos, "the version")
		case *script.Title:
			once(n.Pos, "the title")
		case *script.Files:
			for _, g := range n.Globs {
				glob := c.constant(g)
				same, other := chosen, left
				if n.Not {
					same, other = left, chosen
				}
				switch {
				case !program.ValidGlob(glob):
					c.errorf(g.Pos, "", "%q is not a valid glob", glob)
				case same[glob]:
					c.errorf(g.Pos, "say it once", "the glob %q is said twice", glob)
				case other[glob]:
					c.errorf(g.Pos, "keep one of them", "the glob %q is both in files and in not files", glob)
				case n.Not:
					f.Out = append(f.Out, glob)
				default:
					f.In = append(f.In, glob)
				}
				same[glob] = true
			}
		case *script.Joiners:
			once(n.Pos, "what joins words")
			*joiners = c.fixed(n.Text)
		case *script.Encoding:
			once(n.Pos, "the encoding")
			encoding = c.fixed(n.Name)
			c.knownEncoding(n.Name)
		case *script.Syntax:
			once(n.Pos, "the syntax")
			c.knownSyntax(n.Name)
		}
	}
	if len(f.In)+len(f.Out) > 0 {
		filters = []program.Selector{f}
	}
	return filters, encoding
}

// begin starts a rule.
func (c *compiler) begin(r program.Rule) {
	r.Syntax = c.syntax
	r.Index = len(c.program.Rules)
	c.rule = &r
	c.program.Rules = append(c.program.Rules, c.rule)
}

func (c *compiler) namedRule(n *script.Rule, filters []program.Selector, encoding string) {
	joiners, syntax := c.joiners, c.syntax
	defer func() { c.joiners, c.syntax = joiners, syntax }()
	own, ownEncoding := c.settings(n.Body, &c.joiners)
	defer c.scoped(c.tables, n.Body)()
	if ownEncoding != "" {
		encoding = ownEncoding
	}
	c.begin(program.Rule{
		Name: n.Name, Label: n.Name, About: c.fixed(n.About),
		Selectors: append(slices.Clone(filters), own...), Encoding: encoding,
	})
	c.saidTwice(n.Body)
	for _, item := range n.Body {
		switch item := item.(type) {
		case *script.When:
			c.rule.When = append(c.rule.When, c.condition(item))
		case *script.Expect:
			c.rule.Expects = append(c.rule.Expects, program.Expectation{Bound: item.Bound, Matches: item.Matches, PerFile: item.PerFile, Place: c.place(item.Pos)})
		}
	}
	c.body(n.Body)
	c.rules[n.Name] = c.rule.Index
}

// saidTwice reports conditions and expectations of a rule that are said twice, or contradict each other.
func (c *compiler) saidTwice(body []script.Node) {
	said := map[string]bool{}
	for _, item := range body {
		var text, opposite string
		switch n := item.(type) {
		case *script.When:
			text = script.Format(&script.Script{Items: []script.Node{&script.When{Pattern: n.Pattern, Lacks: n.Lacks, By: n.By}}})
			if n.Pattern != nil {
				opposite = script.Format(&script.Script{Items: []script.Node{&script.When{Pattern: n.Pattern, Lacks: !n.Lacks}}})
			}
		case *script.Expect:
			text = fmt.Sprintf("expect %d %t %t", n.Bound.Kind, n.Matches, n.PerFile)
		default:
			continue
		}
		switch {
		case said[text]:
			c.errorf(item.Place(), "say it once", "this is said twice in the rule")
		case said[opposite]:
			c.errorf(item.Place(), "keep one of them", "this condition says the opposite of another one")
		}
		said[text] = true
	}
}

func (c *compiler) condition(n *script.When) program.Condition {
	out := program.Condition{Lacks: n.Lacks, By: -1}
	if n.Pattern != nil {
		out.Pattern = c.pattern(n.Pattern, within)
	}
	if n.By != "" {
		i, ok := c.rules[n.By]
		if !ok {
			remedy, near := script.Meant(n.By, slices.Sorted(maps.Keys(c.rules)), "the rule must come before this one")
			c.errorf(n.Pos, remedy, "no rule %s runs before this one", n.By)
			c.near(n.Pos, n.By, near)
		}
		out.By = i
	}
	return out
}

// body compiles statements, and gathers the assertions among them.
func (c *compiler) body(nodes []script.Node) {
	c.rule.Body = append(c.rule.Body, c.actions(nodes)...)
}

func (c *compiler) actions(nodes []script.Node) (out []program.Action) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *script.Addressed:
			if of := n.Address.SubjectOf(); of != script.Content {
				c.named(n, of)
				continue
			}
			a := c.address(n.Address)
			if a == nil { // its mistake is reported
				continue
			}
			c.within = append(c.within, a)
			if inner := c.actions(n.Body); len(inner) > 0 {
				out = append(out, &program.Addressed{Address: a, Body: inner})
			}
			c.within = c.within[:len(c.within)-1]
		case *script.Assert:
			c.assert(n)
		default:
			if a := c.statement(n); a != nil {
				out = append(out, program.Statement{Action: a, Number: c.program.Statements})
				c.program.Statements++
				c.program.Looks = append(c.program.Looks, program.Look{Rule: c.rule.Index, Shown: shown(n)})
			}
		}
	}
	return out
}

// shown returns the pattern that a statement looks for, for messages; "" for one that acts without a match.
func shown(n script.Node) string {
	if r, ok := n.(*script.Replace); ok {
		return describe(r.Pattern)
	}
	return ""
}

// place returns a position in the current script for messages.
func (c *compiler) place(pos script.Pos) string {
	return fmt.Sprintf("%s:%d", cmp.Or(pos.In, c.source).Name, pos.Line)
}

// groupsOf returns the names of a pattern's groups, or only group 0 if the pattern did not compile.
func groupsOf(p *pattern.Pattern) []string {
	if p == nil {
		return []string{""}
	}
	return p.Groups()
}

// oneLine reports a text that must hold no line break and does.
func (c *compiler) oneLine(t *script.Text, what string) {
	for _, p := range c.parts(t) {
		if strings.Contains(p.Literal, "\n") || p.Hole != nil && p.Hole.Name == "newline" {
			c.errorf(t.Pos, "", "%s is one line", what)
			return
		}
	}
}
