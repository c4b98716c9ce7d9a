package program

import (
	"fmt"
	"slices"

	"frizzel/core/script"
)

// A Tally sums the results of a program over many texts.
type Tally struct {
	program   *Program
	Changes   []int // numbers of changes, indexed by rule
	Files     []int // numbers of changed files, indexed by rule
	Asked     []int // numbers of files that a rule is for and in which its conditions held, indexed by rule
	Found     []int // numbers of matches, indexed by statement
	counters  Counters
	asserted  []int
	unmet     map[string][]string // failed expectations by file
	files     []string            // keys of unmet, in order
	addressed []selected
	foreign   []int // indexed by address: number of texts of another syntax family than its path
	hits      map[*Table]map[int]bool
}

// NewTally returns an empty tally.
func (p *Program) NewTally() *Tally {
	return &Tally{
		program:   p,
		Changes:   make([]int, len(p.Rules)),
		Files:     make([]int, len(p.Rules)),
		Asked:     make([]int, len(p.Rules)),
		Found:     make([]int, p.Statements),
		addressed: make([]selected, len(p.Addresses)),
		foreign:   make([]int, len(p.Addresses)),
		hits:      map[*Table]map[int]bool{},
		unmet:     map[string][]string{},
	}
}

// Counters returns the counts of the texts so far, for the next Input of a Sequential program.
func (t *Tally) Counters() Counters { return t.counters }

// Add adds the result of one text, from the tally's program or from one compiled from the same scripts with
// other values.
func (t *Tally) Add(file string, res *Result) {
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
	if unmet := perFile(file, res); len(unmet) > 0 {
		t.files = append(t.files, file)
		t.unmet[file] = unmet
	}
}

// Looked adds which addresses selected anything in a text, and which paths are of another syntax family.
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

// Remove subtracts the result of one text, except for the record of what addresses selected.
func (t *Tally) Remove(file string, res *Result) {
	t.count(res, -1)
	if _, ok := t.unmet[file]; ok {
		delete(t.unmet, file)
		t.files = slices.DeleteFunc(t.files, func(f string) bool { return f == file })
	}
}

// count adds (sign 1) or subtracts (sign -1) the changes and matches of a text.
func (t *Tally) count(res *Result, sign int) {
	for i, n := range res.Changes {
		t.Changes[i] += sign * n
		if n > 0 {
			t.Files[i] += sign
		}
	}
	for i, asked := range res.asked {
		if asked {
			t.Asked[i] += sign
		}
	}
	for i, n := range res.Found {
		t.Found[i] += sign * n
	}
	if t.asserted == nil {
		t.asserted = make([]int, len(res.asserted))
	}
	for i, n := range res.asserted {
		t.asserted[i] += sign * n
	}
}

// Missed returns the patterns of a rule that no text contained.
func (t *Tally) Missed(rule int) (shown []string) {
	for i, look := range t.program.Looks {
		if look.Rule == rule && look.Shown != "" && t.Found[i] == 0 {
			shown = append(shown, look.Shown)
		}
	}
	return shown
}

// Acts reports whether a rule has statements.
func (t *Tally) Acts(rule int) bool {
	return slices.ContainsFunc(t.program.Looks, func(l Look) bool { return l.Rule == rule })
}

// matchesOf returns the number of matches of a rule.
func matchesOf(p *Program, rule int, found []int) (n int) {
	for i, look := range p.Looks {
		if look.Rule == rule {
			n += found[i]
		}
	}
	return n
}

