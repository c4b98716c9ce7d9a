package compile

import (
	"fmt"
	"maps"
	"slices"

	"frizzel/core/program"
	"frizzel/core/script"
)

// Trial is one example of a script, run.
type Trial struct {
	Example *script.Example
	Given   string
	Want    string
	Got     string
	Failed  []string // why the text would not be written
	// Path, WantPath and GotPath are those of the file, if the example is about its name.
	Path, WantPath, GotPath string
}

// Passed reports whether the script turned the example's input into its expected output.
func (t *Trial) Passed() bool {
	return t.Got == t.Want && t.GotPath == t.WantPath && len(t.Failed) == 0
}

// name tries the rules on the path of the example's file; made is what they made of its content.
func (t *Trial) name(p *program.Program, path, want string, made *program.Result) {
	var held []bool
	if t.Example.Given != nil { // else there is no content
		held = made.Held()
	}
	t.Path, t.WantPath = path, want
	var results []*program.Result
	t.GotPath, results = p.Renamed(path, held)
	for _, res := range results {
		for _, n := range res.Failures {
			t.Failed = append(t.Failed, "the name: "+n.Text)
		}
	}
}

// renamesAgain reports whether a second run would change the new name once more.
func (t *Trial) renamesAgain(p *program.Program, made *program.Result) bool {
	if t.Example.Becomes == nil {
		return false
	}
	var held []bool
	if t.Example.Given != nil {
		held = made.Held()
	}
	again, _ := p.Renamed(t.GotPath, held)
	return again != t.GotPath
}

// Name returns the example's name, "" for none.
func (t *Trial) Name() string {
	if t.Example.Name == nil {
		return ""
	}
	name, _ := t.Example.Name.Plain()
	return name
}

// Examples runs all examples of a script that compiles. The problems are those of the
// examples themselves.
func Examples(s *script.Script, o Options) ([]*Trial, script.Problems) {
	var trials []*Trial
	var problems script.Problems
	compiled := map[string]*compiler{} // by the values set
	for _, item := range s.Items {
		e, ok := item.(*script.Example)
		if !ok {
			continue
		}
		key := fmt.Sprint(valuesOf(e))
		if compiled[key] == nil {
			compiled[key] = compileFor(s, e, o)
		}
		t, more := compiled[key].try(s, e)
		problems = append(problems, more...)
		if t != nil {
			trials = append(trials, t)
		}
	}
	return trials, problems
}

func valuesOf(e *script.Example) map[string]string {
	values := map[string]string{}
	for _, set := range e.Sets {
		values[set.Name], _ = set.Value.Plain()
	}
	return values
}

// compileFor compiles a script with the values that an example sets.
func compileFor(s *script.Script, e *script.Example, o Options) *compiler {
	values := maps.Clone(o.Values)
	if values == nil {
		values = map[string]string{}
	}
	maps.Copy(values, valuesOf(e))
	o.Values, o.Lenient = values, false
	c := newCompiler(o)
	c.all([]*script.Script{s})
	return c
}

// try runs one example; nil if it cannot be run.
func (c *compiler) try(s *script.Script, e *script.Example) (*Trial, script.Problems) {
	if errs := c.problems.Errors(); len(errs) > 0 {
		return nil, script.Problems{{
			Source: s.Source, Pos: e.Pos, Reason: "this example cannot be run: " + errs[0].Reason,
			Remedy: `give the parameter in the example: set NAME = "value"`,
		}}
	}
	p := c.program
	if e.Of != "" {
		i, ok := c.rules[e.Of]
		if !ok {
			p := script.Problem{Source: s.Source, Pos: e.Pos, Reason: "there is no rule " + e.Of}
			var near string
			if p.Remedy, near = script.Meant(e.Of, slices.Sorted(maps.Keys(c.rules)), ""); near != "" {
				p.Fixes = []script.Fix{{Title: "write " + near, Pos: e.Pos, Old: e.Of, New: near}}
			}
			return nil, script.Problems{p}
		}
		p = p.Only(i)
	}
	c.problems, c.source = nil, s.Source
	t := &Trial{Example: e}
	if e.Given != nil {
		t.Given = c.constant(e.Given)
	}
	t.Want = t.Given
	if e.Gives != nil {
		t.Want = c.constant(e.Gives)
	}
	if len(c.problems) > 0 {
		return nil, c.problems
	}
	f := program.File{Path: "example"}
	if e.File != nil {
		f.Path = c.fixed(e.File)
		f.Rel = f.Path
	}
	made := p.Run(program.Input{Text: []byte(t.Given), File: f})
	t.Got = became(t.Given, made)
	for _, n := range made.Failures {
		t.Failed = append(t.Failed, fmt.Sprintf("line %d: %s", n.Line, n.Text))
	}
	if t.Want != t.Given { // otherwise the example shows that the text does not change
		for _, n := range made.Unreadable {
			t.Failed = append(t.Failed, fmt.Sprintf("line %d: what is opened here is never closed, so the text stays as it is", n.Line))
		}
	}
	for _, n := range made.Broken {
		t.Failed = append(t.Failed, n.Text)
	}
	if e.Becomes != nil {
		t.name(p, f.Path, c.fixed(e.Becomes), made)
	}
	second := p.Run(program.Input{Text: []byte(t.Got), File: f})
	again := became(t.Got, second)
	if !t.Passed() || again == t.Got && !t.renamesAgain(p, second) {
		return t, nil
	}
	return t, script.Problems{{
		Source: s.Source, Pos: e.Pos, Severity: script.Warning,
		Reason: "a second run changes this example's result once more",
	}}
}

// became returns the result of a run: the changed text, or the unchanged text if it is unreadable.
func became(text string, made *program.Result) string {
	if len(made.Unreadable) > 0 {
		return text
	}
	return string(made.Edits.Apply([]byte(text)))
}
