// Package learn finds the rules that do what a person did by hand to a text.
//
// [Rules] gets pairs of texts, before and after, and returns a script that makes the second of the first, to the last byte, in
// each pair. It is a search with a judge: proposers (words.go, lines.go, whole.go) look at what still differs and propose
// statements, the most general first; a proposal is run by the same machine as any script, and is taken only if it changes
// nothing that the person left as it was and leaves less to be done. What no general statement does is told by lines that
// are unique, at last by number. In the end each statement is dropped again if the rest does without it.
package learn

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/script"
)

// A Pair is a text before and after a person edited it.
type Pair struct {
	Name     string // of the file, for its syntax
	Old, New []byte
	// Encoding is the new encoding of the file, "" if it is the old one.
	Encoding string
}

// A How says how general a statement is.
type How int

const (
	General  How = iota
	ByLines      // told by what lines around hold
	ByNumber     // told by the numbers of lines
)

// A Statement is a statement that was learned.
type Statement struct {
	Text string
	How  How
	File string // the only file that it is for, "" for all
}

// rule returns the statement as a line of a script, number by number a rule of its own if it is for one file.
func (s Statement) rule(number int) string {
	text := s.Text
	if s.How == ByLines {
		text = "# told by lines near it, since its own are not unique\n" + text
	}
	if s.How == ByNumber {
		text = "# told by its number, since no line near it is unique\n" + text
	}
	if s.File == "" {
		return text
	}
	return fmt.Sprintf("rule only-%d {\nfiles %s\n%s\n}", number, quoted(s.File), text)
}

// Script returns the rules as a script, without its layout.
func (l *Learned) Script() string {
	var b strings.Builder
	if l.Joiners != "" {
		fmt.Fprintf(&b, "joiners %s\n", quoted(l.Joiners))
	}
	for i, s := range l.Statements {
		b.WriteString(s.rule(i+1) + "\n")
	}
	return b.String()
}

// Learned are the rules that were learned.
type Learned struct {
	Joiners    string
	Statements []Statement
}

// A CannotError reports why no script makes one text of the other.
type CannotError struct{ Name, Reason string }

func (e *CannotError) Error() string {
	return fmt.Sprintf("no rules say this edit of %s: %s", e.Name, e.Reason)
}

// A state is a pair with what the statements so far made of its text.
type state struct {
	Pair
	now   []byte
	hunks []hunk
	cost  int
}

// A hunk is whole lines that still differ.
type hunk struct {
	start, end int // bytes of the text
	fresh      []byte
}

type learner struct {
	states  []*state
	joiners string
	done    []Statement
	tried   map[string]bool // statements that failed since the last one that was taken
	budget  int             // proposals that may still be run
	only    string          // the file that proposals are for, "" for all
}

// Limits on the work: on proposals, on the bytes that they are run over, on places that are told by numbers, and on
// statements that are tried to be dropped.
const (
	maxProposals = 4000
	minProposals = 100
	maxRun       = 200 << 20
	maxNumbers   = 300
	maxTidied    = 60
	muchLeft     = 10_000 // words and marks that differ: no joiners will help
)

// joining are the sets of characters that may join words, in the order in which they are tried.
var joining = []string{"", "-", ".", "-."}

// Rules returns the rules that make each pair's new text of its old one. The error is a *CannotError.
func Rules(pairs []Pair) (*Learned, error) {
	for _, p := range pairs {
		if i := invalid(p.Old); i < 0 {
			continue
		}
		return nil, &CannotError{p.Name, "its text is not UTF-8 and has no encoding that is known"}
	}
	for _, p := range pairs {
		if notes := (&program.Program{}).Breaks(program.File{Path: p.Name, Rel: p.Name}, p.Old, p.New); len(notes) > 0 {
			return nil, &CannotError{p.Name, notes[0].Text}
		}
	}
	best, err := search(pairs, false)
	if err != nil {
		return nil, err
	}
	if len(best.Script()) > longScript || best.worst() == ByNumber { // perhaps lines moved, which words do not tell
		if other, err := search(pairs, true); err == nil && other.before(best) {
			best = other
		}
	}
	return best, nil
}

