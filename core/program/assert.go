package program

import (
	"fmt"
	"slices"

	"frizzel/core/pattern"
	"frizzel/core/script"
)

// expectation is a compiled `expect`.
type expectation struct {
	bound   script.Bound
	perFile bool
	place   string
}

// assertion is a compiled `forbid` or `require`.
type assertion struct {
	*script.Assert
	pattern   *pattern.Pattern
	addresses []*address // outermost first
	place     string
	rule      *rule
}

func (c *compiler) assert(n *script.Assert) {
	a := &assertion{Assert: n, pattern: c.pattern(n.Pattern, false), place: c.place(n.Pos), rule: c.rule}
	a.addresses = append(a.addresses, c.within...)
	if a.pattern != nil {
		c.rule.asserts = append(c.rule.asserts, a)
	}
}

// count returns how many matches the text holds where the assertion looks.
func (a *assertion) count(r *run) int {
	n := 0
	a.each(r, func([]int) { n++ })
	return n
}

// each calls act with each match where the assertion looks.
func (a *assertion) each(r *run, act func(loc []int)) {
	depth := 0
	for _, address := range a.addresses {
		if !r.enter(address) {
			break
		}
		depth++
	}
	if depth == len(a.addresses) {
		for _, span := range r.spans() {
			a.pattern.Find(r.text.Bytes, span.Start, span.End, func(loc []int) bool {
				act(loc)
				return true
			})
		}
	}
	for range depth {
		r.leave()
	}
}

// Tally gathers what a program did to many texts.
type Tally struct {
	program   *Program
	Changes   []int // of each rule, by its index
	Files     []int // that each rule changed
	counters  Counters
	asserted  []int
	unmet     map[string][]string // by file
	files     []string            // of unmet, in order
	addressed []selected
	hits      map[*table]map[int]bool
}

// NewTally returns an empty tally.
func (p *Program) NewTally() *Tally {
	return &Tally{
		program:   p,
		Changes:   make([]int, len(p.rules)),
		Files:     make([]int, len(p.rules)),
		counters:  make(Counters, p.statements),
		addressed: make([]selected, len(p.addresses)),
		hits:      map[*table]map[int]bool{},
		unmet:     map[string][]string{},
	}
}

// Counters returns what the texts so far have counted, for a Sequential program's
// next Input.
func (t *Tally) Counters() Counters { return t.counters }

// Add gathers one text's result.
func (t *Tally) Add(file string, f File, res *Result) {
	t.counters = res.Counters
	t.count(res, 1)
	for i, s := range res.addressed {
		t.addressed[i] = max(t.addressed[i], s)
	}
	for table, rows := range res.hits {
		if t.hits[table] == nil {
			t.hits[table] = map[int]bool{}
		}
		for row := range rows {
			t.hits[table][row] = true
		}
	}
	if unmet := t.perFile(file, f, res); len(unmet) > 0 {
		t.files = append(t.files, file)
		t.unmet[file] = unmet
	}
}

// Remove takes back what Add gathered of one text, but for what it selected.
func (t *Tally) Remove(file string, f File, res *Result) {
	t.count(res, -1)
	if _, ok := t.unmet[file]; ok {
		delete(t.unmet, file)
		t.files = slices.DeleteFunc(t.files, func(f string) bool { return f == file })
	}
}

// count adds or takes back a text's changes and matches.
func (t *Tally) count(res *Result, sign int) {
	for i, n := range res.Changes {
		t.Changes[i] += sign * n
		if n > 0 {
			t.Files[i] += sign
		}
	}
	if t.asserted == nil {
		t.asserted = make([]int, len(res.asserted))
	}
	for i, n := range res.asserted {
		t.asserted[i] += sign * n
	}
}

// perFile returns what must hold for each text and does not.
func (t *Tally) perFile(file string, f File, res *Result) (unmet []string) {
	i := 0
	for _, r := range t.program.rules {
		n := res.Changes[r.index]
		for _, e := range r.expects {
			if e.perFile && n > 0 && !e.bound.Holds(n) {
				unmet = append(unmet, fmt.Sprintf("%s: rule %s: expected %s in each file, but %s has %d",
					e.place, t.program.Rules[r.index].Label, changesOf(e.bound), file, n))
			}
		}
		for _, a := range r.asserts {
			n := res.asserted[i]
			i++
			switch {
			case a.Forbid && n > 0:
				unmet = append(unmet, fmt.Sprintf("%s: forbidden: %s holds %s %s", a.place, file, describe(a.Assert.Pattern), times(n)))
			case !a.Forbid && a.PerFile && r.selects(f) && !a.Bound.Holds(n):
				unmet = append(unmet, fmt.Sprintf("%s: required: %s of %s, but %s holds %d", a.place, boundOf(a.Bound), describe(a.Assert.Pattern), file, n))
			}
		}
	}
	return unmet
}

// Unmet returns every expectation and assertion that does not hold, a line each.
func (t *Tally) Unmet() []string {
	var out []string
	for _, file := range t.files {
		out = append(out, t.unmet[file]...)
	}
	i := 0
	for _, r := range t.program.rules {
		n := t.Changes[r.index]
		for _, e := range r.expects {
			if !e.perFile && n > 0 && !e.bound.Holds(n) {
				out = append(out, fmt.Sprintf("%s: rule %s: expected %s, but there are %d",
					e.place, t.program.Rules[r.index].Label, changesOf(e.bound), n))
			}
		}
		for _, a := range r.asserts {
			n := 0
			if i < len(t.asserted) {
				n = t.asserted[i]
			}
			i++
			if !a.Forbid && !a.PerFile && !a.Bound.Holds(n) {
				out = append(out, fmt.Sprintf("%s: required: %s of %s, but the files hold %d", a.place, boundOf(a.Bound), describe(a.Assert.Pattern), n))
			}
		}
	}
	return out
}

// Idle returns the places of addresses that were looked for and selected nothing
// in any text.
func (t *Tally) Idle() []string {
	var out []string
	for i, s := range t.addressed {
		if s == selectedNothing {
			out = append(out, fmt.Sprintf("%s:%d", t.program.sources[i].Name, t.program.addresses[i].Line))
		}
	}
	return out
}

// UnusedRows returns, for each table, the old texts that were found nowhere.
func (t *Tally) UnusedRows() map[string][]string {
	out := map[string][]string{}
	for _, table := range t.program.tables {
		for i, old := range table.rows {
			if !t.hits[table][i] {
				out[table.path] = append(out[table.path], old)
			}
		}
	}
	return out
}

func boundOf(b script.Bound) string {
	return [...]string{"", "at least ", "at most "}[b.Kind] + fmt.Sprint(b.Count)
}

func changesOf(b script.Bound) string {
	if b.Count == 1 {
		return boundOf(b) + " change"
	}
	return boundOf(b) + " changes"
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}
