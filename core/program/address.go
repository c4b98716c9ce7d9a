package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/pattern"
	"frizzel/core/query"
	"frizzel/core/structure"
)

// Address is a compiled address: where statements act.
type Address struct {
	Index    int // in Program.Addresses
	Kind     AddressKind
	Outside  bool             // all but what it selects
	From, To int              // Lines: numbers from 1, To 0 for the last; FirstLines, LastLines: From is how many
	Pattern  *pattern.Pattern // LinesWith, LinesWithout, Block, Paragraph
	Above    int              // LinesWith: neighbours
	Below    int
	Open     *Mark // Range, Between, Until
	Close    *Mark
	Section  string
	Path     *query.Path // At, which selects values
	Having   []Holding
	// Direct says that only a block's own level is selected, and Levels that what acts
	// there asks what that is.
	Direct, Levels bool
}

// AddressKind is the form of an address.
type AddressKind int

const (
	Lines AddressKind = iota
	FirstLines
	LastLines
	LinesWith
	LinesWithout
	Range
	Between
	Until
	Section
	Block
	Paragraph
	At
)

// Holding is what a selected part must hold, or must lack.
type Holding struct {
	Lacking bool
	Pattern *pattern.Pattern
}

// Mark bounds a range: a pattern, or where that is nil a line number from 1, 0 being
// the last line.
type Mark struct {
	Pattern *pattern.Pattern
	Line    int
}

// neighbours reports whether the address selects lines around those that match.
func (a *Address) neighbours() bool { return a.Above+a.Below > 0 }

// isScope reports whether `unless present` looks through what the address selects.
func (a *Address) isScope() bool { return a.Kind >= Range && a.Kind != At && !a.Outside }

// selects returns what the address selects of what the statement acts on, and the
// lines, from 1, of what is opened there and never closed.
func (a *Address) selects(r *run) (spans []edit.Span, unclosed []int) {
	t, enclosing := r.text, r.spans()
	switch a.Kind {
	case Lines:
		before := r.in.linesBefore()
		from, to := max(a.From-1-before, 0), a.To-before
		if a.To == 0 {
			to = t.Count()
		}
		if to = min(to, t.Count()); from < to {
			spans = []edit.Span{t.Lines(from, to)}
		}
	case Section:
		switch {
		case r.value == nil && r.in.Document != nil:
			spans = t.Under(r.in.Document.Headings(), a.Section, a.Direct)
		case r.value == nil && r.in.File.markdown():
			spans = t.Headings(a.Section, a.Direct)
		default:
			var headers []int
			r.structured(a, func(t *structure.Text) { spans, headers = t.Sections(a.Section) })
			r.holdBetween(headers)
		}
		spans = joined(a.filter(t, spans))
	case Block:
		r.structured(a, func(t *structure.Text) { spans, unclosed = a.blocks(t) })
		if spans = a.filter(t, spans); a.Direct {
			spans = apart(spans)
		} else {
			spans = joined(spans)
		}
	case Paragraph:
		spans = a.paragraphs(t)
		r.holdParagraphs(spans)
		spans = joined(a.filter(t, spans))
	default:
		for _, e := range enclosing {
			found, open := a.within(t, e, func(from, to int) {
				if to == noEnd && e.End < len(t.Bytes) {
					to = e.End // what comes behind the span closes nothing
				}
				r.hold(from, to, r.nextLine(min(to, len(t.Bytes))))
			})
			if open > 0 {
				unclosed = append(unclosed, open)
				if a.Outside { // where it would end is not known
					continue
				}
			}
			if a.neighbours() {
				r.holdEach(found)
			}
			found = joined(a.filter(t, found))
			if a.Outside {
				found = others(parts(found), e)
			}
			spans = append(spans, found...)
		}
		r.holdAbove(a.Above)
		return spans, unclosed
	}
	if !a.Outside {
		return cut(spans, enclosing), unclosed
	}
	if len(unclosed) > 0 {
		return nil, unclosed
	}
	var out []edit.Span
	spans = parts(spans)
	for _, e := range enclosing {
		out = append(out, others(spans, e)...)
	}
	return out, nil
}

