package program

import (
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/script"
)

// A Range selects the lines between two marks, for each occurrence of them. Close is nil for the last line.
type Range struct {
	Form        script.RangeForm
	Open, Close *pattern.Pattern
}

func (f *Range) needs(acted) lineNeeds {
	return lineNeeds{others: f.Open.SpansLines() || f.Close == nil || f.Close.SpansLines(), parts: true}
}

func (f *Range) traits() traits {
	return traits{scope: true, part: true, shifts: f.Form == script.Until, narrow: f.Form != script.Between}
}

// within returns the ranges within e.
func (f *Range) within(t *outline.Text, e edit.Span, bind func(from, to int)) (spans []edit.Span, unclosed int) {
	opening, ok := f.opens(t, e, e.Start)
	for ok {
		first := lines.Start(t.Bytes, e.Start, opening.start)
		closing, closed := f.closes(t, e, opening)
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
			if f.Close != nil {
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
			if next, again := f.opensAt(t, e, closing.start); again && closing.start > opening.start {
				if only, _ := f.opens(t, e, last); only == next { // a window that begins with this line also finds it
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
		opening, ok = f.opens(t, e, after)
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
type markAt struct{ start, end int }

// opens returns the first opening mark in e at or after at, the start of a line.
func (f *Range) opens(t *outline.Text, e edit.Span, at int) (markAt, bool) {
	start, end, ok := f.Open.First(t.Bytes, at, e.End, at)
	return markAt{start, end}, ok
}

// opensAt returns the opening mark that begins at at.
func (f *Range) opensAt(t *outline.Text, e edit.Span, at int) (markAt, bool) {
	line := lines.Start(t.Bytes, e.Start, at)
	start, end, ok := f.Open.First(t.Bytes, line, lines.Next(t.Bytes, at, e.End), at)
	return markAt{start, end}, ok && start == at
}

// closes returns the first closing mark after an opening one, on the same line first. The last line may be that line.
func (f *Range) closes(t *outline.Text, e edit.Span, opening markAt) (markAt, bool) {
	at := opening.end
	if f.Close == nil {
		last := max(lines.Previous(t.Bytes, e.Start, e.End), at)
		return markAt{last, last}, true
	}
	if at > e.Start && !lines.AtStart(t.Bytes, at) {
		line := lines.Start(t.Bytes, e.Start, at)
		next := lines.Next(t.Bytes, at, e.End)
		if start, end, ok := f.Close.First(t.Bytes, line, next, at); ok {
			return markAt{start, end}, true
		}
		if at = next; at >= e.End {
			return markAt{}, false
		}
	}
	start, end, ok := f.Close.First(t.Bytes, at, e.End, at)
	return markAt{start, end}, ok
}
