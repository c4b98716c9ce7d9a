// Package explain says what a script does, in sentences, and what it does to a text: which rule changes which line in which
// order, and why a rule changes nothing.
//
// [Sentence] makes a sentence of a statement. [Script.Of] runs the statements one by one over a text, each by itself and on what
// the ones before made, as the whole script would. Where a statement changes nothing it tries what nearly was written:
// the pattern in another case, inside a longer word, without its guards, outside of its addresses.
package explain

import (
	"bytes"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/script"
)

// A Step is what a statement does to a line.
type Step struct {
	Of            script.Subject
	Line          int // of the original text, from 1; 0 for a name
	Rule          string
	Statement     string // in the rule language
	Before, After string // the line, or the lines joined
}

// A Why is a reason why a statement changes nothing.
type Why struct {
	Line      int // of what nearly matched, 0 for none
	Rule      string
	Statement string
	Reason    string
}

// An Account is what a script does to a text.
type Account struct {
	Steps []Step // by line, and of a line in the order in which they are made
	Whys  []Why
	// Selected are the lines that addresses select, by statement.
	Selected []Selected

	result []byte                    // the text in the end
	called map[script.Subject]string // the names in the end
}

// Selected are the lines that the addresses of a statement select.
type Selected struct {
	Statement string
	Lines     string
}

// A Script is a script to explain, with those that it uses.
type Script struct {
	Scripts []*script.Script // in the order in which they run
	Options compile.Options
}

// A leaf is one statement with what is around it.
type leaf struct {
	rule    *script.Rule // nil without one
	around  []*script.Address
	node    script.Node
	declare []script.Node // declarations of its script
	source  *script.Source
	shown   string
}

// OneChange is what a change without a script is called.
const OneChange = "the change"

// name returns what people call the leaf's rule: its name, or the script's name and its line.
func (l *leaf) name() string {
	if l.rule != nil {
		return l.rule.Name
	}
	if l.node.Place().In != nil { // of an option
		return OneChange
	}
	return fmt.Sprintf("%s:%d", path.Base(l.source.Name), l.node.Place().Line)
}

// leaves returns the statements in the order in which they run.
func (s Script) leaves() (all []*leaf) {
	for _, one := range s.Scripts {
		declare := declared(one)
		for _, n := range one.Items {
			rule, nodes := (*script.Rule)(nil), []script.Node{n}
			if r, ok := n.(*script.Rule); ok {
				rule, nodes = r, r.Body
			}
			all = append(all, walk(nodes, leaf{rule: rule, declare: declare, source: one.Source})...)
		}
	}
	return all
}

// declared returns the declarations of a script.
func declared(s *script.Script) (all []script.Node) {
	for _, n := range s.Items {
		switch n.(type) {
		case *script.Param, *script.Files, *script.Joiners, *script.Encoding, *script.Syntax, *script.NamedTable:
			all = append(all, n)
		}
	}
	return all
}

func walk(nodes []script.Node, in leaf) (all []*leaf) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *script.Addressed:
			inner := in
			inner.around = append(slices.Clip(in.around), n.Address)
			all = append(all, walk(n.Body, inner)...)
		case *script.Assert, *script.Expect, *script.Rule:
		default:
			if script.Declares(n) {
				continue
			}
			l := in
			l.node = n
			l.shown = script.OneLine(script.Within(l.around, n))
			all = append(all, &l)
		}
	}
	return all
}

// program compiles a node under addresses, with the declarations of a leaf's script and rule; nil if it has mistakes.
func (s Script) program(l *leaf, around []*script.Address, n script.Node) *program.Program {
	items := slices.Clone(l.declare)
	body := []script.Node{script.Within(around, n)}
	if l.rule != nil {
		var own []script.Node
		for _, b := range l.rule.Body {
			switch b.(type) {
			case *script.Files, *script.Joiners, *script.Encoding, *script.Syntax, *script.NamedTable:
				own = append(own, b)
			}
		}
		body = []script.Node{&script.Rule{Head: l.rule.Head, Name: l.rule.Name, Body: append(own, body...)}}
	}
	p, _ := compile.Scripts([]*script.Script{{Source: l.source, Items: append(items, body...)}}, s.Options)
	return p
}

// An explaining is the explanation of one text.
type explaining struct {
	Script
	file program.File
	now  []byte
	// document is the office document that the text was read from, nil for other files. Its places are those of the text as
	// it is, so each statement is explained by itself.
	document program.Document
	origins  []int // of the lines of now: the line of the original text
	changed  map[string]bool
	only     int // the line that is asked about, 0 for all
	called   map[script.Subject]string
	unread   bool
	account  *Account
}

// A Text is what a script is explained with.
type Text struct {
	File     program.File
	Content  []byte
	Unread   bool             // there is no content to look at
	Document program.Document // the office document that Content was read from, nil for other files
	Line     int              // that is asked about, 0 for all
	// Called is what the file is called, and where a link leads. What it has no text for is not explained.
	Called map[script.Subject]string
}

// Of explains what the script does to a text.
func (s Script) Of(t Text) *Account {
	x := &explaining{
		Script: s, file: t.File, now: t.Content, document: t.Document, changed: map[string]bool{}, only: t.Line, account: &Account{},
		called: maps.Clone(t.Called), unread: t.Unread,
	}
	for i := range lines.Count(t.Content) {
		x.origins = append(x.origins, i+1)
	}
	for _, l := range s.leaves() {
		x.leaf(l)
	}
	x.assertions()
	x.account.result, x.account.called = x.now, x.called
	slices.SortStableFunc(x.account.Steps, func(a, b Step) int { return a.Line - b.Line })
	return x.account
}

