package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/query"
)

// Address is a compiled address: where statements act.
type Address struct {
	Index   int // in Program.Addresses
	Form    Form
	Outside bool // all but what Form selects
	Having  []Holding
	Direct  bool // of a block only its own lines, of a document's section only those before its first subsection
}

// A Form is the sort of an address, and what it looks for. It is a wholeForm, a partForm or *Values.
type Form interface {
	// needs returns what finding it needs of a text.
	needs(on acted) lineNeeds
	traits() traits
}

// A wholeForm is found in the whole text and then cut to the parts that the enclosing addresses select.
type wholeForm interface {
	Form
	// find returns the spans in the whole text, in order, and the lines, from 0, of what is opened and
	// never closed.
	find(r *run, a *Address) (spans []edit.Span, unclosed []int)
}

// A partForm is searched for in each span that the enclosing addresses select.
type partForm interface {
	Form
	// within returns what it selects of a span, and the line, from 0, of a range that is never closed
	// there, or -1. bind is told which bytes belong together, up to noEnd if more of the text may.
	within(t *outline.Text, e edit.Span, bind func(from, to int)) (spans []edit.Span, unclosed int)
}

// traits are the facts that statements need of the address around them.
type traits struct {
	scope  bool // `unless present` looks through what it selects
	part   bool // no window ends within what it selects
	single bool // each span is one line
	shifts bool // it selects by where lines stand, or ends where something else begins
	narrow bool // if it selects one line, settle has nothing to choose from
}

// A Holding is a pattern that a selected part must contain, or must not.
type Holding struct {
	Lacking bool
	Pattern *pattern.Pattern
}

// Values is `at PATH`, which selects values. The machine runs over each as a text of its own.
type Values struct{ Path *query.Path }

func (*Values) needs(acted) lineNeeds { return lineNeeds{others: true} }
func (*Values) traits() traits        { return traits{narrow: true} }

// Path returns the path of an address that selects values, nil for others.
func (a *Address) Path() *query.Path {
	if v, ok := a.Form.(*Values); ok {
		return v.Path
	}
	return nil
}

// isScope reports whether `unless present` looks through what the address selects.
func (a *Address) isScope() bool { return a.Form.traits().scope && !a.Outside }

// isPart reports whether no window ends within what the address selects.
func (a *Address) isPart() bool { return a.Form.traits().part && !a.Outside }

// single reports whether each span that the address selects is one line.
func (a *Address) single() bool { return a.Form.traits().single && !a.Outside }

// shifts reports whether a line that is added to what the address selects may be outside it in the next
// run.
func (a *Address) shifts() bool { return a.Form.traits().shifts || a.Outside }

// isBlock reports whether the address selects blocks.
func (a *Address) isBlock() bool {
	_, ok := a.Form.(*Block)
	return ok && !a.Outside
}

// needs returns what the address needs of a text.
func (a *Address) needs(on acted) lineNeeds {
	for _, h := range a.Having {
		if h.Pattern.SpansLines() {
			return lineNeeds{others: true}
		}
	}
	n := a.Form.needs(on)
	n.others = n.others || a.Outside && !a.Form.traits().single
	return n
}

// selects returns what the address selects of what the statement acts on, and the lines, from 0, of what
// is opened there and never closed.
func (a *Address) selects(r *run) (spans []edit.Span, unclosed []int) {
	if f, ok := a.Form.(wholeForm); ok {
		spans, unclosed = f.find(r, a)
		return a.cut(r, spans, unclosed)
	}
	f := a.Form.(partForm)
	with, _ := f.(*LinesWith)
	for _, e := range r.spans() {
		found, open := a.in(r, f, e)
		if open >= 0 {
			unclosed = append(unclosed, open)
			if a.Outside { // where it would end is not known
				continue
			}
		}
		if with != nil && with.neighbours() {
			r.bindEach(found)
		}
		found = joined(a.filter(r.text, found))
		if a.Outside {
			found = r.others(found, e)
		}
		spans = append(spans, found...)
	}
	if with != nil {
		r.bindAbove(with.Above)
	}
	return spans, unclosed
}

// in returns what a form selects of one span. Of a span with lines that are passed over it sees only the others.
func (a *Address) in(r *run, f partForm, e edit.Span) ([]edit.Span, int) {
	if e.Direct {
		if v := r.viewOf(e); len(v.text) < e.End-e.Start {
			return v.within(f)
		}
	}
	return f.within(r.text, e, func(from, to int) {
		if to == noEnd && e.End < len(r.text.Bytes) {
			to = e.End // text after the span closes nothing
		}
		r.bind(from, to, r.nextLine(min(to, len(r.text.Bytes))))
	})
}

// cut returns the parts of what was found in the whole text that lie in what the addresses around select, or
// all but those parts.
func (a *Address) cut(r *run, spans []edit.Span, unclosed []int) ([]edit.Span, []int) {
	if !a.Outside {
		return r.cut(spans, r.parts()), unclosed
	}
	if len(unclosed) > 0 {
		return nil, unclosed
	}
	var out []edit.Span
	spans = r.expand(spans)
	for _, e := range r.spans() {
		out = append(out, r.others(spans, e)...)
	}
	return out, nil
}

// filter returns the spans that hold what they must. The text is searched once for all of them.
func (a *Address) filter(t *outline.Text, spans []edit.Span) []edit.Span {
	for _, h := range a.Having {
		holds := held(t.Bytes, h.Pattern, spans)
		spans = slices.DeleteFunc(slices.Clone(spans), func(s edit.Span) bool { return holds(s) == h.Lacking })
	}
	return spans
}

// held returns what reports whether a span holds a match.
func held(text []byte, p *pattern.Pattern, spans []edit.Span) func(edit.Span) bool {
	if p.SpansLines() || len(spans) < 2 { // a match may end outside a span
		return func(s edit.Span) bool { return p.Has(text, s.Start, s.End) }
	}
	lo, hi := spans[0].Start, spans[0].End
	for _, s := range spans {
		lo, hi = min(lo, s.Start), max(hi, s.End)
	}
	var starts []int
	p.Find(text, lo, hi, func(loc []int) bool {
		starts = append(starts, loc[0])
		return true
	})
	return func(s edit.Span) bool {
		i, _ := slices.BinarySearch(starts, s.Start)
		return i < len(starts) && (starts[i] < s.End || starts[i] == s.End && s.End == len(text) && !lines.AtStart(text, s.End))
	}
}
