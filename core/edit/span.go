package edit

import "bytes"

// Span is whole lines of a text: the bytes [Start, End).
type Span struct {
	Start, End int
	// Last is where its closing line begins, a brace's or a mark's, behind which nothing
	// belongs to it; End if it has none.
	Last int
	// Below is where lines go that are inserted below it: End, or behind those that were.
	Below int
	// Direct says that what acts on the span passes over the blocks within it.
	Direct bool
}

// SpanOf returns the span of the lines [start, end) without a closing line.
func SpanOf(start, end int) Span { return Span{Start: start, End: end, Last: end, Below: end} }

// Follow returns the positions of spans after the edits to text. Spans are in order and do not share a line. Text
// that is written within a span belongs to it; whole lines inserted at its edge do not.
func (l List) Follow(spans []Span, text []byte) []Span {
	if len(l) == 0 {
		return spans
	}
	out := make([]Span, len(spans))
	m := mapper{list: l, text: text}
	for i, s := range spans {
		out[i] = m.follow(s)
	}
	return out
}

// mapper carries ascending offsets through a list.
type mapper struct {
	list  List
	text  []byte
	shift int
	i     int
}

// follow maps a span, and leaves the mapper at its end.
func (m *mapper) follow(s Span) Span {
	out := Span{Direct: s.Direct}
	empty := s.Start == s.End
	out.Start, _ = m.place(s.Start, empty)
	last := *m
	covered := false
	out.Last, covered = last.place(s.Last, empty)
	covered = covered || s.Last == s.Start && last.replaces(s)
	out.End = max(m.end(s.Start, s.End), out.Start)
	if s.Last == s.End || covered { // what closed it is gone
		out.Last = out.End
	}
	out.Last = min(max(out.Last, out.Start), out.End)
	below := *m
	out.Below = max(below.below(s.Below), out.End)
	return out
}

// pass skips the current edit, which ends before the mapped offset.
func (m *mapper) pass() {
	e := m.list[m.i]
	m.shift += len(e.New) - (e.End - e.Start)
	m.i++
}

// replaces reports whether the current edit replaces all of a span.
func (m *mapper) replaces(s Span) bool {
	return m.i < len(m.list) && m.list[m.i].Start <= s.Start && s.Start < s.End && m.list[m.i].End >= s.End
}

// place maps the start of a line, past lines that are inserted there; of an empty span not past those below it. If an edit
// covers the line's start, it reports true and returns the edit's start.
func (m *mapper) place(at int, empty bool) (to int, covered bool) {
	for m.i < len(m.list) {
		e := m.list[m.i]
		if e.Start > at || e.Start == at && (e.Side == Within || empty && e.Side == Under || e.End > at) {
			break
		}
		if e.End > at { // the edit covers the offset: the span starts with the edit
			return e.Start + m.shift, e.Start < at
		}
		m.pass()
	}
	return at + m.shift, false
}

// end maps the end of the span that begins at start: before lines that are inserted there, and before text that
// is inserted at the next line's start.
func (m *mapper) end(start, at int) int {
	open := m.open(at)
	for m.i < len(m.list) {
		e := m.list[m.i]
		// Text that is inserted at an empty span belongs to it.
		within := e.Side == Behind || e.Side == Within && (open || start == at && e.End == at)
		if e.Start > at || e.Start == at && !within {
			if open && e.Start == at { // lines written here begin with the ending that the span's lacked
				return at + m.shift + leadingEnding(e.New)
			}
			break
		}
		if e.End > at {
			return e.Start + m.shift + len(e.New)
		}
		m.pass()
	}
	return at + m.shift
}

// below maps the offset for further lines below a span.
func (m *mapper) below(at int) int {
	for m.i < len(m.list) {
		e := m.list[m.i]
		if e.Start > at || e.Start == at && e.Side != Under || e.End > at {
			break
		}
		m.pass()
	}
	return at + m.shift
}

// open reports whether a line without an ending goes on at at.
func (m *mapper) open(at int) bool {
	return at == len(m.text) && !bytes.HasSuffix(m.text, []byte("\n"))
}

// leadingEnding returns how long the line ending is that text begins with.
func leadingEnding(text []byte) int {
	switch {
	case bytes.HasPrefix(text, []byte("\r\n")):
		return 2
	case bytes.HasPrefix(text, []byte("\n")):
		return 1
	}
	return 0
}
