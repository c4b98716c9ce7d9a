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
		opening, ok := a.Open.opens(t, e, at)
		if !ok {
			break
		}
		first := lines.Start(t.Bytes, e.Start, opening.start)
		closing, ok := a.Close.closes(t, e, opening.end, first)
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

// opens returns the first place of the mark in a span at or after at, where a line begins.
func (m *Mark) opens(t *structure.Text, e edit.Span, at int) (place, bool) {
	if m.Pattern != nil {
		start, end, ok := m.Pattern.First(t.Bytes, at, e.End, at)
		return place{start, end}, ok
	}
	start, ok := m.lineStart(t, e)
	return place{start, start}, ok && start >= at && start < e.End
}

// closes returns the first place of the mark in a span at or after at, which may be within
// a line. A mark by line number is the whole of that line, and also that one which holds
// from, where the range was opened.
func (m *Mark) closes(t *structure.Text, e edit.Span, at, from int) (place, bool) {
	if m.Pattern == nil {
		start, ok := m.lineStart(t, e)
		return place{max(start, at), max(start, at)}, ok && start >= from && start < e.End
	}
	if at > e.Start && !lines.AtStart(t.Bytes, at) {
		line := lines.Start(t.Bytes, e.Start, at)
		next := lines.Next(t.Bytes, at, e.End)
		if start, end, ok := m.Pattern.First(t.Bytes, line, next, at); ok {
			return place{start, end}, true
		}
		at = next
	}
	return m.opens(t, e, at)
}

// lineStart returns where the line begins that the mark numbers.
func (m *Mark) lineStart(t *structure.Text, e edit.Span) (int, bool) {
	switch {
	case m.Line == 0:
		return lines.Previous(t.Bytes, e.Start, e.End), true
	case m.Line > t.Count():
		return 0, false
	}
	return t.Start(m.Line - 1), true
}
