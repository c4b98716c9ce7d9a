package program

import (
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/structure"
)

// ranges returns the ranges between two marks in one span, as often as they occur,
// and the line, from 1, of one that is opened and never closed, or 0.
func (a *Address) ranges(t *structure.Text, e edit.Span) (spans []edit.Span, unclosed int) {
	for at := e.Start; at < e.End; {
		opening, ok := a.Open.find(t, e, at, at, true)
		if !ok {
			break
		}
		first := lines.Start(t.Bytes, e.Start, opening.start)
		closing, ok := a.Close.find(t, e, opening.end, first, false)
		if !ok {
			if a.Kind != Until {
				return spans, t.At(first) + 1
			}
			return append(spans, edit.SpanOf(first, e.End)), 0
		}
		last := lines.Start(t.Bytes, e.Start, closing.start)
		after := lines.Next(t.Bytes, max(closing.end-1, closing.start), e.End)
		at = after
		switch a.Kind {
		case Range:
			if a.Close.Pattern == nil { // a line by its number closes nothing
				last = after
			}
			spans = append(spans, edit.Span{Start: first, End: after, Last: last})
		case Between:
			if inner := lines.Next(t.Bytes, max(opening.end-1, opening.start), e.End); inner <= last {
				spans = append(spans, edit.SpanOf(inner, last))
			}
		case Until:
			if first < last {
				spans = append(spans, edit.SpanOf(first, last))
				at = last
			}
		}
	}
	return spans, 0
}

// place is where a mark was found, bytes.
type place struct{ start, end int }

// find returns the first place of the mark at or after at, where at may be within
// a line. A mark by line number is the whole of that line; as a closing mark it
// also is the line that holds from, where the range was opened.
func (m *Mark) find(t *structure.Text, e edit.Span, at, from int, opening bool) (place, bool) {
	if m.Pattern == nil {
		return m.numbered(t, e, at, from, opening)
	}
	if at > e.Start && !lines.AtStart(t.Bytes, at) {
		line := lines.Start(t.Bytes, e.Start, at)
		next := lines.Next(t.Bytes, at, e.End)
		if start, end, ok := m.Pattern.First(t.Bytes, line, next, at); ok {
			return place{start, end}, true
		}
		at = next
	}
	start, end, ok := m.Pattern.First(t.Bytes, at, e.End, at)
	return place{start, end}, ok
}

func (m *Mark) numbered(t *structure.Text, e edit.Span, at, from int, opening bool) (place, bool) {
	start := lines.Previous(t.Bytes, e.Start, e.End)
	if m.Line > 0 {
		if m.Line > t.Count() {
			return place{}, false
		}
		start = t.Start(m.Line - 1)
	}
	if opening {
		return place{start, start}, start >= at && start < e.End
	}
	return place{max(start, at), max(start, at)}, start >= from && start < e.End
}