// perFile returns the failed expectations that apply to each file.
func perFile(file string, res *Result) (unmet []string) {
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
			found := matchesOf(res.program, r.Index, res.Found)
			if e.PerFile && res.asked[r.Index] && !e.holds(n, found) {
				unmet = append(unmet, fmt.Sprintf("%s: rule %s: expected %s in each file, but %s has %d",
					e.Place, r.Label, e.shown(), file, e.counted(n, found)))
			}
		}
		for _, a := range r.Asserts {
			n := res.asserted[i]
			i++
			switch {
			case a.Forbid && n > 0:
				unmet = append(unmet, fmt.Sprintf("%s: forbidden: %s holds %s %s", a.Place, a.of(file), a.Shown, times(n)))
			case !a.Forbid && a.PerFile && res.asked[r.Index] && !a.Bound.Holds(n):
				unmet = append(unmet, fmt.Sprintf("%s: required: %s of %s, but %s holds %d", a.Place, a.Bound, a.Shown, a.of(file), n))
			}
		}
	}
	return unmet
}

// of returns what of a file the assertion is about.
func (a *Assertion) of(file string) string {
	switch a.Of {
	case script.Content:
		return file
	case script.LinkTarget:
		return "the target of " + file
	}
	return "the name of " + file
}

// Unmet returns a line for each failed expectation and assertion.
func (t *Tally) Unmet() []string {
	var out []string
	for _, file := range t.files {
		out = append(out, t.unmet[file]...)
	}
	i := 0
	for _, r := range t.program.Rules {
		n := t.Changes[r.Index]
		for _, e := range r.Expects {
			found := matchesOf(t.program, r.Index, t.Found)
			if !e.PerFile && !e.holds(n, found) {
				out = append(out, fmt.Sprintf("%s: rule %s: expected %s, but there are %d",
					e.Place, r.Label, e.shown(), e.counted(n, found)))
			}
		}
		for _, a := range r.Asserts {
			n := 0
			if i < len(t.asserted) {
				n = t.asserted[i]
			}
			i++
			if !a.Forbid && !a.PerFile && (len(r.When) == 0 || t.Asked[r.Index] > 0) && !a.Bound.Holds(n) {
				out = append(out, fmt.Sprintf("%s: required: %s of %s, but the files hold %d", a.Place, a.Bound, a.Shown, n))
			}
		}
	}
	return out
}

// Foreign returns, by a path's position in the script, the number of texts that the path skipped because
// they have another syntax family.
func (t *Tally) Foreign() map[string]int {
	out := map[string]int{}
	for i, n := range t.foreign {
		if n > 0 {
			out[t.program.Addresses[i]] += n
		}
	}
	return out
}

// Idle returns the script positions of addresses that were evaluated and selected nothing in any text.
func (t *Tally) Idle() []string {
	var out []string
	for i, s := range t.addressed {
		if s == selectedNothing {
			out = append(out, t.program.Addresses[i])
		}
	}
	return out
}

// UnusedRows returns, by table, the old texts that no file contained.
func (t *Tally) UnusedRows() map[string][]string {
	out := map[string][]string{}
	if len(t.program.Tables) == 1 {
		table := t.program.Tables[0]
		hits := t.hits[table]
		for i, old := range table.Rows {
			if !hits[i] {
				out[table.Path] = append(out[table.Path], old)
			}
		}
		return out
	}
	hit := map[[2]string]bool{} // by path and text: another statement may use the same table
	for _, table := range t.program.Tables {
		for i, old := range table.Rows {
			if t.hits[table][i] {
				hit[[2]string{table.Path, old}] = true
			}
		}
	}
	for _, table := range t.program.Tables {
		for _, old := range table.Rows {
			if row := [2]string{table.Path, old}; !hit[row] {
				hit[row] = true // named once
				out[table.Path] = append(out[table.Path], old)
			}
		}
	}
	return out
}

// shown returns the expected number for messages.
func (e Expectation) shown() string {
	words := [2]string{" change", " changes"}
	if e.Matches {
		words = [2]string{" match", " matches"}
	}
	if e.Bound.Count == 1 {
		return e.Bound.String() + words[0]
	}
	return e.Bound.String() + words[1]
}

// counted returns the number that the expectation is about.
func (e Expectation) counted(changes, matches int) int {
	if e.Matches {
		return matches
	}
	return changes
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}
