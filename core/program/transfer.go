package program

import (
	"bytes"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/pattern"
)

// Transfer is a compiled `move`, or `copy` where Move is not set.
type Transfer struct {
	Move bool
	Dest Dest
}

// Dest is where copied and moved lines go: above or below a line.
type Dest struct {
	Below   bool
	Line    int // a line number from 1, or 0
	First   bool
	Last    bool
	Pattern *pattern.Pattern // of the first line with it, where nothing else is said
}

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
	for _, span := range spans {
		moved = append(moved, text[span.Start:span.End]...)
		if lines.Ending(moved) == "" && len(moved) > 0 {
			moved = append(moved, r.lineEnding()...)
		}
	}
	if at == len(text) && at > 0 && text[at-1] != '\n' { // behind a last line without an ending
		moved = append([]byte(r.lineEnding()), moved...)
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
	if !bytes.Equal(edits.Apply(text), text) && c.offer(edits...) {
		c.made += before - 1
	}
	c.commitLines()
}

// behindInserted returns where lines go that come below a span's last line, at at: behind
// those that were inserted below the span.
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

// destination returns where the lines go: the edge of a line that is looked for in
// the whole file, for a move among the lines that stay.
func (s *Transfer) destination(r *run, moved []edit.Span) (int, bool) {
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
			line, ok = lines.Previous(text, part.Start, part.End), i == len(stay)-1
		case d.Line > 0:
			if d.Line <= r.text.Count() {
				line = r.text.Start(d.Line - 1)
				ok = part.Start <= line && line < part.End
			}
		default:
			s.Dest.Pattern.Find(text, part.Start, part.End, func(loc []int) bool {
				line, ok = lines.Start(text, part.Start, loc[0]), true
				return false
			})
		}
		if ok {
			if s.Dest.Below {
				line = lines.Next(text, line, len(text))
			}
			return line, true
		}
	}
	return 0, false
}