// longScript is the size in bytes from which another order of proposals is tried as well.
const longScript = 400

// search returns the rules that one order of proposals finds: words before lines, or lines that moved before words.
func search(pairs []Pair, movesFirst bool) (*Learned, error) {
	var l *learner
	for _, joiners := range joining {
		next := newLearner(pairs, joiners)
		next.whole()
		if movesFirst {
			next.moves()
		}
		next.words()
		if l == nil || next.left() < l.left() {
			l = next
		}
		if !next.harmed() || next.left() > muchLeft {
			break
		}
	}
	l.lines()
	if err := l.numbers(); err != nil {
		return nil, err
	}
	l.tidy()
	if !l.exact(l.done) { // statements that are right one after the other and not together
		l = newLearner(pairs, "")
		if err := l.numbers(); err != nil {
			return nil, err
		}
		if !l.exact(l.done) {
			return nil, &CannotError{pairs[0].Name, "the language has no statement for it, such as one line's ending among others"}
		}
	}
	return &Learned{l.joiners, l.done}, nil
}

// worst returns the least general How of the rules.
func (l *Learned) worst() (how How) {
	for _, s := range l.Statements {
		how = max(how, s.How)
	}
	return how
}

// before reports whether rules are better than others: more general, or as general and shorter.
func (l *Learned) before(other *Learned) bool {
	if a, b := l.worst(), other.worst(); a != b {
		return a < b
	}
	return len(l.Script()) < len(other.Script())
}

func newLearner(pairs []Pair, joiners string) *learner {
	l := &learner{joiners: joiners, tried: map[string]bool{}}
	size := 1
	for _, p := range pairs {
		size += len(p.Old)
	}
	l.budget = min(max(maxRun/size, minProposals), maxProposals)
	for _, p := range pairs {
		s := &state{Pair: p}
		s.set(p.Old)
		l.states = append(l.states, s)
	}
	return l
}

// invalid returns the offset of the first byte that is not UTF-8, or a NUL; -1 if there is none.
func invalid(text []byte) int {
	for i, r := range string(text) {
		if r == 0 || r == '\uFFFD' && !bytes.HasPrefix(text[i:], []byte("\uFFFD")) {
			return i
		}
	}
	return -1
}

// set makes a text the current one.
func (s *state) set(text []byte) {
	s.now, s.hunks = text, hunksOf(text, s.New)
	s.cost = costOf(text, s.hunks)
}

// hunksOf returns what differs between two texts.
func hunksOf(now, want []byte) (hunks []hunk) {
	for _, e := range diff.Compare(now, want) {
		hunks = append(hunks, aligned(now, hunk{e.Start, e.End, e.New})...)
	}
	return hunks
}

// costOf returns the number of words and marks that differ.
func costOf(now []byte, hunks []hunk) (n int) {
	for _, h := range hunks {
		old, fresh := tokenLines(now[h.start:h.end]), tokenLines(h.fresh)
		n++
		for _, e := range diff.Compare(old, fresh) {
			n += bytes.Count(old[e.Start:e.End], []byte("\n")) + bytes.Count(e.New, []byte("\n"))
		}
	}
	return n
}

func (l *learner) left() (n int) {
	for _, s := range l.states {
		n += s.cost
	}
	return n
}

// compiled returns statements as a program, nil if they are none.
func (l *learner) compiled(statements ...Statement) *program.Program {
	text := (&Learned{l.joiners, statements}).Script()
	parsed, problems := script.Parse("learned", text)
	if len(problems.Errors()) > 0 {
		return nil
	}
	p, _ := compile.Scripts([]*script.Script{parsed}, compile.Options{})
	return p
}

