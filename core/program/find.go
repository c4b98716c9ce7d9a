package program

import (
	"slices"
	"sync"
)

// A Match is a match of an assertion, or a place that a rule would change.
type Match struct {
	Rule       int   // index in Program.Rules
	Start, End int   // bytes of the text
	Groups     []int // of an assertion's regular expression, as regexp gives them: start and end of the match, then of each group
	New        []byte
	// Value is the text that Groups refer to if the match is in a value; nil means the whole text. ValuePath
	// returns the value's path; nil if there is no value.
	Value []byte
	Whole bool // the match is a value as a whole
	// Written is the range of a whole value as the file writes it, with its quotes.
	Written   [2]int
	ValuePath func() string
	Changes   bool // the match is a rule's, which would write New
}

// Find returns the matches of the program's assertions in a text, by offset, and a result with notes and
// counts.
func (p *Program) Find(in Input) ([]Match, *Result) {
	var found []Match
	var groups []int // of several matches
	r := looking.Get().(*run)
	*r = run{program: p, in: in}
	r.begin()
	for _, rule := range p.Rules {
		r.rule = rule
		if !rule.selects(in.File) {
			continue
		}
		for _, a := range rule.Asserts {
			if a.Of != in.Of {
				continue
			}
			a.each(r, func(at *run, loc []int) {
				if !r.counts(len(loc)) {
					return
				}
				if cap(groups)-len(groups) < len(loc) {
					groups = make([]int, 0, max(len(loc), min(2*cap(groups), 4096)))
				}
				groups = append(groups, loc...)
				m := Match{Rule: rule.Index, Start: loc[0], End: loc[1], Groups: groups[len(groups)-len(loc) : len(groups) : len(groups)]}
				if v := at.value; v != nil {
					if m.Whole = a.Pattern == nil; m.Whole {
						m.Written[0], m.Written[1] = v.node.Written()
					}
					m.Start, m.End, m.Value = v.place(loc[0]), v.place(loc[1]), at.in.Text
					m.ValuePath = func() string { return v.doc.Path(v.node) }
				}
				found = append(roomFor(found, m.Start, len(in.Text), r.budget()/matchSize), m)
			})
		}
	}
	result := r.result
	*r = run{}
	looking.Put(r)
	return inOrder(found), result
}

// looking are runs of Find to use again: most files have no match, and then nothing else is made of them.
var looking = sync.Pool{New: func() any { return new(run) }}

// Matches returns the places that the program's rules would change, each rule applied to the original text,
// by offset, and a result with notes and counts.
func (p *Program) Matches(in Input) ([]Match, *Result) {
	var found []Match
	matched, spent, budget := 0, 0, budgetOf(in.Text)
	in.Decide = func(c Proposal) Answer {
		if matched++; in.Counting || spent > budget {
			return Answer{Leave: true}
		}
		first, last := c.Edits[0], c.Edits[len(c.Edits)-1]
		m := Match{Rule: c.Rule, Start: first.Start, End: last.End, Changes: true}
		if len(c.Edits) == 1 {
			m.New = slices.Clone(first.New)
		} else {
			m.New = c.Edits.Within(c.Text, first.Start, last.End)
		}
		spent += matchSize + len(m.New)
		found = append(roomFor(found, m.Start, len(in.Text), budget/matchSize), m)
		return Answer{Leave: true}
	}
	made := p.Run(in)
	if made.Matched = matched; spent > budget {
		made.exceed("the matches", budget)
	}
	return inOrder(found), made
}

func inOrder(found []Match) []Match {
	slices.SortStableFunc(found, func(a, b Match) int {
		if a.Start != b.Start {
			return a.Start - b.Start
		}
		return a.End - b.End
	})
	return found
}

// Expand returns a template's text for match m. count and line are 1-based: the match's number in the text and
// its line. It advances all, the counters over all texts.
func (t *Template) Expand(text []byte, m Match, f File, count, line int, all *Counters) (string, error) {
	if all.changes == nil {
		*all = all.next(1)
	}
	all.changes[0]++
	if m.Value != nil {
		text = m.Value
	}
	out, err := t.expand(nil, &filling{
		path: m.ValuePath, text: text, loc: m.Groups, count: count, countAll: all.changes[0], file: f, ending: "\n",
		line: func() int { return line },
		pseudonym: func(matched string) int {
			n, _ := all.pseudonym(0, matched)
			return n
		},
	})
	return string(out), err
}
