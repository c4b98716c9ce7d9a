package program

import (
	"bytes"

	"frizzel/core/edit"
	"frizzel/core/pattern"
	"frizzel/core/script"
	"frizzel/core/structure"
)

// address is a compiled address.
type address struct {
	*script.Address
	index       int // among the program's addresses
	pattern     *pattern.Pattern
	open, close *mark
	section     string
	having      []holding
}

type holding struct {
	lacking bool
	pattern *pattern.Pattern
}

type mark struct {
	pattern *pattern.Pattern
	line    int // from 1; 0 for the last line, where pattern is nil
}

func (c *compiler) address(a *script.Address) *address {
	out := &address{Address: a, index: len(c.program.addresses)}
	c.program.addresses = append(c.program.addresses, a.Pos)
	c.program.sources = append(c.program.sources, c.source)
	if a.Kind == script.Line || a.Kind == script.Lines {
		c.numbered(a.Pos)
	}
	if a.Pattern != nil {
		out.pattern = c.pattern(a.Pattern, false)
	}
	if a.Section != nil {
		out.section = c.constant(a.Section)
	}
	out.open, out.close = c.mark(a.Open), c.mark(a.Close)
	for _, h := range a.Having {
		out.having = append(out.having, holding{h.Lacking, c.pattern(h.Pattern, false)})
	}
	return out
}

func (c *compiler) mark(m *script.Mark) *mark {
	if m == nil {
		return nil
	}
	out := &mark{line: m.Line}
	if m.Line > 0 {
		c.numbered(m.Pos)
	}
	if m.Pattern != nil {
		out.pattern = c.pattern(m.Pattern, false)
	}
	return out
}

// isScope reports whether `unless present` looks through what the address selects.
func (a *address) isScope() bool { return a.Kind.Takes() }

// selects returns what the address selects of what the statement acts on, and the
// lines, from 1, of what is opened there and never closed.
func (a *address) selects(r *run) (spans []edit.Span, unclosed []int) {
	t, enclosing := r.text, r.spans()
	switch a.Kind {
	case script.Line, script.Lines:
		from, to := max(a.From-1-r.in.linesBefore, 0), a.To-r.in.linesBefore
		if a.To == 0 {
			to = t.Count()
		}
		if to = min(to, t.Count()); from < to {
			spans = cut([]edit.Span{t.Lines(from, to)}, enclosing)
		}
	case script.Section:
		if r.in.File.markdown() {
			spans = t.Headings(a.section)
		} else {
			spans = t.Sections(a.section)
		}
		spans = cut(joined(a.filter(t, spans)), enclosing)
	case script.Block, script.Paragraph:
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
func (a *address) around(t *structure.Text) (spans []edit.Span, unclosed []int) {
	next := 0
	a.pattern.Find(t.Bytes, 0, len(t.Bytes), func(loc []int) bool {
		if loc[0] < next {
			return true
		}
		i := t.At(loc[0])
		next = t.Start(i + 1)
		s, ok := edit.Span{}, true
		if a.Kind == script.Paragraph {
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
func (a *address) within(t *structure.Text, e edit.Span) ([]edit.Span, int) {
	switch a.Kind {
	case script.FirstLines:
		end := e.Start
		for range a.From {
			end = nextLine(t.Bytes, end, e.End)
		}
		if end == e.Start {
			return nil, 0
		}
		return []edit.Span{plain(e.Start, end)}, 0
	case script.LastLines:
		start := e.End
		for range a.From {
			start = previousLine(t.Bytes, e.Start, start)
		}
		if start == e.End {
			return nil, 0
		}
		return []edit.Span{plain(start, e.End)}, 0
	case script.LinesWith:
		return a.linesWith(t.Bytes, e), 0
	case script.LinesWithout:
		return eachLine(t.Bytes, complement(a.linesWith(t.Bytes, e), e)), 0
	}
	return a.ranges(t, e)
}

// linesWith returns the lines that hold the pattern, with their neighbours.
func (a *address) linesWith(text []byte, e edit.Span) (spans []edit.Span) {
	done := e.Start
	a.pattern.Find(text, e.Start, e.End, func(loc []int) bool {
		if loc[0] < done && loc[1] <= done {
			return true
		}
		start := max(lineStart(text, e.Start, loc[0]), done)
		last := max(loc[1]-1, loc[0])
		end := nextLine(text, min(last, e.End), e.End)
		done = end
		for start < end {
			next := nextLine(text, start, e.End)
			spans = append(spans, plain(start, next))
			start = next
		}
		return true
	})
	if a.Above == 0 && a.Below == 0 {
		return spans
	}
	for i := range spans {
		for range a.Above {
			spans[i].Start = previousLine(text, e.Start, spans[i].Start)
		}
		for range a.Below {
			spans[i].End = nextLine(text, spans[i].End, e.End)
		}
		spans[i].Last = spans[i].End
	}
	return spans
}

// filter keeps the spans that hold what they must.
func (a *address) filter(t *structure.Text, spans []edit.Span) []edit.Span {
	if len(a.having) == 0 {
		return spans
	}
	var kept []edit.Span
	for _, s := range spans {
		ok := true
		for _, h := range a.having {
			ok = ok && h.pattern.Has(t.Bytes, s.Start, s.End) != h.lacking
		}
		if ok {
			kept = append(kept, s)
		}
	}
	return kept
}

// plain is a span without a closing line.
func plain(start, end int) edit.Span { return edit.Span{Start: start, End: end, Last: end} }

func lineStart(text []byte, lo, at int) int {
	return lo + bytes.LastIndexByte(text[lo:at], '\n') + 1
}

// nextLine returns where the line after the one that holds text[at] begins, not
// past hi.
func nextLine(text []byte, at, hi int) int {
	i := bytes.IndexByte(text[at:hi], '\n')
	if i < 0 {
		return hi
	}
	return at + i + 1
}

// previousLine returns where the line before the one that begins at at begins, not
// before lo.
func previousLine(text []byte, lo, at int) int {
	if at <= lo {
		return lo
	}
	return lineStart(text, lo, at-1)
}

// eachLine cuts spans into one per line.
func eachLine(text []byte, spans []edit.Span) (lines []edit.Span) {
	for _, s := range spans {
		for at := s.Start; at < s.End; {
			next := nextLine(text, at, s.End)
			lines = append(lines, plain(at, next))
			at = next
		}
	}
	return lines
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
			c := plain(max(s.Start, e.Start), min(s.End, e.End))
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
			out = append(out, plain(at, s.Start))
		}
		at = s.End
	}
	if at < e.End {
		out = append(out, plain(at, e.End))
	}
	return out
}