// run runs a program over a text. It reports false if the result would not be written.
func run(p *program.Program, name string, text []byte) (edit.List, bool) {
	made := p.Run(program.Input{Text: text, File: program.File{Path: name, Rel: name}})
	if len(made.Failures)+len(made.Broken)+len(made.Unreadable) > 0 {
		return nil, false
	}
	return made.Edits, true
}

// try runs a statement, and takes it if it leaves less to be done, and nothing as it was not to become.
func (l *learner) try(text string, how How) bool {
	if l.budget <= 0 || l.tried[l.only+"\n"+text] {
		return false
	}
	l.budget--
	l.tried[l.only+"\n"+text] = true
	statement := Statement{text, how, l.only}
	p := l.compiled(statement)
	if p == nil {
		return false
	}
	before, after := 0, 0
	made := make([]edit.List, len(l.states))
	for i, s := range l.states {
		var ok bool
		if made[i], ok = run(p, s.Name, s.now); !ok || !s.harmless(made[i]) {
			return false
		}
	}
	fresh := make([]state, len(l.states))
	for i, s := range l.states {
		fresh[i] = *s
		l.budget = max(l.budget-len(s.hunks)/1000, 0) // comparing costs more then than running
		if len(made[i]) > 0 {
			fresh[i].set(slices.Clone(made[i].Apply(s.now)))
		}
		before, after = before+s.cost, after+fresh[i].cost
	}
	if after >= before {
		return false
	}
	for i, s := range l.states {
		*s = fresh[i]
	}
	l.done = append(l.done, statement)
	clear(l.tried)
	return true
}

// harmless reports whether edits change only lines that differ.
func (s *state) harmless(edits edit.List) bool {
	k := 0
	for _, e := range edits {
		for k < len(s.hunks) && s.hunks[k].end < e.End {
			k++
		}
		if k == len(s.hunks) || e.Start < s.hunks[k].start && !s.touching(k, e.Start) {
			return false
		}
	}
	return true
}

// touching reports whether the hunks before hunk k, each touching the next, begin at or before a byte.
func (s *state) touching(k, at int) bool {
	for ; k >= 0; k-- {
		if s.hunks[k].start <= at {
			return true
		}
		if k == 0 || s.hunks[k-1].end < s.hunks[k].start {
			return false
		}
	}
	return false
}

// exact reports whether statements make every new text.
func (l *learner) exact(statements []Statement) bool {
	p := l.compiled(statements...)
	for _, s := range l.states {
		if bytes.Equal(s.Old, s.New) && len(statements) == 0 {
			continue
		}
		if p == nil {
			return false
		}
		edits, ok := run(p, s.Name, s.Old)
		if !ok || !bytes.Equal(edits.Apply(s.Old), s.New) {
			return false
		}
	}
	return true
}

// tidy drops each statement that the rest does without, and the joiners if nothing needs them.
func (l *learner) tidy() {
	if len(l.done) > maxTidied {
		return
	}
	for i := len(l.done) - 1; i >= 0; i-- {
		without := slices.Delete(slices.Clone(l.done), i, i+1)
		if l.exact(without) {
			l.done = without
		}
	}
	if was := l.joiners; was != "" {
		if l.joiners = ""; !l.exact(l.done) {
			l.joiners = was
		}
	}
}

// quoted returns a text as a string of a script; "" if it has all three quotes.
func quoted(text string) string {
	t, ok := script.NewText(text, '"')
	if !ok || t.Block || strings.ContainsAny(text, "\n\r") {
		return ""
	}
	return string(t.Quote) + t.Raw + string(t.Quote)
}

// written returns a text of lines behind a word: as a string, or as a margin block below it.
func written(word, text string) string {
	if !strings.Contains(text, "\n") {
		if q := quoted(text); q != "" {
			return word + " " + q
		}
	}
	var b strings.Builder
	b.WriteString(word)
	for line := range strings.SplitSeq(strings.ReplaceAll(text, "{=", "{=="), "\n") {
		b.WriteString("\n| " + line)
	}
	return b.String()
}
