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
func (a *Address) isScope() bool { return a.Kind >= Range }

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
			spans = cut([]edit.Span{t.Lines(from, to)}, enclosing)
		}
	case Section:
		if r.in.File.markdown() {
			spans = t.Headings(a.Section)
		} else {
			spans = t.Sections(a.Section)
		}
		spans = cut(joined(a.filter(t, spans)), enclosing)
	case Block, Paragraph:
		spans, unclosed = a.around(t)
		spans = cut(joined(a.filter(t, spans)), enclosing)
	default:
		for _, e := range enclosing {
			found, open := a.within(t, e)
			if a.Outside && open > 0 { // where it would end is not known
				unclosed = append(unclosed, open)
				continue
			}
			if open > 0 {
				unclosed = append(unclosed, open)
			}
			found = joined(a.filter(t, found))
			if a.Outside {
				found = complement(found, e)
			}
			spans = append(spans, found...)
		}
		return spans, unclosed
	}
	if !a.Outside {
		return spans, unclosed
	}
	if len(unclosed) > 0 {
		return nil, unclosed
	}
	var out []edit.Span
	for _, e := range enclosing {
		out = append(out, complement(spans, e)...)
	}
	return out, nil
}

// around returns the blocks or the paragraphs of the lines that match, each whole.
func (a *Address) around(t *structure.Text) (spans []edit.Span, unclosed []int) {
	next := 0
	a.Pattern.Find(t.Bytes, 0, len(t.Bytes), func(loc []int) bool {
		if loc[0] < next {
			return true
		}
		i := t.At(loc[0])
		next = t.Start(i + 1)
		s, ok := edit.Span{}, true
		if a.Kind == Paragraph {
			s = t.Paragraph(i)
			next = s.End
		} else {
			s, ok = t.Block(i)
		}
		if ok {
			spans = append(spans, s)
		} else {
			unclosed = append(unclosed, i+1)
		}
		return true
	})
	return spans, unclosed
}

// within returns what the address selects of one span, and the line, from 1, of a
// range that is never closed there, or 0.
func (a *Address) within(t *structure.Text, e edit.Span) ([]edit.Span, int) {
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
		spans[i].Last = spans[i].End
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
		if n := len(out); n > 0 && (s.Start < out[n-1].End || s == out[n-1]) {
			if s.End > out[n-1].End {
				out[n-1].End, out[n-1].Last = s.End, s.Last
			}
			continue
		}
		out = append(out, s)
	}
	return out
}

// cut returns the parts of spans that lie in the enclosing ones, both ordered and
// apart.
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
			c := edit.SpanOf(max(s.Start, e.Start), min(s.End, e.End))
			if s.Last < s.End && s.End <= e.End {
				c.Last = max(s.Last, c.Start)
			}
			out = append(out, c)
		}
	}
	return out
}

// complement returns the runs of lines of e that no span holds.
func complement(spans []edit.Span, e edit.Span) (out []edit.Span) {
	at := e.Start
	for _, s := range spans {
		if s.End <= at {
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
