package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/query"
)

// An Address is a compiled address: it selects where statements act.
type Address struct {
	Index   int // index in Program.Addresses
	Form    Form
	Outside bool // select the lines that Form does not select
	Having  []Holding
	Direct  bool // omit nested blocks, and the subsections of a document's section
}

// A Form is a form of address with its parameters. It is a wholeForm, a partForm or *Values.
type Form interface {
	// needs returns the requirements on the text that is searched.
	needs(on acted) lineNeeds
	traits() traits
}

// A wholeForm is found in the whole text and then cut to the parts that the enclosing addresses select.
type wholeForm interface {
	Form
	// find returns the spans in the whole text, in order, and the 0-based lines of brackets and tags
	// that are never closed.
	find(r *run, a *Address) (spans []edit.Span, unclosed []int)
}

// A partForm is searched for in each span that the enclosing addresses select.
type partForm interface {
	Form
	// within returns the spans that it selects in e, and the 0-based line of a range without an end, or -1.
	// It calls bind with the bytes that a window must not separate, up to noEnd if following windows may
	// contribute.
	within(t *outline.Text, e edit.Span, bind func(from, to int)) (spans []edit.Span, unclosed int)
}

// traits are the properties of an address that statements depend on.
type traits struct {
	scope  bool // `unless present` searches its spans
	part   bool // no window ends within a span
	single bool // each span is one line
	shifts bool // it selects by line numbers, or a span ends where another part begins
	narrow bool // if a span is one line, settle has no choice of lines
}

// A Holding is a pattern that a selected part must, or must not, contain.
type Holding struct {
	Lacking bool
	Pattern *pattern.Pattern
}

// Values is `at PATH`: it selects values. Statements run over each value as a separate text.
type Values struct{ Path *query.Path }

func (*Values) needs(acted) lineNeeds { return lineNeeds{others: true} }
func (*Values) traits() traits        { return traits{narrow: true} }

// Path returns the path of an `at` address, or nil for other addresses.
func (a *Address) Path() *query.Path {
	if v, ok := a.Form.(*Values); ok {
		return v.Path
	}
	return nil
}

// isScope reports whether `unless present` searches the address's spans.
func (a *Address) isScope() bool { return a.Form.traits().scope && !a.Outside }

// isPart reports whether no window ends within a span of the address.
func (a *Address) isPart() bool { return a.Form.traits().part && !a.Outside }

// single reports whether each span that the address selects is one line.
func (a *Address) single() bool { return a.Form.traits().single && !a.Outside }

// shifts reports whether a line that is added to a span of the address may be outside the span in the next
// run.
func (a *Address) shifts() bool { return a.Form.traits().shifts || a.Outside }

// isBlock reports whether the address selects blocks.
func (a *Address) isBlock() bool {
	_, ok := a.Form.(*Block)
	return ok && !a.Outside
}

// needs returns the address's requirements on the text.
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

// selects returns the address's spans within the current selection, and the 0-based lines of brackets, tags
// and ranges that are never closed.
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
			if a.Outside { // the end of an unclosed part is unknown, and so is its outside
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

// in returns a form's spans within e. If e has lines that it omits, the form sees only the other lines.
func (a *Address) in(r *run, f partForm, e edit.Span) ([]edit.Span, int) {
	if e.Direct {
		if v := r.viewOf(e); len(v.text) < e.End-e.Start {
			return v.within(f)
		}
	}
	return f.within(r.text, e, func(from, to int) {
		if to == noEnd && e.End < len(r.text.Bytes) {
			to = e.End // text after the span cannot extend it
		}
		r.bind(from, to, r.nextLine(min(to, len(r.text.Bytes))))
	})
}

// cut returns the intersection of spans of the whole text with the current selection, or the rest of the
// selection if the address is Outside.
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

// filter returns the spans that satisfy the address's Holdings. It searches the text once for all spans.
func (a *Address) filter(t *outline.Text, spans []edit.Span) []edit.Span {
	for _, h := range a.Having {
		holds := held(t.Bytes, h.Pattern, spans)
		spans = slices.DeleteFunc(slices.Clone(spans), func(s edit.Span) bool { return holds(s) == h.Lacking })
	}
	return spans
}

// held returns a function that reports whether a span contains a match of p.
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
