package program

import (
	"bytes"
	"unicode"

	"frizzel/core/edit"
	"frizzel/core/structure"
)

// squeeze is a compiled `squeeze blank lines`.
type squeeze struct{ to int }

func (s *squeeze) do(r *run) {
	r.tidy(true, func(text []byte, span edit.Span, edits edit.List) edit.List {
		blank := 0
		for at := span.Start; at < span.End; {
			next := nextLine(text, at, span.End)
			if structure.Blank(text[at:next]) {
				blank++
			} else {
				blank = 0
			}
			if blank > s.to {
				edits = append(edits, edit.Edit{Start: at, End: next})
			}
			at = next
		}
		return edits
	})
}

// trimEnds is a compiled `trim line ends`.
type trimEnds struct{}

func (trimEnds) do(r *run) {
	r.tidy(false, func(text []byte, span edit.Span, edits edit.List) edit.List {
		for at := span.Start; at < span.End; {
			next := nextLine(text, at, span.End)
			line := structure.Content(text[at:next])
			kept := len(bytes.TrimRightFunc(line, unicode.IsSpace))
			if kept < len(line) {
				edits = append(edits, edit.Edit{Start: at + kept, End: at + len(line)})
			}
			at = next
		}
		return edits
	})
}

// tidy makes the edits that each span asks for: a change a span, and one question
// for all of them. lines says that whole lines are removed.
func (r *run) tidy(lines bool, edits func(text []byte, span edit.Span, edits edit.List) edit.List) {
	c := r.changes()
	var all edit.List
	spans := 0
	for _, span := range r.spans() {
		before := len(all)
		if all = edits(r.text.Bytes, span, all); len(all) > before {
			spans++
		}
	}
	if len(all) > 0 && c.offer(all...) {
		c.made += spans - 1
	}
	if lines {
		c.keepEnd()
	}
	c.commit()
}

// useEndings is a compiled `use line endings`.
type useEndings struct{ crlf bool }

func (s *useEndings) do(r *run) {
	c := r.changes()
	text := r.text.Bytes
	var edits edit.List
	for at := 0; ; {
		i := bytes.IndexByte(text[at:], '\n')
		if i < 0 {
			break
		}
		end := at + i
		hasReturn := end > at && text[end-1] == '\r'
		switch {
		case s.crlf && !hasReturn:
			edits = append(edits, edit.Edit{Start: end, End: end, New: []byte("\r")})
		case !s.crlf && hasReturn:
			edits = append(edits, edit.Edit{Start: end - 1, End: end})
		}
		at = end + 1
	}
	c.offer(edits...)
	c.commit()
	r.ending = "\n"
	if s.crlf {
		r.ending = "\r\n"
	}
}

// useFinalEnding is a compiled `use final line ending`.
type useFinalEnding struct{}

func (useFinalEnding) do(r *run) {
	c := r.changes()
	text := r.text.Bytes
	if n := len(text); n > 0 && text[n-1] != '\n' {
		c.offer(edit.Edit{Start: n, End: n, New: []byte(r.lineEnding())})
	}
	c.commit()
}

// useEncoding is a compiled `use encoding`.
type useEncoding struct {
	name string
	rule int
}

func (s *useEncoding) do(r *run) {
	r.result.Encoding, r.result.EncodedBy = s.name, s.rule
}
