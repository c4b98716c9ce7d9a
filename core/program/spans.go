package program

import (
	"slices"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

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
func apart(spans []edit.Span) (out []edit.Span) {
	with := make([][]edit.Span, len(spans)) // by the first of those that share lines
	for i, first := range sharing(spans) {
		with[first] = append(with[first], spans[i])
	}
	for _, some := range with {
		switch len(some) {
		case 0:
		case 1:
			out = append(out, some[0])
		default:
			out = append(out, union(some))
		}
	}
	return out
}

// acting is a run of lines that a span acts on, by the span's index.
type acting struct{ from, to, span int }

// actingOf returns the runs of lines that spans act on, in the order of their places.
func actingOf(spans []edit.Span) (all []acting) {
	for i, s := range spans {
		for from, to := range s.Parts() {
			all = append(all, acting{from, to, i})
		}
	}
	slices.SortStableFunc(all, func(a, b acting) int { return a.from - b.from })
	return all
}

// sharing returns, for each span, the first one that it shares lines with, perhaps by way of
// others; itself where it shares none with an earlier one.
func sharing(spans []edit.Span) []int {
	first := make([]int, len(spans))
	for i := range first {
		first[i] = i
	}
	of := func(i int) int {
		for first[i] != i {
			first[i] = first[first[i]]
			i = first[i]
		}
		return i
	}
	last := acting{}
	for i, a := range actingOf(spans) {
		if i > 0 && a.from < last.to {
			one, other := of(a.span), of(last.span)
			first[max(one, other)] = min(one, other)
		}
		if i == 0 || a.to > last.to {
			last = a
		}
	}
	for i := range first {
		first[i] = of(i)
	}
	return first
}

// union returns one span of ordered ones that share lines: what none acts on is passed over,
// block by block.
func union(spans []edit.Span) edit.Span {
	out := spans[0]
	var starts []int // of blocks within
	for _, s := range spans {
		if s.End > out.End {
			out.End, out.Last, out.Below = s.End, s.Last, s.Below
		}
		for _, g := range s.Inner {
			starts = append(starts, g.Start)
		}
	}
	slices.Sort(starts)
	out.Inner = nil
	at := out.Start
	pass := func(to int) {
		for at < to {
			end := to
			if k := sort.SearchInts(starts, at+1); k < len(starts) {
				end = min(to, starts[k])
			}
			out.Inner = append(out.Inner, edit.Gap{Start: at, End: end})
			at = end
		}
	}
	for _, a := range actingOf(spans) {
		pass(a.from)
		at = max(at, a.to)
	}
	pass(out.End)
	return out
}

// cut returns the parts of spans that lie in the enclosing ones, both in the order of their
// beginnings, and each apart or in a gap of another.
func cut(spans, enclosing []edit.Span) (out []edit.Span) {
	var open []edit.Span // that begin before the enclosing one, each within the one before
	ended := func(at int) {
		for len(open) > 0 && open[len(open)-1].End <= at {
			open = open[:len(open)-1]
		}
	}
	i := 0
	for _, e := range enclosing {
		for ; i < len(spans) && spans[i].Start < e.Start; i++ {
			ended(spans[i].Start)
			open = append(open, spans[i])
		}
		ended(e.Start)
		within := spans[i : i+sort.Search(len(spans)-i, func(n int) bool { return spans[i+n].Start >= e.End })]
		for _, some := range [][]edit.Span{open, within} {
			for _, s := range some {
				if c, ok := common(s, e); ok {
					out = append(out, c)
				}
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

// others returns the runs of lines of e that no span holds, which are all apart, each with
// what e passes over.
func others(spans []edit.Span, e edit.Span) []edit.Span {
	return cut(complement(spans, e), []edit.Span{e})
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