// leaf runs one statement, and says what it does or why it does nothing.
func (x *explaining) leaf(l *leaf) {
	of := l.subject()
	if _, ok := x.called[of]; of != script.Content && (!ok || x.only > 0) || of == script.Content && x.unread {
		return // there is nothing of the kind here
	}
	p := x.program(l, l.around, l.node)
	if p == nil {
		x.why(l, 0, "it cannot be run by itself here")
		return
	}
	if !p.Selects(x.file) {
		x.why(l, 0, "its files line leaves this file out")
		return
	}
	if reason := x.guarded(l); reason != "" {
		x.why(l, 0, reason)
		return
	}
	if of != script.Content {
		x.name(l, p, of)
		return
	}
	x.selected(l)
	var proposals []program.Proposal
	made := p.Run(program.Input{Text: x.now, File: x.file, Document: x.document, Decide: func(c program.Proposal) program.Answer {
		c.Edits = slices.Clone(c.Edits)
		proposals = append(proposals, c)
		return program.Answer{}
	}})
	for _, n := range made.Unreadable {
		x.why(l, x.origin(n.Line), fmt.Sprintf("what is opened on line %d is never closed, so the file stays as it is", x.origin(n.Line)))
		return
	}
	for _, n := range made.Failures {
		x.why(l, x.origin(n.Line), n.Text)
		return
	}
	for _, n := range made.Notes {
		if x.only == 0 || x.origin(n.Line) == x.only {
			x.account.Whys = append(x.account.Whys, Why{x.origin(n.Line), l.name(), l.shown, n.Text})
		}
	}
	touched := false
	for _, c := range proposals {
		step := x.step(l, c)
		if x.only == 0 || step.Line == x.only {
			x.account.Steps = append(x.account.Steps, step)
			touched = true
		}
	}
	if len(proposals) > 0 {
		x.changed[l.name()] = true
	}
	if !touched {
		x.nothing(l)
	}
	x.apply(made.Edits)
}

// origin returns the original line of a line, 0 for 0.
func (x *explaining) origin(line int) int {
	if line < 1 || len(x.origins) == 0 {
		return 0
	}
	return x.origins[min(line, len(x.origins))-1]
}

// step returns what a proposal does to its lines.
func (x *explaining) step(l *leaf, c program.Proposal) Step {
	first, last := c.Edits[0], c.Edits[len(c.Edits)-1]
	start := lines.Start(c.Text, 0, first.Start)
	end := lines.Next(c.Text, max(first.Start, last.End-1), len(c.Text))
	return Step{
		Line: x.origin(lines.Number(c.Text, first.Start)), Rule: l.name(), Statement: l.shown,
		Before: joined(c.Text[start:end]), After: joined(c.Edits.Within(c.Text, start, end)),
	}
}

// maxJoined is the number of lines of a change that are shown.
const maxJoined = 5

func joined(text []byte) string {
	all := strings.Split(strings.TrimRight(string(text), "\r\n"), "\n")
	if len(all) > maxJoined {
		all = append(all[:maxJoined], fmt.Sprintf("and %d more lines", len(all)-maxJoined))
	}
	for i := range all {
		all[i] = script.Shorten(strings.TrimRight(all[i], "\r"))
	}
	return strings.Join(all, "\n")
}

// apply makes the edited text the current one, and keeps where its lines come from.
func (x *explaining) apply(edits edit.List) {
	if len(edits) == 0 || x.document != nil {
		return
	}
	fresh := slices.Clone(edits.Apply(x.now))
	starts := lineStarts(x.now)
	var origins []int
	shift, k := 0, 0 // of the edits before
	for _, at := range lineStarts(fresh) {
		for k < len(edits) && edits[k].Start+shift+len(edits[k].New) <= at {
			shift += len(edits[k].New) - (edits[k].End - edits[k].Start)
			k++
		}
		old := at - shift
		if k < len(edits) && at >= edits[k].Start+shift {
			old = edits[k].Start
		}
		i, _ := slices.BinarySearch(starts, min(old, len(x.now))+1)
		origins = append(origins, x.origin(max(i, 1)))
	}
	x.now, x.origins = fresh, origins
}

func lineStarts(text []byte) (starts []int) {
	for at := 0; at < len(text); {
		starts = append(starts, at)
		next := bytes.IndexByte(text[at:], '\n')
		if next < 0 {
			break
		}
		at += next + 1
	}
	return starts
}

func (x *explaining) why(l *leaf, line int, reason string) {
	w := Why{line, l.name(), l.shown, reason}
	if !slices.Contains(x.account.Whys, w) {
		x.account.Whys = append(x.account.Whys, w)
	}
}

// guarded returns why a guard of the leaf's rule keeps it from running, "" if none does.
func (x *explaining) guarded(l *leaf) string {
	if l.rule == nil {
		return ""
	}
	for _, n := range l.rule.Body {
		w, ok := n.(*script.When)
		if !ok {
			continue
		}
		holds := false
		switch {
		case w.By != "":
			holds = x.changed[w.By]
		case w.Pattern == nil:
			holds = len(x.changed) > 0
		default:
			holds = (len(x.find(l, nil, w.Pattern)) > 0) != w.Lacks
		}
		if !holds {
			return "its guard does not hold: it runs " + when(w)
		}
	}
	return ""
}
