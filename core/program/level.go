package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/structure"
)

// amongParts returns what the address selects of a span with inner blocks that are passed
// over: what it selects of the span's own lines alone, put back in their places.
func (a *Address) amongParts(t *structure.Text, e edit.Span) ([]edit.Span, int) {
	v := viewOf(t, e)
	alone := *a
	alone.Open, alone.Close = v.mark(t, a.Open), v.mark(t, a.Close)
	text := t.Like(v.text)
	found, unclosed := alone.within(text, edit.SpanOf(0, len(v.text)), func(int, int) {})
	for i, s := range found {
		found[i] = v.span(s, e)
	}
	if unclosed > 0 {
		unclosed = t.At(v.place(text.Start(unclosed-1))) + 1
	}
	return found, unclosed
}

// view is a span's own lines as one text.
type view struct {
	text  []byte
	parts []part
}

// part is a run of lines of a view: where it begins there, and its bytes in the whole text.
type part struct{ at, start, end int }

func viewOf(t *structure.Text, e edit.Span) *view {
	v := &view{}
	for from, to := range e.Parts() {
		v.parts = append(v.parts, part{len(v.text), from, to})
		v.text = append(v.text, t.Bytes[from:to]...)
	}
	return v
}

// mark returns a mark as it stands in the view: a numbered line has another number there,
// or one behind the last where it is not in the view.
func (v *view) mark(t *structure.Text, m *Mark) *Mark {
	if m == nil || m.Pattern != nil || m.Line == 0 {
		return m
	}
	if m.Line <= t.Count() {
		start, n := t.Start(m.Line-1), 1
		for _, p := range v.parts {
			if p.start <= start && start < p.end {
				return &Mark{Line: n + t.At(start) - t.At(p.start)}
			}
			n += t.At(p.end-1) - t.At(p.start) + 1
		}
	}
	return &Mark{Line: len(v.text) + 2}
}

// place returns where a byte of the view stands in the whole text.
func (v *view) place(at int) int {
	i, ok := slices.BinarySearchFunc(v.parts, at, func(p part, at int) int { return p.at - at })
	if !ok {
		i--
	}
	return v.parts[i].start + at - v.parts[i].at
}

// span returns a span of the view as it stands in the whole text.
func (v *view) span(s, e edit.Span) edit.Span {
	start := v.place(s.Start)
	if s.Start == s.End {
		if s.Start == len(v.text) {
			start = e.End
		}
		return edit.SpanOf(start, start)
	}
	out := edit.SpanOf(start, v.place(s.End-1)+1)
	if s.Last < s.End {
		out.Last = v.place(s.Last)
	}
	for _, g := range e.Inner {
		if out.Start <= g.Start && g.End <= out.End {
			out.Inner = append(out.Inner, g)
		}
	}
	out.Direct = true
	return out
}
