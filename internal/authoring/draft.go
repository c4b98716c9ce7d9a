// Package authoring makes rules together with a person: a [Draft] is a change that takes shape in fields, among scripts, while
// its effect is watched; [Learn] and [Keeper] find the rules of an edit that was made by hand.
package authoring

import (
	"slices"
	"strings"

	"frizzel/core/script"
	"frizzel/internal/oneoff"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
)

// A Draft compiles rules that take shape: a change that a person edits, among scripts that stay as they are. What the
// scripts need is read once.
type Draft struct {
	read  *rules.Parsed
	rules rules.Given
	files usecase.Files
	slot  slot
	given oneoff.Change // the change at first
}

// A slot is the place of the change in the scripts.
type slot struct {
	script  int             // its index; -1 if the change is by itself, behind the scripts
	node    script.Node     // the statement, with those of its addresses that are for it alone
	replace *script.Replace // the statement
}

// A Drafted is the rules with one version of the change.
type Drafted struct {
	*rules.Compiled
	Plan      *run.Plan      // nil if there are no rules
	What      run.Sought     // Assertions if nothing is replaced yet
	Statement string         // the change in the rule language, on one line
	Others    []string       // the other statements, in the rule language, a line each
	change    *oneoff.Change // as it was given
	script    *script.Script // of the change; nil for none
	draft     *Draft
}

// NewDraft reads the rules for trying a change. If none is given, the first replace of the scripts is the change, if
// fields can hold it. It returns the change with its addresses as one text.
func NewDraft(given rules.Given, change oneoff.Change, files usecase.Files) (*Draft, oneoff.Change, error) {
	read, err := given.Parse()
	if err != nil {
		return nil, change, err
	}
	if errs := read.Problems.Errors(); len(errs) > 0 {
		return nil, change, errs
	}
	d := &Draft{read: read, rules: given, files: files, slot: slot{script: -1}}
	around, err := change.Addresses()
	if err != nil {
		return nil, change, err
	}
	if change.Kind == "" {
		for i, s := range read.Scripts {
			if found := firstReplace(s.Items); found.replace != nil {
				d.slot = found
				d.slot.script = i
				around = fieldsOf(&change, found)
				break
			}
		}
	}
	if change.Kind == "" {
		change.Kind = "text"
	}
	change.Where = []oneoff.Where{{Text: wordsOf(around)}}
	d.given = change
	return d, change, nil
}

// Unchanged reports whether a change is the one that the draft began with.
func (d *Draft) Unchanged(c oneoff.Change) bool {
	same := c.With != nil && d.given.With != nil && *c.With == *d.given.With
	return same && c.Kind == d.given.Kind && c.Old == d.given.Old && c.IgnoreCase == d.given.IgnoreCase && c.KeepCase == d.given.KeepCase &&
		slices.Equal(c.Where, d.given.Where)
}

// ScriptName returns the path of the script that has the change, as it was given.
func (d *Draft) ScriptName() string { return d.rules.Scripts[d.slot.script] }

func wordsOf(around []*script.Address) string {
	words := make([]string, len(around))
	for i, a := range around {
		words[i] = a.String()
	}
	return strings.Join(words, " ")
}

// firstReplace returns the first replacement that fields can hold.
func firstReplace(nodes []script.Node) slot {
	for _, n := range nodes {
		switch n := n.(type) {
		case *script.Rule:
			if found := firstReplace(n.Body); found.replace != nil {
				return found
			}
		case *script.Addressed:
			found := firstReplace(n.Body)
			if found.replace != nil && len(n.Body) == 1 && found.node == n.Body[0] {
				found.node = n
			}
			if found.replace != nil {
				return found
			}
		case *script.Replace:
			if fits(n) {
				return slot{node: n, replace: n}
			}
		}
	}
	return slot{}
}

// fits reports whether fields can hold a replacement.
func fits(n *script.Replace) bool {
	line := func(t *script.Text) bool { return t.File == nil && !t.Block }
	return n.Pattern.Kind != script.WholeLines && line(n.Pattern.Text) && (n.With == nil || line(n.With))
}

// fieldsOf sets the change to the replacement of a slot, and returns its addresses.
func fieldsOf(change *oneoff.Change, s slot) (around []*script.Address) {
	n := s.replace
	change.Kind, change.Old = kinds[n.Pattern.Kind], n.Pattern.Text.Raw
	with := ""
	if n.With != nil {
		with = n.With.Raw
	}
	change.With, change.IgnoreCase, change.KeepCase = &with, n.Pattern.IgnoreCase, n.KeepCase
	for node := s.node; node != script.Node(n); {
		a := node.(*script.Addressed)
		around, node = append(around, a.Address), a.Body[0]
	}
	return around
}

var kinds = map[script.PatternKind]string{script.PlainText: "text", script.WholeWord: "word", script.Regex: "regex"}

