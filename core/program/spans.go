package program

import (
	"iter"
	"slices"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// runs yields the half-open ranges of s that a statement acts on: all of it, or, if s is Direct, its own
// lines.
func (r *run) runs(s edit.Span) iter.Seq2[int, int] {
	return func(yield func(int, int) bool) {
		if !s.Direct || s.Start == s.End {
			yield(s.Start, s.End)
			return
		}
		for from, to := range r.text.Own(r.text.At(s.Start), r.text.At(s.End-1)+1) {
			if !yield(r.text.Start(from), r.text.Start(to)) {
				return
			}
		}
	}
}

// expand returns the runs of all spans.
func (r *run) expand(spans []edit.Span) []edit.Span {
	if !slices.ContainsFunc(spans, func(s edit.Span) bool { return s.Direct }) {
		return spans
	}
	var out []edit.Span
	for _, s := range spans {
		for from, to := range r.runs(s) {
			out = append(out, edit.SpanOf(from, to))
		}
	}
	return out
}

// holds reports whether the runs of s include the line that begins at at.
func (r *run) holds(s edit.Span, at int) bool {
	for from, to := range r.runs(s) {
		if from <= at && at < to {
			return true
		}
	}
	return false
}

// others returns the runs of e without the lines of spans.
func (r *run) others(spans []edit.Span, e edit.Span) []edit.Span {
	spans = r.expand(spans)
	var out []edit.Span
	for from, to := range r.runs(e) {
		out = append(out, complement(spans, edit.SpanOf(from, to))...)
	}
	return out
}

// eachLine splits spans into one span for each line.
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

// joined merges spans that share a line; spans are in order. An empty span stays if no other contains it.
func joined(spans []edit.Span) []edit.Span {
	var out []edit.Span
	for _, s := range spans {
		if n := len(out); n > 0 && (s.Start < out[n-1].End || s.Start == out[n-1].Start && s.End == out[n-1].End) {
			if s.End > out[n-1].End {
				out[n-1].End, out[n-1].Last, out[n-1].Below = s.End, s.Last, s.Below
			}
			continue
		}
		out = append(out, s)
	}
	return out
}

// cut returns the intersection of two lists of spans. Each list is in order and without shared lines.
func (r *run) cut(spans, enclosing []edit.Span) (out []edit.Span) {
	i := 0
	for _, e := range enclosing {
		for i < len(spans) && spans[i].End <= e.Start {
			i++
		}
		for k := i; k < len(spans) && spans[k].Start < e.End; k++ {
			if s := spans[k]; s.Direct && (s.Start < e.Start || s.End > e.End) {
				out = append(out, r.cut(r.expand(spans[k:k+1]), []edit.Span{e})...)
			} else if c, ok := common(s, e); ok {
				out = append(out, c)
			}
		}
	}
	return out
}

// common returns the intersection of two spans. It reports false if it is empty.
func common(s, e edit.Span) (edit.Span, bool) {
	c := edit.SpanOf(max(s.Start, e.Start), min(s.End, e.End))
	if s.Last < s.End && s.End <= e.End {
		c.Last = max(s.Last, c.Start)
	}
	c.Direct = s.Direct
	return c, c.Start < c.End
}

// complement returns the runs of lines of e that are in no span.
func complement(spans []edit.Span, e edit.Span) (out []edit.Span) {
	at := e.Start
	first := sort.Search(len(spans), func(i int) bool { return spans[i].End > at })
	for _, s := range spans[first:] {
		if s.Start == s.End {
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
