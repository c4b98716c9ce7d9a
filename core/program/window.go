package program

import "slices"

// Window says where a text stands in a larger one that is run piece by piece.
type Window struct {
	Lines  int      // of the larger text, before this one
	Bytes  int      // the same
	Ending string   // of the larger text's first line, "\n" where it has none
	Before Counters // what texts before the larger one counted
}

func (in *Input) linesBefore() int {
	if in.Window == nil {
		return 0
	}
	return in.Window.Lines
}

func (in *Input) bytesBefore() int {
	if in.Window == nil {
		return 0
	}
	return in.Window.Bytes
}

// Windowing is how a program may be run over a text piece by piece, whole lines each.
type Windowing int

const (
	NoWindows Windowing = iota // it must have the whole text
	InOrder                    // one window after another, each told what came before
	AnyOrder                   // whatever came before
)

// Windowing returns how the program may be run over a text piece by piece. Where it takes
// lines away, what it leaves of the last window of a text without a last line ending must
// not be empty.
func (p *Program) Windowing() (w Windowing, takes bool) {
	var n lineNeeds
	for _, r := range p.Rules {
		n.others = n.others || len(r.When) > 0
		n = n.and(needsOf(r.Body, acted{}))
		for _, a := range r.Asserts {
			n = n.and(a.needs())
		}
	}
	switch {
	case n.others || n.numbers && n.moves:
		return NoWindows, n.takes
	case n.numbers || n.counts || p.Sequential:
		return InOrder, n.takes
	}
	return AnyOrder, n.takes
}

// once is a statement of a rule that made one change of all that it did to a span which may
// go on in the next window.
type once struct{ statement, rule int }

// oneSpan reports whether the statement acts on one span that windows may cut.
func (r *run) oneSpan() bool {
	return !slices.ContainsFunc(r.stack, func(s selection) bool { return s.address.Kind != Lines })
}

// Add adds what the program made of the next window of a text: all but the edits.
func (r *Result) Add(next *Result) {
	for i, n := range next.Changes {
		r.Changes[i] += n
	}
	for _, o := range next.once {
		if slices.Contains(r.once, o) {
			r.Changes[o.rule]--
		} else {
			r.once = append(r.once, o)
		}
	}
	for i, n := range next.asserted {
		r.asserted[i] += n
	}
	for i, s := range next.addressed {
		r.addressed[i] = max(r.addressed[i], s)
	}
	for table, rows := range next.hits {
		for row := range rows {
			r.hit(table, row)
		}
	}
	r.Notes = append(r.Notes, next.Notes...)
	r.Unreadable = append(r.Unreadable, next.Unreadable...)
	r.Failures = append(r.Failures, next.Failures...)
	r.Counters = next.Counters
}
