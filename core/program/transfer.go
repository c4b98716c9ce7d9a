package program

import (
	"bytes"
	"slices"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Transfer is a compiled `move`, or `copy` if Move is false.
type Transfer struct {
	Move bool
	Dest Dest
}

// A Dest is the destination of copied and moved lines: above or below a line, a section or a block.
type Dest struct {
	Below bool
	Line  int  // a 1-based line number, or 0
	Form  Form // if Line is 0; the first or last span that it finds
}

func (*Transfer) needs(acted) lineNeeds { return wholeText }

func (s *Transfer) do(r *run) {
	spans := r.spans()
	at, ok := s.destination(r, spans)
	if s.Dest.Below {
		at = r.behindInserted(at)
	}
	if !ok {
		r.note(-1, "there is no line to "+map[bool]string{true: "move", false: "copy"}[s.Move]+" the lines to")
		return
	}
	text := r.text.Bytes
	var moved []byte
	if at == len(text) && at > 0 && text[at-1] != '\n' { // after a last line without an ending
		moved = append(moved, r.lineEnding()...)
	}
	t := &transfer{run: r, spans: spans, stack: slices.Clone(r.stack)}
	for _, span := range spans {
		t.starts = append(t.starts, len(moved))
		moved = append(moved, text[span.Start:span.End]...)
		if lines.Ending(moved) == "" && len(moved) > 0 {
			moved = append(moved, r.lineEnding()...)
			t.ending = len(r.lineEnding())
		}
	}
	c := r.changes()
	before := len(spans)
	var edits edit.List
	put := edit.Edit{Start: at, End: at, New: moved, Side: edit.Outside}
	placed := false
	for _, span := range spans {
		if !placed && at <= span.Start {
			edits, placed = append(edits, put), true
		}
		if s.Move {
			edits = append(edits, edit.Edit{Start: span.Start, End: span.End})
		}
	}
	if !placed {
		edits = append(edits, put)
	}
	taken := !c.idle(edits) && c.offer(edits...)
	if taken {
		c.made += before - 1
	}
	c.commitLines()
	if taken && s.Move {
		t.follow(placeOf(c.edits, at))
	}
}

// idle reports whether edits of whole lines leave the text as it is.
func (c *changes) idle(edits edit.List) bool {
	after := &changes{run: c.run, edits: slices.Clone(edits)}
	after.keepEnd()
	return bytes.Equal(after.edits.Apply(c.run.text.Bytes), c.run.text.Bytes)
}

// placeOf returns the offset in the edited text of an insertion at the offset at of the old one.
func placeOf(edits edit.List, at int) int {
	shift := 0
	for _, e := range edits {
		if e.Start == at && e.End == at {
			break
		}
		shift += len(e.New) - (e.End - e.Start)
	}
	return at + shift
}

// A transfer is the lines that a move moved.
type transfer struct {
	run    *run
	spans  []edit.Span // their old ranges
	starts []int       // offset of each span within the inserted text
	ending int         // length of the line ending that was added to the last line
	stack  []selection // the enclosing selections before the move
}

// follow updates the spans whose lines all moved. put is the offset of the inserted text.
func (t *transfer) follow(put int) {
	r := t.run
	for level, was := range t.stack {
		now := slices.Clone(r.stack[level].spans)
		followed := false
		for i, s := range was.spans {
			if to, ok := t.place(s); ok {
				now[i] = to.moved(put, len(r.text.Bytes))
				followed = true
			}
		}
		if followed {
			slices.SortStableFunc(now, func(a, b edit.Span) int { return a.Start - b.Start })
			r.stack[level].spans = now
		}
	}
}

// A movedSpan is a span and its offset in the inserted text.
type movedSpan struct {
	edit.Span
	at int
}

// place returns a span's offset in the inserted text. It reports false if a part of the span did not move.
func (t *transfer) place(s edit.Span) (movedSpan, bool) {
	if s.Start == s.End {
		return movedSpan{}, false
	}
	first := sort.Search(len(t.spans), func(i int) bool { return t.spans[i].End > s.Start })
	if first == len(t.spans) || t.spans[first].Start > s.Start {
		return movedSpan{}, false
	}
	last := first
	for t.spans[last].End < s.End {
		if last+1 == len(t.spans) || t.spans[last+1].Start != t.spans[last].End {
			return movedSpan{}, false
		}
		last++
	}
	m := movedSpan{s, t.starts[first] + s.Start - t.spans[first].Start}
	if last == len(t.spans)-1 && s.End == t.spans[last].End {
		if m.Last == m.End {
			m.Last += t.ending
		}
		m.End += t.ending
	}
	return m, true
}

// moved returns the span in a text of size bytes after the insertion at put.
func (m movedSpan) moved(put, size int) edit.Span {
	by := put + m.at - m.Start
	s := edit.SpanOf(m.Start+by, min(m.End+by, size))
	s.Last, s.Direct = min(m.Last+by, s.End), m.Direct
	return s
}

// behindInserted returns the offset for lines below a span that ends at at: after the lines that were
// already inserted there.
func (r *run) behindInserted(at int) int {
	for _, sel := range r.stack {
		for _, s := range sel.spans {
			if s.End == at {
				at = max(at, s.Below)
			}
		}
	}
	return at
}

// destination returns the offset for the lines. The destination is searched in the whole file; a move searches
// only lines that do not move.
func (s *Transfer) destination(r *run, moved []edit.Span) (int, bool) {
	stay := []edit.Span{r.whole()}
	if s.Move {
		stay = complement(moved, r.whole())
	}
	stays := func(at int) bool {
		i := sort.Search(len(stay), func(i int) bool { return stay[i].End > at })
		return i < len(stay) && stay[i].Start <= at
	}
	if s.Dest.Line > 0 {
		if s.Dest.Line > r.text.Count() || !stays(r.text.Start(s.Dest.Line-1)) {
			return 0, false
		}
		return s.Dest.edge(r.text.Lines(s.Dest.Line-1, s.Dest.Line)), true
	}
	if f, ok := s.Dest.Form.(wholeForm); ok {
		spans, _ := f.find(r, &Address{Form: f})
		i := slices.IndexFunc(spans, func(e edit.Span) bool { return stays(e.Start) })
		if i < 0 {
			return 0, false
		}
		return s.Dest.edge(spans[i]), true
	}
	f := s.Dest.Form.(partForm)
	if s.Dest.last() {
		slices.Reverse(stay)
	}
	for _, part := range stay {
		if found, _ := f.within(r.text, part, func(int, int) {}); len(found) > 0 {
			return s.Dest.edge(found[0]), true
		}
	}
	return 0, false
}

// last reports whether the last such line is meant.
func (d Dest) last() bool {
	switch f := d.Form.(type) {
	case *LastLines:
		return true
	case *EdgeLinesWith:
		return f.Last
	}
	return false
}

// edge returns the offset above or below a span.
func (d Dest) edge(e edit.Span) int {
	if d.Below {
		return e.End
	}
	return e.Start
}
