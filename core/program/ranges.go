package program

import (
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/script"
)

// A Range selects the lines between two marks, for each occurrence of them.
type Range struct {
	Form        script.RangeForm
	Open, Close *Mark
}

// A Mark is a bound of a range: a pattern, or, if that is nil, a 1-based line number; 0 is the last line.
type Mark struct {
	Pattern *pattern.Pattern
	Line    int
}

func (f *Range) needs(acted) lineNeeds {
	return lineNeeds{others: !f.Open.byPattern() || !f.Close.byPattern(), parts: true}
}

func (f *Range) traits() traits {
	return traits{scope: true, part: true, shifts: f.Form == script.Until, narrow: f.Form != script.Between}
}

// byPattern reports whether the content of a single line decides whether it has the mark.
func (m *Mark) byPattern() bool { return m.Pattern != nil && !m.Pattern.SpansLines() }

// within returns the ranges within e.
func (f *Range) within(t *outline.Text, e edit.Span, bind func(from, to int)) (spans []edit.Span, unclosed int) {
	opening, ok := f.Open.opens(t, e, e.Start)
	for ok {
		first := lines.Start(t.Bytes, e.Start, opening.start)
		closing, closed := f.Close.closes(t, e, opening)
		if !closed {
			bind(first, noEnd)
			if f.Form != script.Until {
				return spans, t.At(first)
			}
			return append(spans, untilBlank(t, edit.SpanOf(first, e.End))), -1
		}
		last := lines.Start(t.Bytes, e.Start, closing.start)
		after := lines.Next(t.Bytes, max(closing.end-1, closing.start), e.End)
		switch f.Form {
		case script.FromTo:
			s := edit.SpanOf(first, after)
			if f.Close.Pattern != nil { // a missing numbered line leaves no range unclosed
				s.Last = last
			}
			spans = append(spans, s)
		case script.Between:
			if inner := lines.Next(t.Bytes, max(opening.end-1, opening.start), e.End); inner <= last {
				spans = append(spans, edit.SpanOf(inner, last))
			}
		case script.Until:
			if first < last {
				spans = append(spans, untilBlank(t, edit.SpanOf(first, last)))
			}
			if next, again := f.Open.opensAt(t, e, closing.start); again && closing.start > opening.start {
				if only, _ := f.Open.opens(t, e, last); only == next { // a window that begins with this line also finds it
					bind(first, last)
				} else {
					bind(first, after)
				}
				opening = next
				continue
			}
		}
		bind(first, after)
		if after >= e.End {
			break
		}
		opening, ok = f.Open.opens(t, e, after)
	}
	return spans, -1
}

// untilBlank removes the blank lines at a range's end.
func untilBlank(t *outline.Text, s edit.Span) edit.Span {
	end := s.End
	for {
		start := lines.Previous(t.Bytes, s.Start, end)
		if start == s.Start || !lines.Blank(t.Bytes[start:end]) {
			return edit.SpanOf(s.Start, end)
		}
		end = start
	}
}

// A markAt is an occurrence of a mark, in byte offsets.
type markAt struct {
	start, end int
	numbered   bool // the mark is a line number
}

// opens returns the first occurrence of the mark in e at or after at, the start of a line.
func (m *Mark) opens(t *outline.Text, e edit.Span, at int) (markAt, bool) {
	if m.Pattern != nil {
		start, end, ok := m.Pattern.First(t.Bytes, at, e.End, at)
		return markAt{start: start, end: end}, ok
	}
	start, ok := m.lineStart(t, e)
	return markAt{start, start, true}, ok && start >= at && start < e.End
}

// opensAt returns the occurrence of the mark in the line that begins at at.
func (m *Mark) opensAt(t *outline.Text, e edit.Span, at int) (markAt, bool) {
	if m.Pattern == nil {
		start, ok := m.lineStart(t, e)
		return markAt{start, start, true}, ok && start == at && start < e.End
	}
	line := lines.Start(t.Bytes, e.Start, at)
	start, end, ok := m.Pattern.First(t.Bytes, line, lines.Next(t.Bytes, at, e.End), at)
	return markAt{start: start, end: end}, ok && start == at
}

// closes returns the first occurrence of the mark after opening: on the same line, or, if opening is a
// numbered line, on the next one. A line number as the mark covers its whole line, which may be the line of
// the opening.
func (m *Mark) closes(t *outline.Text, e edit.Span, opening markAt) (markAt, bool) {
	at := opening.end
	if opening.numbered {
		if at = lines.Next(t.Bytes, opening.start, e.End); at >= e.End {
			return markAt{}, false
		}
		return m.opens(t, e, at)
	}
	if m.Pattern == nil {
		start, ok := m.lineStart(t, e)
		from := lines.Start(t.Bytes, e.Start, opening.start)
		return markAt{start: max(start, at), end: max(start, at)}, ok && start >= from && start < e.End
	}
	if at > e.Start && !lines.AtStart(t.Bytes, at) {
		line := lines.Start(t.Bytes, e.Start, at)
		next := lines.Next(t.Bytes, at, e.End)
		if start, end, ok := m.Pattern.First(t.Bytes, line, next, at); ok {
			return markAt{start: start, end: end}, true
		}
		if at = next; at >= e.End {
			return markAt{}, false
		}
	}
	return m.opens(t, e, at)
}

// lineStart returns the offset of the line with the mark's number.
func (m *Mark) lineStart(t *outline.Text, e edit.Span) (int, bool) {
	switch {
	case m.Line == 0:
		return lines.Previous(t.Bytes, e.Start, e.End), true
	case m.Line > t.Count():
		return 0, false
	}
	return t.Start(m.Line - 1), true
}
