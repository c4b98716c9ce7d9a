package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/pattern"
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

// isScope reports whether `unless present` looks through what the address selects.
func (a *Address) isScope() bool { return a.Kind >= Range && !a.Outside }

// selects returns what the address selects of what the statement acts on, and the
// lines, from 1, of what is opened there and never closed.
func (a *Address) selects(r *run) (spans []edit.Span, unclosed []int) {
	t, enclosing := r.text, r.spans()
	switch a.Kind {
	case Lines:
		from, to := max(a.From-1-r.in.linesBefore, 0), a.To-r.in.linesBefore
		if a.To == 0 {
			to = t.Count()
		}
		if to = min(to, t.Count()); from < to {
			spans = []edit.Span{t.Lines(from, to)}
		}
	case Section:
		if r.in.File.markdown() {
			spans = t.Headings(a.Section, a.Direct)
		} else {
			spans = t.Sections(a.Section)
		}
		spans = joined(a.filter(t, spans))
	case Block:
		spans, unclosed = a.blocks(t)
		if spans = a.filter(t, spans); a.Direct {
			spans = apart(spans)
		} else {
			spans = joined(spans)
		}
	case Paragraph:
		spans = joined(a.filter(t, a.paragraphs(t)))
	default:
		for _, e := range enclosing {
			found, open := a.within(t, e)
			if open > 0 {
				unclosed = append(unclosed, open)
				if a.Outside { // where it would end is not known
					continue
				}
			}
			found = joined(a.filter(t, found))
			if a.Outside {
				found = others(found, e)
			}
			spans = append(spans, found...)
		}
		return spans, unclosed
	}
	if !a.Outside {
		return cut(spans, enclosing), unclosed
	}
	if len(unclosed) > 0 {
		return nil, unclosed
	}
	var out []edit.Span
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

// within returns what the address selects of one span, and the line, from 1, of a
// range that is never closed there, or 0.
func (a *Address) within(t *structure.Text, e edit.Span) ([]edit.Span, int) {
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
	return a.ranges(t, e)
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
	if a.Above == 0 && a.Below == 0 {
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

// eachLine cuts spans into one per line.
func eachLine(text []byte, spans []edit.Span) (all []edit.Span) {
	for _, s := range spans {
		for at := s.Start; at < s.End; {
			next := lines.Next(text, at, s.End)
			all = append(all, edit.SpanOf(at, next))
			at = next
		}
	}
	return all
}

// joined makes ordered spans that share a line one. Empty spans stay where no
// other holds them.
func joined(spans []edit.Span) []edit.Span {
	var out []edit.Span
	for _, s := range spans {
		if n := len(out); n > 0 && (s.Start < out[n-1].End || s.Start == out[n-1].Start && s.End == out[n-1].End) {
			if s.End > out[n-1].End {
				out[n-1].End, out[n-1].Last, out[n-1].Below = s.End, s.Last, s.Below
				out[n-1].Inner = append(out[n-1].Inner, s.Inner...)
			}
			continue
		}
		out = append(out, s)
	}
	return out
}

// apart makes ordered blocks, of which only the own level counts, one where they share a line
// of it; others may lie within each other's gaps.
func apart(spans []edit.Span) []edit.Span {
	var out []edit.Span
	var open []int // of out, each within the one before
	for _, s := range spans {
		for len(open) > 0 && out[open[len(open)-1]].End <= s.Start {
			open = open[:len(open)-1]
		}
		if len(open) > 0 && out[open[len(open)-1]].Holds(s.Start) {
			if o := &out[open[len(open)-1]]; s.End > o.End {
				for _, g := range s.Inner {
					if g.Start >= o.End {
						o.Inner = append(o.Inner, g)
					}
				}
				o.End, o.Last, o.Below = s.End, s.Last, s.Below
			}
			continue
		}
		open = append(open, len(out))
		out = append(out, s)
	}
	return out
}

// cut returns the parts of spans that lie in the enclosing ones, both in the order of their
// beginnings.
func cut(spans, enclosing []edit.Span) (out []edit.Span) {
	i := 0
	for _, e := range enclosing {
		for i < len(spans) && spans[i].End <= e.Start {
			i++
		}
		for _, s := range spans[i:] {
			if s.Start >= e.End {
				break
			}
			if c, ok := common(s, e); ok {
				out = append(out, c)
			}
		}
	}
	return out
}

// common returns the part of a span that lies in an enclosing one; false where there is
// none.
func common(s, e edit.Span) (edit.Span, bool) {
	c := edit.SpanOf(max(s.Start, e.Start), min(s.End, e.End))
	if s.Last < s.End && s.End <= e.End {
		c.Last = max(s.Last, c.Start)
	}
	c.Direct = s.Direct || e.Direct
	for _, g := range gaps(s, e) {
		switch {
		case g.End <= c.Start || c.End <= g.Start:
		case !c.Direct:
			c.Inner = append(c.Inner, edit.Gap{Start: max(g.Start, c.Start), End: min(g.End, c.End)})
		case g.Start <= c.Start:
			c.Start = g.End
		case g.End >= c.End:
			c.End, c.Below = g.Start, g.Start
			c.Last = min(c.Last, c.End)
		default:
			c.Inner = append(c.Inner, g)
		}
	}
	return c, c.Start < c.End
}

// gaps returns what is passed over in one of two spans, in order; where nothing is, what is
// deeper than the first one's own level.
func gaps(s, e edit.Span) []edit.Gap {
	if !s.Direct && !e.Direct {
		return s.Inner
	}
	var all []edit.Gap
	for _, of := range []edit.Span{s, e} {
		if of.Direct {
			all = append(all, of.Inner...)
		}
	}
	slices.SortFunc(all, func(a, b edit.Gap) int { return a.Start - b.Start })
	var out []edit.Gap
	for _, g := range all {
		if n := len(out); n > 0 && g.Start < out[n-1].End {
			out[n-1].End = max(out[n-1].End, g.End)
		} else {
			out = append(out, g)
		}
	}
	return out
}

// others returns the runs of lines of e that no span holds, each with what e passes over.
func others(spans []edit.Span, e edit.Span) []edit.Span {
	return cut(complement(parts(spans), e), []edit.Span{e})
}

// parts returns the runs of lines that spans act on, in the order of their places.
func parts(spans []edit.Span) []edit.Span {
	if !slices.ContainsFunc(spans, func(s edit.Span) bool { return s.Direct }) {
		return spans
	}
	var out []edit.Span
	for _, s := range spans {
		for from, to := range s.Parts() {
			out = append(out, edit.SpanOf(from, to))
		}
	}
	slices.SortFunc(out, func(a, b edit.Span) int { return a.Start - b.Start })
	return out
}

// complement returns the runs of lines of e that no span holds.
func complement(spans []edit.Span, e edit.Span) (out []edit.Span) {
	at := e.Start
	for _, s := range spans {
		if s.End <= at || s.Start == s.End {
			continue
		}
		if s.Start >= e.End {
			break
		}
		if s.Start > at {
			out = append(out, edit.SpanOf(at, s.Start))
		}
		at = s.End
	}
	if at < e.End {
		out = append(out, edit.SpanOf(at, e.End))
	}
	return out
}
