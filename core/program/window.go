package program

import (
	"slices"

	"frizzel/core/tree"
)

// Window says where a text stands in a larger one that is run piece by piece.
type Window struct {
	Lines  int      // of the larger text, before this one
	Bytes  int      // the same
	Ending string   // of the larger text's first line, "\n" if it has none
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

// Windowing returns how the program may be run over a file's text piece by piece; head is how the
// text begins. A text that is held to its syntax as a whole is not cut into windows.
func (p *Program) Windowing(f File, head []byte) Windowing {
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
	case p.judges(f) && tree.MayBe(syntaxFor(f, p.Syntax(f)), head):
		w.Order = NoWindows // the result is read as a whole
	case n.others || n.numbers && n.moves:
		w.Order = NoWindows
	case n.numbers || n.counts || n.parts || p.Sequential:
		w.Order = InOrder
	}
	return w
}

// once is a statement of a rule that made one change of all that it did to a span which may
// go on in the next window.
type once struct{ statement, rule int }

// oneSpan reports whether the statement acts on one span that windows may cut.
func (r *run) oneSpan() bool {
	return !slices.ContainsFunc(r.stack, func(s selection) bool { return !isLines(s.address) })
}

func isLines(a *Address) bool {
	_, ok := a.Form.(*Lines)
	return ok
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

// unreadable returns where a result says what is never closed.
func (p *Program) unreadable(r *Result) *[]Note {
	if p.AllowUnreadable {
		return &r.Notes
	}
	return &r.Unreadable
}

// below appends notes about a text that begins after before lines.
func below(all, notes []Note, before int) []Note {
	for _, n := range notes {
		if n.Line > 0 {
			n.Line += before
		}
		all = append(all, n)
	}
	return all
}

// NewResult returns the result for a text before its first window.
func (p *Program) NewResult() *Result { return p.start(Input{}).result }

// All returns how many changes the rules made.
func (r *Result) All() (n int) {
	for _, c := range r.Changes {
		n += c
	}
	return n
}