// blocks returns the blocks of the lines that match, each whole, and the lines, from 1, of
// those that are never closed.
func (a *Address) blocks(t *structure.Text) (spans []edit.Span, unclosed []int) {
	a.eachMatching(t, func(i int) {
		s, ok := t.Block(i)
		if !ok {
			unclosed = append(unclosed, i+1)
			return
		}
		if s.Direct = a.Direct; a.Direct || a.Levels {
			s.Inner = t.Inner(i)
		}
		spans = append(spans, s)
	})
	return spans, unclosed
}

// paragraphs returns the paragraphs of the lines that match.
func (a *Address) paragraphs(t *structure.Text) (spans []edit.Span) {
	end := 0
	a.eachMatching(t, func(i int) {
		if t.Start(i) < end {
			return
		}
		if s, ok := t.Paragraph(i); ok {
			spans, end = append(spans, s), s.End
		}
	})
	return spans
}

// eachMatching calls act with each line, from 0, on which the pattern matches.
func (a *Address) eachMatching(t *structure.Text, act func(i int)) {
	next := 0
	a.Pattern.Find(t.Bytes, 0, len(t.Bytes), func(loc []int) bool {
		if loc[0] >= next {
			i := t.At(loc[0])
			next = t.Start(i + 1)
			act(i)
		}
		return true
	})
}

// isRange reports whether the address selects what lies between marks.
func (a *Address) isRange() bool { return a.Kind == Range || a.Kind == Between || a.Kind == Until }

// within returns what the address selects of one span, and the line, from 1, of a
// range that is never closed there, or 0. held is told of ranges.
func (a *Address) within(t *structure.Text, e edit.Span, held func(from, to int)) ([]edit.Span, int) {
	if e.Direct && len(e.Inner) > 0 {
		return a.amongParts(t, e)
	}
	switch a.Kind {
	case FirstLines:
		end := e.Start
		for range a.From {
			end = lines.Next(t.Bytes, end, e.End)
		}
		if end == e.Start {
			return nil, 0
		}
		return []edit.Span{edit.SpanOf(e.Start, end)}, 0
	case LastLines:
		start := e.End
		for range a.From {
			start = lines.Previous(t.Bytes, e.Start, start)
		}
		if start == e.End {
			return nil, 0
		}
		return []edit.Span{edit.SpanOf(start, e.End)}, 0
	case LinesWith:
		return a.linesWith(t.Bytes, e), 0
	case LinesWithout:
		return eachLine(t.Bytes, complement(a.linesWith(t.Bytes, e), e)), 0
	}
	return a.ranges(t, e, held)
}

// linesWith returns the lines that hold the pattern, with their neighbours.
func (a *Address) linesWith(text []byte, e edit.Span) (spans []edit.Span) {
	done := e.Start
	a.Pattern.Find(text, e.Start, e.End, func(loc []int) bool {
		if loc[0] < done && loc[1] <= done {
			return true
		}
		start := max(lines.Start(text, e.Start, loc[0]), done)
		last := max(loc[1]-1, loc[0])
		end := lines.Next(text, min(last, e.End), e.End)
		done = end
		for start < end {
			next := lines.Next(text, start, e.End)
			spans = append(spans, edit.SpanOf(start, next))
			start = next
		}
		return true
	})
	if !a.neighbours() {
		return spans
	}
	for i := range spans {
		for range a.Above {
			spans[i].Start = lines.Previous(text, e.Start, spans[i].Start)
		}
		for range a.Below {
			spans[i].End = lines.Next(text, spans[i].End, e.End)
		}
		spans[i].Last, spans[i].Below = spans[i].End, spans[i].End
	}
	return spans
}

// filter keeps the spans that hold what they must. A text is looked through once for all
// of them, since they may lie in each other.
func (a *Address) filter(t *structure.Text, spans []edit.Span) []edit.Span {
	for _, h := range a.Having {
		holds := held(t.Bytes, h.Pattern, spans)
		spans = slices.DeleteFunc(slices.Clone(spans), func(s edit.Span) bool { return holds(s) == h.Lacking })
	}
	return spans
}

// held returns what tells whether a span holds a match.
func held(text []byte, p *pattern.Pattern, spans []edit.Span) func(edit.Span) bool {
	direct := func(s edit.Span) bool { return s.Direct }
	if p.SpansLines() || len(spans) < 2 || slices.ContainsFunc(spans, direct) { // a match may end outside a span
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
