package program

import (
	"math"
	"slices"
	"sort"

	"frizzel/core/lines"
)

// Window says where a text stands in a larger one that is run piece by piece.
type Window struct {
	Lines  int      // of the larger text, before this one
	Bytes  int      // the same
	Ending string   // of the larger text's first line, "\n" where it has none
	Before Counters // what texts before the larger one counted
	More   bool     // the larger text goes on behind this one
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
type Windowing struct {
	Order Order
	// Takes says that it takes lines away: what it leaves of the last window of a text without
	// a last line ending must not be empty.
	Takes bool
	// Parts says that it acts on sections, paragraphs or ranges, so that windows may end where
	// Result.Whole says alone.
	Parts bool
	// Spans says that some statement makes one change of all that it does to the text, which is
	// one of each window then.
	Spans bool
}

// Order is the order that windows may be run in.
type Order int

const (
	NoWindows Order = iota // none: it must have the whole text
	InOrder                // one after another, each told what came before
	AnyOrder               // any, whatever came before
)

// Windowing returns how the program may be run over a file's text piece by piece. The sections of
// Markdown lie in each other and have no bound, so that there are no windows of it.
func (p *Program) Windowing(f File) Windowing {
	var n lineNeeds
	for _, r := range p.Rules {
		n.others = n.others || len(r.When) > 0
		n = n.and(needsOf(r.Body, acted{}))
		for _, a := range r.Asserts {
			n = n.and(a.needs())
		}
	}
	w := Windowing{AnyOrder, n.takes, n.parts, n.spans}
	switch {
	case n.parts && f.markdown():
		w.Order = NoWindows
	case n.others || n.numbers && n.moves:
		w.Order = NoWindows
	case n.numbers || n.counts || n.parts || p.Sequential:
		w.Order = InOrder
	}
	return w
}

// gap is lines of the text as it was read that belong together: [start, end), to no end where
// more of the text may belong to them.
type gap struct{ start, end int }

const noEnd = math.MaxInt

// holding reports whether it matters where the window may end.
func (r *run) holding() bool { return r.in.Window != nil && r.in.Window.More }

// hold remembers that no window may end within the lines [from, to) of the text as it is, or
// behind from where to is noEnd.
func (r *run) hold(from, to int) {
	if !r.holding() {
		return
	}
	if r.noted == nil {
		r.noted = r.changes()
	}
	g := gap{lines.Start(r.in.Text, 0, r.noted.origin(from)), noEnd}
	if to != noEnd {
		g.end = r.lineEnd(r.noted.origin(to))
	}
	r.result.gaps = append(r.result.gaps, g)
}

// lineEnd returns a place, or where the line ends that it is within.
func (r *run) lineEnd(at int) int {
	if lines.AtStart(r.in.Text, at) {
		return at
	}
	return lines.Next(r.in.Text, at, len(r.in.Text))
}

// holdBetween remembers that windows may end only where one of the headers begins.
func (r *run) holdBetween(headers []int) {
	if !r.holding() {
		return
	}
	last := 0
	for _, h := range headers {
		r.hold(last, h)
		last = h
	}
	r.hold(last, noEnd)
}

// holdUnder holds what addresses would that are not come to, since one around them selects
// nothing yet.
func (r *run) holdUnder(body []Action) {
	if !r.holding() {
		return
	}
	for _, a := range body {
		if b, ok := a.(*Addressed); ok {
			r.holdParts(b.Address)
			r.holdUnder(b.Body)
		}
	}
}

func (r *run) holdParts(addresses ...*Address) {
	for _, a := range addresses {
		if r.holding() && (a.Kind == Section || a.Kind == Paragraph) {
			a.selects(r)
		}
	}
}

// Whole returns how much of the text can be told by itself, bytes: a window ends there.
func (r *Result) Whole(text []byte) int {
	sort.Slice(r.gaps, func(i, j int) bool { return r.gaps[i].start > r.gaps[j].start })
	end := len(text)
	for _, g := range r.gaps { // the last ones first, so that one round is enough
		if g.start < end && end < g.end {
			end = g.start
		}
	}
	return end
}

// once is a statement of a rule that made one change of all that it did to a span which may
// go on in the next window.
type once struct{ statement, rule int }

// oneSpan reports whether the statement acts on one span that windows may cut.
func (r *run) oneSpan() bool {
	return !slices.ContainsFunc(r.stack, func(s selection) bool { return s.address.Kind != Lines })
}

// Add adds what the program made of the next window of a text: all but the edits. before is
// how many lines of the text are before those that the window's own Lines count.
func (r *Result) Add(next *Result, before int) {
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
	r.Notes = below(r.Notes, next.Notes, before)
	r.Unreadable = below(r.Unreadable, next.Unreadable, before)
	r.Failures = below(r.Failures, next.Failures, before)
	r.Counters = next.Counters
}

// below appends notes about a text that stands below so many lines.
func below(all, notes []Note, before int) []Note {
	for _, n := range notes {
		if n.Line > 0 {
			n.Line += before
		}
		all = append(all, n)
	}
	return all
}

// NewResult returns what the program made of a text of which no window was run yet.
func (p *Program) NewResult() *Result { return p.start(Input{}).result }

// All returns how many changes the rules made.
func (r *Result) All() (n int) {
	for _, c := range r.Changes {
		n += c
	}
	return n
}
