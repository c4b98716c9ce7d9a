package program

import (
	"frizzel/core/edit"
	"frizzel/core/script"
	"frizzel/core/structure"
)

// ranges returns the ranges between two marks in one span, as often as they occur,
// and the line, from 1, of one that is opened and never closed, or 0.
func (a *address) ranges(t *structure.Text, e edit.Span) (spans []edit.Span, unclosed int) {
	for at := e.Start; at < e.End; {
		open, ok := a.open.find(t, e, at, at, true)
		if !ok {
			break
		}
		first := lineStart(t.Bytes, e.Start, open.start)
		close, ok := a.close.find(t, e, open.end, first, false)
		if !ok {
			if a.Kind != script.Until {
				return spans, t.At(first) + 1
			}
			return append(spans, plain(first, e.End)), 0
		}
		last := lineStart(t.Bytes, e.Start, close.start)
		after := nextLine(t.Bytes, max(close.end-1, close.start), e.End)
		at = after
		switch a.Kind {
		case script.Range:
			if a.close.pattern == nil { // a line by its number closes nothing
				last = after
			}
			spans = append(spans, edit.Span{Start: first, End: after, Last: last})
		case script.Between:
			if inner := nextLine(t.Bytes, max(open.end-1, open.start), e.End); inner <= last {
				spans = append(spans, plain(inner, last))
			}
		case script.Until:
			if first < last {
				spans = append(spans, plain(first, last))
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
func (m *mark) find(t *structure.Text, e edit.Span, at, from int, opening bool) (place, bool) {
	if m.pattern == nil {
		return m.numbered(t, e, at, from, opening)
	}
	if at > e.Start && t.Bytes[at-1] != '\n' {
		line := lineStart(t.Bytes, e.Start, at)
		next := nextLine(t.Bytes, at, e.End)
		end := line + len(structure.Content(t.Bytes[line:next]))
		if at <= end {
			if s, end, ok := m.pattern.From(t.Bytes, line, end, at); ok {
				return place{s, end}, true
			}
		}
		at = next
	}
	var p place
	found := false
	m.pattern.Find(t.Bytes, at, e.End, func(loc []int) bool {
		p, found = place{loc[0], loc[1]}, true
		return false
	})
	return p, found
}

func (m *mark) numbered(t *structure.Text, e edit.Span, at, from int, opening bool) (place, bool) {
	start := previousLine(t.Bytes, e.Start, e.End)
	if m.line > 0 {
		if m.line > t.Count() {
			return place{}, false
		}
		start = t.Start(m.line - 1)
	}
	if opening {
		return place{start, start}, start >= at && start < e.End
	}
	return place{max(start, at), max(start, at)}, start >= from && start < e.End
}
