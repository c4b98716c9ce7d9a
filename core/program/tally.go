package program

import (
	"fmt"
	"slices"

	"frizzel/core/bound"
)

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
	foreign   []int // by address: texts that its path does not select in
	hits      map[*Table]map[int]bool
}

// NewTally returns an empty tally.
func (p *Program) NewTally() *Tally {
	return &Tally{
		program:   p,
		Changes:   make([]int, len(p.Rules)),
		Files:     make([]int, len(p.Rules)),
		addressed: make([]selected, len(p.Addresses)),
		foreign:   make([]int, len(p.Addresses)),
		hits:      map[*Table]map[int]bool{},
		unmet:     map[string][]string{},
	}
}

// Counters returns what the texts so far have counted, for a Sequential program's
// next Input.
func (t *Tally) Counters() Counters { return t.counters }

// Add gathers one text's result: of the tally's program, or of one that was compiled of the
// same scripts with other values.
func (t *Tally) Add(file string, f File, res *Result) {
	t.counters = res.Counters
	t.count(res, 1)
	t.Looked(res)
	for table, rows := range res.hits {
		if t.hits[table] == nil {
			t.hits[table] = map[int]bool{}
		}
		for row := range rows {
			t.hits[table][row] = true
		}
	}
	if unmet := perFile(file, f, res); len(unmet) > 0 {
		t.files = append(t.files, file)
		t.unmet[file] = unmet
	}
}

// Looked gathers where a text was looked at, and if it is of a syntax that a path does not
// select in.
func (t *Tally) Looked(res *Result) {
	for i, s := range res.addressed {
		t.addressed[i] = max(t.addressed[i], s)
	}
	for i, foreign := range res.foreign {
		if foreign {
			t.foreign[i]++
		}
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
func perFile(file string, f File, res *Result) (unmet []string) {
	for _, n := range res.Unreadable {
		where := file
		if n.Line > 0 {
			where = fmt.Sprintf("%s:%d", file, n.Line)
		}
		unmet = append(unmet, fmt.Sprintf("%s: %s, so nothing is written; --allow-unreadable lets the rest change", where, n.Text))
	}
	for _, n := range res.Broken {
		unmet = append(unmet, fmt.Sprintf("%s: %s, so nothing is written; --allow-broken lets it pass", file, n.Text))
	}
	i := 0
	for _, r := range res.program.Rules {
		n := res.Changes[r.Index]
		for _, e := range r.Expects {
			if e.PerFile && n > 0 && !e.Bound.Holds(n) {
				unmet = append(unmet, fmt.Sprintf("%s: rule %s: expected %s in each file, but %s has %d",
					e.Place, r.Label, changesOf(e.Bound), file, n))
			}
		}
		for _, a := range r.Asserts {
			n := res.asserted[i]
			i++
			switch {
			case a.Forbid && n > 0:
				unmet = append(unmet, fmt.Sprintf("%s: forbidden: %s holds %s %s", a.Place, file, a.Shown, times(n)))
			case !a.Forbid && a.PerFile && r.selects(f) && !a.Bound.Holds(n):
				unmet = append(unmet, fmt.Sprintf("%s: required: %s of %s, but %s holds %d", a.Place, a.Bound, a.Shown, file, n))
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
	for _, r := range t.program.Rules {
		n := t.Changes[r.Index]
		for _, e := range r.Expects {
			if !e.PerFile && n > 0 && !e.Bound.Holds(n) {
				out = append(out, fmt.Sprintf("%s: rule %s: expected %s, but there are %d",
					e.Place, r.Label, changesOf(e.Bound), n))
			}
		}
		for _, a := range r.Asserts {
			n := 0
			if i < len(t.asserted) {
				n = t.asserted[i]
			}
			i++
			if !a.Forbid && !a.PerFile && !a.Bound.Holds(n) {
				out = append(out, fmt.Sprintf("%s: required: %s of %s, but the files hold %d", a.Place, a.Bound, a.Shown, n))
			}
		}
	}
	return out
}

// Foreign returns how many texts paths passed over since they select nothing in such ones, by the
// places of the paths in the script.
func (t *Tally) Foreign() map[string]int {
	out := map[string]int{}
	for i, n := range t.foreign {
		if n > 0 {
			out[t.program.Addresses[i]] += n
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
			out = append(out, t.program.Addresses[i])
		}
	}
	return out
}

// UnusedRows returns, for each table, the old texts that were found nowhere.
func (t *Tally) UnusedRows() map[string][]string {
	out := map[string][]string{}
	for _, table := range t.program.Tables {
		for i, old := range table.Rows {
			if !t.hits[table][i] {
				out[table.Path] = append(out[table.Path], old)
			}
		}
	}
	return out
}

func changesOf(b bound.Bound) string {
	if b.Count == 1 {
		return b.String() + " change"
	}
	return b.String() + " changes"
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}
