package program

import (
	"slices"

	"frizzel/core/structure"
	"frizzel/core/tree"
)

// Window says where a text stands in a larger one that is run piece by piece.
type Window struct {
	Lines  int      // of the larger text, before this one
	Bytes  int      // the same
	Ending string   // of the larger text's first line, "\n" where it has none
	Before Counters // what texts before the larger one counted
	More   bool     // the larger text goes on behind this one
	Open   Open     // what the larger text before this one left open
}

// Open is what a text left open for each address of a program, by its index, as the program
// saw the text when it came to the address; nil for a text that left nothing.
type Open []*structure.Open

// Open returns what the text, and the larger one before it, left open.
func (r *Result) Open() Open { return r.open }

// structured calls find with the text as it is, in its place in a larger one.
func (r *run) structured(a *Address, find func(*structure.Text)) {
	w := r.in.Window
	if w == nil {
		find(r.text)
		return
	}
	p := structure.Piece{More: w.More, Hold: r.hold, Doubt: r.doubt}
	if w.Open != nil {
		p.Open = w.Open[a.Index]
	}
	t := r.text.In(p)
	find(t)
	if r.result.open == nil {
		r.result.open = make(Open, len(r.program.Addresses))
	}
	r.result.open[a.Index] = t.Leaves()
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
// text begins. The sections of Markdown lie in each other and have no bound, so that there are no
// windows of it; nor are there of what is held to its syntax as a whole.
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
		w.Order = NoWindows // what comes of it is read as a whole
	case n.parts && f.markdown():
		w.Order = NoWindows
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
	for _, u := range next.unasked {
		u.note.Line += before
		r.unasked = append(r.unasked, u)
	}
	r.Counters = next.Counters
	r.open = next.open
}

// unasked is what an address asks for and is never closed, in a window in which nothing came
// to the address.
type unasked struct {
	address int
	note    Note
}

// End says that there are no more windows: what is never closed in one of them counts where
// the address was come to in another.
func (r *Result) End() {
	to := r.program.unreadable(r)
	known := map[Note]bool{}
	for _, u := range r.unasked {
		if r.addressed[u.address] == notAsked {
			continue
		}
		if len(known) == 0 {
			for _, n := range *to {
				known[n] = true
			}
		}
		r.addressed[u.address] = selectedSome // which is what an address that asks for it did
		if !known[u.note] {
			known[u.note] = true
			*to = append(*to, u.note)
		}
	}
	if len(known) > 0 {
		slices.SortStableFunc(*to, func(a, b Note) int { return a.Line - b.Line })
	}
	r.unasked = nil
}

// unreadable returns where a result says what is never closed.
func (p *Program) unreadable(r *Result) *[]Note {
	if p.AllowUnreadable {
		return &r.Notes
	}
	return &r.Unreadable
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
