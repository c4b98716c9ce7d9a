package program

import (
	"slices"

	"frizzel/core/script"
	"frizzel/core/tree"
)

// A Window is the position of a text in a larger one that is run in windows.
type Window struct {
	Lines  int      // number of lines before the window
	Bytes  int      // number of bytes before the window
	Ending string   // of the larger text's first line, "\n" if it has none
	Before Counters // counts of the texts before the larger one
	More   bool     // another window follows
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

// A Windowing says how a program may be run over windows of whole lines.
type Windowing struct {
	Order Order
	// Takes means that the program deletes lines. The last window of a text without a final line ending must
	// not become empty.
	Takes bool
	// Parts means that the program acts on sections, paragraphs or ranges, so a window may end only at
	// Result.Whole.
	Parts bool
	// Spans means that some statement makes all edits of the text one change, which would be one change
	// for each window.
	Spans bool
}

// An Order is the order in which windows may be run.
type Order int

const (
	NoWindows Order = iota // the program needs the whole text
	InOrder                // each window needs the results of those before it
	AnyOrder               // windows are independent
)

// Windowing returns how the program may be run over windows of a file's text, which begins with head. A text
// whose syntax is checked is not split.
func (p *Program) Windowing(f File, head []byte) Windowing {
	var n lineNeeds
	for _, r := range p.Rules {
		n.others = n.others || len(r.When) > 0 || slices.ContainsFunc(r.Expects, func(e Expectation) bool { return e.Matches })
		n = n.and(needsOf(r.Body, acted{}))
		for _, a := range r.Asserts {
			if a.Of != script.Content {
				continue
			}
			n = n.and(a.needs())
		}
	}
	w := Windowing{AnyOrder, n.takes, n.parts, n.spans}
	switch {
	case p.judges(f) && tree.MayBe(syntaxFor(f, p.Syntax(f)), head):
		w.Order = NoWindows // the check parses the whole result
	case n.others || n.numbers && n.moves:
		w.Order = NoWindows
	case n.numbers || n.counts || n.parts || p.Sequential:
		w.Order = InOrder
	}
	return w
}

// A once is a statement that made one change of all its edits to a span which may continue in the next
// window.
type once struct{ statement, rule int }

// oneSpan reports whether the statement acts on a single span that windows may split.
func (r *run) oneSpan() bool {
	return !slices.ContainsFunc(r.stack, func(s selection) bool { return !isLines(s.address) })
}

func isLines(a *Address) bool {
	_, ok := a.Form.(*Lines)
	return ok
}

// Add adds the result of the next window of a text, except its edits. before is the number of lines before
// those that the window's own Lines counts.
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
	for i, n := range next.Found {
		r.Found[i] += n
	}
	for i, asked := range next.asked {
		r.asked[i] = r.asked[i] || asked
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

// unreadable returns the list of r that gets notes about unclosed parts: Unreadable, or Notes if allowed.
func (p *Program) unreadable(r *Result) *[]Note {
	if p.AllowUnreadable {
		return &r.Notes
	}
	return &r.Unreadable
}

// below appends notes with before added to their lines.
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

// All returns the number of changes of all rules.
func (r *Result) All() (n int) {
	for _, c := range r.Changes {
		n += c
	}
	return n
}
