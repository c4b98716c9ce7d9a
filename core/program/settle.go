package program

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/pattern"
	"frizzel/core/structure"
)

// settle is a compiled `settle`: exactly one line of each span.
type settle struct {
	pattern *pattern.Pattern
	text    *template
	marks   string // comment marks, each a character
}

func (s *settle) do(r *run) {
	c, f := r.changes(), r.filler()
	for _, span := range r.spans() {
		lines := s.lines(r.text.Bytes, span)
		if len(lines) == 0 {
			lines = s.commented(r.text.Bytes, span)
		}
		at := span.Start
		if len(lines) > 0 {
			at = lines[0].Start
		}
		fresh, ok := f.fill(s.text, at, nil)
		if !ok {
			continue
		}
		if len(lines) > 0 {
			f.taken(c.offer(s.keepOne(r, lines, fresh)...))
			continue
		}
		e, ok := s.add(r, span, fresh)
		f.taken(ok && c.offer(e))
	}
	c.keepEnd()
	c.commit()
}

// lines returns the span's lines that match.
func (s *settle) lines(text []byte, span edit.Span) (lines []edit.Span) {
	next := span.Start
	s.pattern.Find(text, span.Start, span.End, func(loc []int) bool {
		if loc[0] >= next {
			start := lineStart(text, span.Start, loc[0])
			next = nextLine(text, start, span.End)
			lines = append(lines, plain(start, next))
		}
		return true
	})
	return lines
}

// commented returns the first line that would match without its comment mark.
func (s *settle) commented(text []byte, span edit.Span) []edit.Span {
	if s.marks == "" {
		return nil
	}
	for at := span.Start; at < span.End; {
		next := nextLine(text, at, span.End)
		line := structure.Content(text[at:next])
		inside := bytes.TrimLeft(line, " \t")
		bare := bytes.TrimLeft(inside, s.marks)
		if len(bare) < len(inside) {
			bare = bytes.TrimLeft(bare, " \t")
			if _, _, ok := s.pattern.From(bare, 0, len(bare), 0); ok {
				return []edit.Span{plain(at, next)}
			}
		}
		at = next
	}
	return nil
}

// keepOne makes the first of the lines the one, and removes the others.
func (s *settle) keepOne(r *run, lines []edit.Span, fresh []byte) edit.List {
	text := r.text.Bytes
	first := text[lines[0].Start:lines[0].End]
	edits := edit.List{{
		Start: lines[0].Start,
		End:   lines[0].Start + len(structure.Content(first)),
		New:   r.indented(fresh, first),
	}}
	for _, l := range lines[1:] {
		edits = append(edits, edit.Edit{Start: l.Start, End: l.End})
	}
	return edits
}

// add puts the line after the span's last non-blank one, before what closes the
// span. It reports false where the span's only line closes it, or where the line
// already stands right behind the span.
func (s *settle) add(r *run, span edit.Span, fresh []byte) (edit.Edit, bool) {
	text := r.text.Bytes
	end := span.End
	if span.Last < span.End {
		if end = span.Last; end == span.Start {
			r.note(r.text.At(span.Start)+1, "this block stands on one line, so no line can be added to it")
			return edit.Edit{}, false
		}
	}
	for end > span.Start && structure.Blank(text[previousLine(text, span.Start, end):end]) {
		end = previousLine(text, span.Start, end)
	}
	if end == span.Start {
		return edit.Edit{Start: end, End: end, New: r.asLines(fresh, end)}, true
	}
	last := text[previousLine(text, span.Start, end):end]
	fresh = r.indented(fresh, last)
	if linesAt(text[end:], fresh) {
		return edit.Edit{}, false
	}
	return edit.Edit{Start: end, End: end, New: r.asLines(fresh, end), Side: edit.Behind}, true
}

// indented gives a text without white space of its own the indentation of a line.
func (r *run) indented(fresh, line []byte) []byte {
	indentation := structure.Indentation(line)
	if len(indentation) == 0 || len(structure.Indentation(fresh)) > 0 {
		return fresh
	}
	parts := bytes.SplitAfter(fresh, []byte("\n"))
	for i, p := range parts {
		if !structure.Blank(p) {
			parts[i] = slices.Concat(indentation, p)
		}
	}
	return bytes.Join(parts, nil)
}
