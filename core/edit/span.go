package edit

import "bytes"

// Span is whole lines of a text: the bytes [Start, End). Last is where its closing
// line begins, a brace's or a mark's, behind which nothing belongs to it; End where
// it has none.
type Span struct {
	Start, End int
	Last       int
}

// SpanOf returns the span of the lines [start, end), none of which closes it.
func SpanOf(start, end int) Span { return Span{Start: start, End: end, Last: end} }

// Follow returns the spans, ordered and apart, as they stand after the edits to
// text. What is written within a span belongs to it; whole lines inserted at its
// edge do not.
func (l List) Follow(spans []Span, text []byte) []Span {
	if len(l) == 0 {
		return spans
	}
	out := make([]Span, len(spans))
	m := mapper{list: l, text: text}
	for i, s := range spans {
		out[i].Start = m.start(s.Start)
		last := m
		covered := false
		out[i].Last, covered = last.place(s.Last)
		covered = covered || s.Last == s.Start && last.replaces(s)
		out[i].End = max(m.end(s.Start, s.End), out[i].Start)
		if s.Last == s.End || covered { // what closed it is gone
			out[i].Last = out[i].End
		}
		out[i].Last = min(max(out[i].Last, out[i].Start), out[i].End)
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

// pass takes the edit at hand as lying before what is mapped.
func (m *mapper) pass() {
	e := m.list[m.i]
	m.shift += len(e.New) - (e.End - e.Start)
	m.i++
}

// replaces reports whether the edit at hand takes all of a span.
func (m *mapper) replaces(s Span) bool {
	return m.i < len(m.list) && m.list[m.i].Start <= s.Start && s.Start < s.End && m.list[m.i].End >= s.End
}

// start maps a place where a span begins.
func (m *mapper) start(at int) int {
	to, _ := m.place(at)
	return to
}

// place maps a place where a line begins: past all before it, and past lines
// inserted there. It reports whether an edit covers the line's beginning, and then
// returns where the edit begins.
func (m *mapper) place(at int) (to int, covered bool) {
	for m.i < len(m.list) {
		e := m.list[m.i]
		if e.Start > at || e.Start == at && !(e.Side != Within && e.End == at) {
			break
		}
		if e.End > at { // the edit covers the place: the span begins where it does
			return e.Start + m.shift, e.Start < at
		}
		m.pass()
	}
	return at + m.shift, false
}

// end maps the place where the span that begins at start ends: before lines
// inserted there, and before what is written at the next line's start.
func (m *mapper) end(start, at int) int {
	open := at == len(m.text) && !bytes.HasSuffix(m.text, []byte("\n")) // the last line goes on
	for m.i < len(m.list) {
		e := m.list[m.i]
		// An empty span takes what is written at it.
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