// InScript reports whether the change is a statement of one of the scripts.
func (d *Draft) InScript() bool { return d.slot.script >= 0 }

// Compile compiles the rules with a version of the change. Without anything to look for, the other rules run. The error is
// that of Compile; its problems are in sources called by the options, and WhereName.
func (d *Draft) Compile(change oneoff.Change) (*Drafted, error) {
	made := &Drafted{What: run.Changes, change: &change, draft: d}
	scripts := slices.Clone(d.read.Scripts)
	for i, s := range scripts {
		made.Others = append(made.Others, d.others(i, s)...)
	}
	var err error
	switch {
	case change.Old == "":
		change.Kind = ""
		if d.InScript() {
			scripts[d.slot.script] = substituted(scripts[d.slot.script], d.slot.node, nil)
		}
		made.script, err = change.Script()
	case change.With == nil:
		made.What, scripts = run.Assertions, nil
		made.script, err = change.Search()
	case d.InScript():
		var n script.Node
		if n, err = d.slot.with(&change); err == nil {
			made.script = substituted(scripts[d.slot.script], d.slot.node, n)
			scripts[d.slot.script], made.Statement = made.script, script.OneLine(n)
		}
	default:
		if made.script, err = change.Script(); err == nil {
			made.Statement = strings.Join(statements(made.script.Items), "; ")
		}
	}
	if err != nil {
		return nil, err
	}
	if made.script != nil && !slices.Contains(scripts, made.script) {
		scripts = append(scripts, made.script)
	}
	return made, made.compile(scripts)
}

// compile compiles the scripts, if there are any rules.
func (m *Drafted) compile(scripts []*script.Script) (err error) {
	read := *m.draft.read
	read.Scripts, read.Problems = scripts, nil
	if m.Compiled, err = read.Compile(nil); err != nil || len(m.Program.Rules) == 0 {
		return err
	}
	if m.Plan, err = usecase.NewPlan(m.draft.files, m.Compiled); err == nil && m.What == run.Changes {
		m.Plan.ForReview()
	}
	return err
}

// Walk returns a plan without rules, which selects the files.
func (d *Draft) Walk() (*run.Plan, error) {
	read := *d.read
	read.Scripts, read.Problems = nil, nil
	c, err := read.Compile(nil)
	if err != nil {
		return nil, err
	}
	return usecase.NewPlan(d.files, c)
}

// with returns the node of a slot with a version of the change.
func (s slot) with(change *oneoff.Change) (script.Node, error) {
	bare := *change
	bare.Where = nil
	node, err := bare.Node()
	if err != nil {
		return nil, err
	}
	n := node.(*script.Replace)
	n.Head, n.Which, n.InFile, n.AcrossLines = s.replace.Head, s.replace.Which, s.replace.InFile, s.replace.AcrossLines
	n.Pattern.Guards = s.replace.Pattern.Guards
	n.Pattern.Whole = s.replace.Pattern.Whole && n.Pattern.Kind == script.Regex
	if n.With != nil && n.With.Raw == "" {
		n.With = nil
	}
	return change.Addressed(n)
}

// substituted returns a script in which a node is replaced, or left out if fresh is nil. It shares the other nodes.
func substituted(s *script.Script, old, fresh script.Node) *script.Script {
	c := *s
	c.Items = substitute(s.Items, old, fresh)
	return &c
}

func substitute(nodes []script.Node, old, fresh script.Node) (out []script.Node) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *script.Rule:
			if n != old {
				c := *n
				c.Body = substitute(n.Body, old, fresh)
				out = append(out, &c)
				continue
			}
		case *script.Addressed:
			if n != old {
				c := *n
				if c.Body = substitute(n.Body, old, fresh); len(c.Body) > 0 {
					out = append(out, &c)
				}
				continue
			}
		}
		switch {
		case n != old:
			out = append(out, n)
		case fresh != nil:
			out = append(out, fresh)
		}
	}
	return out
}

// others returns the statements of a script without that of the change, a line for each rule.
func (d *Draft) others(i int, s *script.Script) (lines []string) {
	items := s.Items
	if i == d.slot.script {
		items = substitute(items, d.slot.node, nil)
	}
	for _, n := range items {
		switch n := n.(type) {
		case *script.Rule:
			if all := statements(n.Body); len(all) > 0 {
				lines = append(lines, n.Name+": "+strings.Join(all, "; "))
			}
		default:
			lines = append(lines, statements([]script.Node{n})...)
		}
	}
	return lines
}

// statements returns statements and assertions, without their comments, a line each.
func statements(nodes []script.Node) (lines []string) {
	for _, n := range nodes {
		if _, bound := n.(*script.Expect); !bound && !script.Declares(n) {
			lines = append(lines, script.OneLine(n))
		}
	}
	return lines
}
