package program

import (
	"bytes"

	"frizzel/core/edit"
	"frizzel/core/pattern"
	"frizzel/core/script"
)

// transfer is a compiled `copy` or `move`.
type transfer struct {
	*script.Transfer
	pattern *pattern.Pattern
}

func (s *transfer) do(r *run) {
	spans := r.spans()
	at, ok := s.destination(r, spans)
	if !ok {
		r.note(0, "there is no line to "+map[bool]string{true: "move", false: "copy"}[s.Move]+" the lines to")
		return
	}
	text := r.text.Bytes
	var lines []byte
	for _, span := range spans {
		lines = append(lines, text[span.Start:span.End]...)
		if endingOf(lines) == "" && len(lines) > 0 {
			lines = append(lines, r.lineEnding()...)
		}
	}
	if at == len(text) && at > 0 && text[at-1] != '\n' { // behind a last line without an ending
		lines = append([]byte(r.lineEnding()), withoutLastEnding(lines)...)
	}
	c := r.changes()
	before := len(spans)
	var edits edit.List
	put := edit.Edit{Start: at, End: at, New: lines, Side: edit.Outside}
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
	if !bytes.Equal(edits.Apply(text), text) && c.offer(edits...) {
		c.made += before - 1
	}
	c.keepEnd()
	c.commit()
}

// destination returns where the lines go: the edge of a line that is looked for in
// the whole file, for a move among the lines that stay.
func (s *transfer) destination(r *run, moved []edit.Span) (int, bool) {
	text := r.text.Bytes
	stay := []edit.Span{r.whole()}
	if s.Move {
		stay = complement(moved, r.whole())
	}
	for i, part := range stay {
		if part.Start == part.End {
			continue
		}
		line, ok := part.Start, false
		switch d := s.Dest; {
		case d.First:
			ok = true
		case d.Last:
			line, ok = previousLine(text, part.Start, part.End), i == len(stay)-1
		case d.Line > 0:
			if d.Line <= r.text.Count() {
				line = r.text.Start(d.Line - 1)
				ok = part.Start <= line && line < part.End
			}
		default:
			s.pattern.Find(text, part.Start, part.End, func(loc []int) bool {
				line, ok = lineStart(text, part.Start, loc[0]), true
				return false
			})
		}
		if ok {
			if s.Dest.Below {
				line = nextLine(text, line, len(text))
			}
			return line, true
		}
	}
	return 0, false
}
