package program

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/pattern"
)

// Settle is a compiled `settle`: exactly one line of each span.
type Settle struct {
	Pattern *pattern.Pattern
	Text    *Template
	Marks   string // comment marks, each a character
}

func (s *Settle) do(r *run) {
	c, f := r.changes(), r.filler()
	for _, span := range r.spans() {
		found := s.lines(r.text.Bytes, span)
		if len(found) == 0 {
			found = s.commented(r.text.Bytes, span)
		}
		at := span.Start
		if len(found) > 0 {
			at = found[0].Start
		}
		fresh, ok := f.fill(s.Text, at, nil)
		if !ok {
			continue
		}
		if len(found) > 0 {
			f.taken(c.offer(s.keepOne(r, found, fresh)...))
			continue
		}
		e, ok := s.add(r, span, fresh)
		f.taken(ok && c.offer(e))
	}
	c.keepEnd()
	c.commit()
}

// lines returns the span's lines that match.
func (s *Settle) lines(text []byte, span edit.Span) (found []edit.Span) {
	next := span.Start
	s.Pattern.Find(text, span.Start, span.End, func(loc []int) bool {
		if loc[0] >= next {
			start := lines.Start(text, span.Start, loc[0])
			next = lines.After(text, start, span.End)
			found = append(found, edit.SpanOf(start, min(next, span.End)))
		}
		return true
	})
	return found
}

// commented returns the first line that would match without its comment mark.
func (s *Settle) commented(text []byte, span edit.Span) []edit.Span {
	if s.Marks == "" {
		return nil
	}
	for at := span.Start; at < span.End; {
		next := lines.Next(text, at, span.End)
		line := lines.Content(text[at:next])
		inside := bytes.TrimLeft(line, " \t")
		bare := bytes.TrimLeft(inside, s.Marks)
		if len(bare) < len(inside) {
			bare = bytes.TrimLeft(bare, " \t")
			bare = append(bytes.Clone(bare), '\n') // a line of its own
			if s.Pattern.Has(bare, 0, len(bare)) {
				return []edit.Span{edit.SpanOf(at, next)}
			}
		}
		at = next
	}
	return nil
}

// keepOne makes the first of the lines the one, and removes the others.
func (s *Settle) keepOne(r *run, found []edit.Span, fresh []byte) edit.List {
	text := r.text.Bytes
	first := text[found[0].Start:found[0].End]
	edits := edit.List{{
		Start: found[0].Start,
		End:   found[0].Start + len(lines.Content(first)),
		New:   r.indented(fresh, first),
	}}
	for _, l := range found[1:] {
		edits = append(edits, edit.Edit{Start: l.Start, End: l.End})
	}
	return edits
}

// add puts the line after the span's last non-blank one, before what closes the
// span. It reports false where the span's only line closes it, or where the line
// already stands right behind the span.
func (s *Settle) add(r *run, span edit.Span, fresh []byte) (edit.Edit, bool) {
	text := r.text.Bytes
	end := span.End
	if span.Last < span.End {
		if end = span.Last; end == span.Start {
			r.note(r.text.At(span.Start)+1, "this block stands on one line, so no line can be added to it")
			return edit.Edit{}, false
		}
	}
	for end > span.Start && lines.Blank(text[lines.Previous(text, span.Start, end):end]) {
		end = lines.Previous(text, span.Start, end)
	}
	if end == span.Start {
		return edit.Edit{Start: end, End: end, New: r.asLines(fresh, end)}, true
	}
	last := text[lines.Previous(text, span.Start, end):end]
	fresh = r.indented(fresh, last)
	if linesAt(text[end:], fresh) {
		return edit.Edit{}, false
	}
	return edit.Edit{Start: end, End: end, New: r.asLines(fresh, end), Side: edit.Behind}, true
}

// indented gives a text without white space of its own the indentation of a line.
func (r *run) indented(fresh, line []byte) []byte {
	indentation := lines.Indentation(line)
	if len(indentation) == 0 || len(lines.Indentation(fresh)) > 0 {
		return fresh
	}
	parts := bytes.SplitAfter(fresh, []byte("\n"))
	for i, p := range parts {
		if !lines.Blank(p) {
			parts[i] = slices.Concat(indentation, p)
		}
	}
	return bytes.Join(parts, nil)
}
