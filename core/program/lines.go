package program

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Delete is a compiled `delete`.
type Delete struct{}

func (Delete) do(r *run) {
	c := r.changes()
	for _, s := range r.spans() {
		c.offer(edit.Edit{Start: s.Start, End: s.End})
	}
	c.keepEnd()
	c.commit()
}

// keepEnd sees to it that a file whose last line has no ending stays one where the
// changes take that line: then the line that comes last gives up its own.
func (c *changes) keepEnd() {
	text := c.run.text.Bytes
	n := len(c.edits) - 1
	if n < 0 || lines.Ending(text) != "" || c.edits[n].End != len(text) || len(c.edits[n].New) > 0 {
		return
	}
	for n > 0 && len(c.edits[n-1].New) == 0 && c.edits[n-1].End == c.edits[n].Start {
		c.edits[n-1].End = c.edits[n].End
		c.edits = c.edits[:n]
		n--
	}
	last := &c.edits[n]
	if n > 0 && c.edits[n-1].End == last.Start {
		c.edits[n-1].New = withoutLastEnding(c.edits[n-1].New)
		return
	}
	last.Start = len(withoutLastEnding(text[:last.Start]))
}

// withoutLastEnding drops the last line's ending, unless the line is blank and so
// might be lost.
func withoutLastEnding(text []byte) []byte {
	if lines.Blank(text[lines.Previous(text, 0, len(text)):]) {
		return text
	}
	return bytes.TrimSuffix(text, []byte(lines.Ending(text)))
}

// Insert is a compiled `insert`.
type Insert struct {
	Where         Edge
	Text          *Template
	UnlessPresent bool
}

// Edge is where an insert goes: above or below each span, or to the top or the end of
// the file.
type Edge int

const (
	Above Edge = iota
	Below
	Top
	End
)

func (s *Insert) do(r *run) {
	c, f := r.changes(), r.filler()
	text := r.text.Bytes
	spans := r.spans()
	if s.Where == Top || s.Where == End {
		spans = []edit.Span{r.whole()}
	}
	written := map[int]bool{} // where scopes begin that have the lines by now
	for _, span := range spans {
		at := span.Start
		switch s.Where {
		case Below, End:
			at = span.End
		case Top:
			at = topOf(text)
		}
		fresh, ok := f.fill(s.Text, at, nil)
		if !ok {
			continue
		}
		scope := s.scope(r, span)
		if s.UnlessPresent && (written[scope.Start] || s.present(r, scope, at, fresh)) {
			f.taken(false)
			continue
		}
		ok = c.offer(edit.Edit{Start: at, End: at, New: r.asLines(fresh, at), Side: edit.Outside})
		f.taken(ok)
		written[scope.Start] = written[scope.Start] || ok
	}
	c.commit()
}

// topOf returns where lines at the top go: below a #! line or an XML declaration.
func topOf(text []byte) int {
	if bytes.HasPrefix(text, []byte("#!")) || bytes.HasPrefix(text, []byte("<?xml")) {
		return lines.Next(text, 0, len(text))
	}
	return 0
}

// present reports whether the scope around a span, or the place itself, already
// has the lines.
func (s *Insert) present(r *run, scope edit.Span, at int, wanted []byte) bool {
	return hasLines(r.text.Bytes[scope.Start:scope.End], wanted) || standsAt(r.text.Bytes, at, wanted, s.Where == Below)
}

// scope returns what `unless present` looks through.
func (s *Insert) scope(r *run, span edit.Span) edit.Span {
	if s.Where == Top || s.Where == End {
		return r.whole()
	}
	return r.scopeOf(span)
}

// scopeOf returns the innermost section, block, paragraph or range around a span,
// else the whole file.
func (r *run) scopeOf(span edit.Span) edit.Span {
	for i := len(r.stack) - 1; i >= 0; i-- {
		if !r.stack[i].scope {
			continue
		}
		for _, s := range r.stack[i].spans {
			if s.Start <= span.Start && span.End <= s.End {
				return s
			}
		}
	}
	return r.whole()
}

// hasLines reports whether a text of whole lines holds the lines, one after the
// other, whatever their endings.
func hasLines(text, wanted []byte) bool {
	first, _, _ := bytes.Cut(wanted, []byte("\n"))
	first = lines.Content(append(slices.Clone(first), '\n'))
	for at := 0; at < len(text); at = lines.Next(text, at, len(text)) {
		if bytes.HasPrefix(text[at:], first) && linesAt(text[at:], wanted) {
			return true
		}
	}
	return false
}

// linesAt reports whether text begins with the lines, each of them whole.
func linesAt(text, wanted []byte) bool {
	for {
		want, rest, more := bytes.Cut(wanted, []byte("\n"))
		want = bytes.TrimSuffix(want, []byte("\r"))
		if len(text) == 0 {
			return false
		}
		next := lines.Next(text, 0, len(text))
		if !bytes.Equal(lines.Content(text[:next]), want) {
			return false
		}
		if !more {
			return true
		}
		text, wanted = text[next:], rest
	}
}

// standsAt reports whether the lines stand right behind at, or right before it
// where below is not set.
func standsAt(text []byte, at int, wanted []byte, below bool) bool {
	if below {
		return linesAt(text[at:], wanted)
	}
	start := at
	for range bytes.Count(wanted, []byte("\n")) + 1 {
		start = lines.Previous(text, 0, start)
	}
	return start < at && linesAt(text[start:at], wanted)
}

// asLines makes whole lines of fresh for insertion at a line's edge: an ending
// behind, or before where they come after a last line that has none.
func (r *run) asLines(fresh []byte, at int) []byte {
	text := r.text.Bytes
	if at == len(text) && at > 0 && text[at-1] != '\n' {
		return append([]byte(r.lineEnding()), fresh...)
	}
	return append(fresh, r.lineEnding()...)
}

// Rewrite is a compiled `rewrite`.
type Rewrite struct{ Text *Template }

func (s *Rewrite) do(r *run) {
	c, f := r.changes(), r.filler()
	text := r.text.Bytes
	for _, span := range r.spans() {
		fresh, ok := f.fill(s.Text, span.Start, nil)
		if !ok {
			continue
		}
		e := edit.Edit{Start: span.Start, End: span.End}
		switch {
		case span.Start == span.End:
			e.New = r.asLines(fresh, span.Start)
		default:
			e.New = append(fresh, lines.Ending(text[:span.End])...)
		}
		f.taken(c.offer(e))
	}
	c.commit()
}

// Comment is a compiled `comment out`, or `uncomment` where Out is not set.
type Comment struct {
	Out  bool
	Mark *Template
}

func (s *Comment) do(r *run) {
	c, f := r.changes(), r.filler()
	text := r.text.Bytes
	for _, span := range r.spans() {
		mark, ok := f.fill(s.Mark, span.Start, nil)
		if !ok {
			continue
		}
		var edits edit.List
		for at := span.Start; at < span.End; {
			next := lines.Next(text, at, span.End)
			line := text[at:next]
			place := at + len(lines.Indentation(line))
			marked := bytes.HasPrefix(text[place:next], mark)
			switch {
			case s.Out && !marked && !lines.Blank(line):
				edits = append(edits, edit.Edit{Start: place, End: place, New: mark})
			case !s.Out && marked:
				edits = append(edits, edit.Edit{Start: place, End: place + len(mark)})
			}
			at = next
		}
		f.taken(c.offer(edits...))
	}
	c.commit()
}
