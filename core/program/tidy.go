package program

import (
	"bytes"
	"unicode"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Squeeze is a compiled `squeeze blank lines`.
type Squeeze struct{ To int }

func (*Squeeze) needs(acted) lineNeeds { return wholeText }

func (s *Squeeze) do(r *run) {
	r.tidy(true, func(text []byte, span edit.Span, edits edit.List) edit.List {
		blank := 0
		for at := span.Start; at < span.End; {
			next := lines.Next(text, at, span.End)
			if lines.Blank(text[at:next]) {
				blank++
			} else {
				blank = 0
			}
			if blank > s.To {
				edits = append(edits, edit.Edit{Start: at, End: next})
			}
			at = next
		}
		return edits
	})
}

// TrimEnds is a compiled `trim line ends`.
type TrimEnds struct{}

func (TrimEnds) needs(on acted) lineNeeds { return on.perSpan() }

func (TrimEnds) do(r *run) {
	r.tidy(false, func(text []byte, span edit.Span, edits edit.List) edit.List {
		for at := span.Start; at < span.End; {
			next := lines.Next(text, at, span.End)
			line := lines.Content(text[at:next])
			kept := len(bytes.TrimRightFunc(line, unicode.IsSpace))
			if kept < len(line) {
				edits = append(edits, edit.Edit{Start: at + kept, End: at + len(line)})
			}
			at = next
		}
		return edits
	})
}

// tidy makes the edits that a function returns for each span. Each span is one change; one question covers all
// of them. whole means that edits remove whole lines.
func (r *run) tidy(whole bool, edits func(text []byte, span edit.Span, edits edit.List) edit.List) {
	c := r.changes()
	c.span = true
	var all edit.List
	spans := 0
	for _, span := range r.parts() {
		before := len(all)
		if all = edits(r.text.Bytes, span, all); len(all) > before {
			spans++
		}
	}
	if len(all) > 0 && c.offer(all...) {
		c.made += spans - 1
	}
	if whole {
		c.keepEnd()
	}
	c.commit()
}

// UseEndings is a compiled `use line endings`.
type UseEndings struct{ CRLF bool }

func (*UseEndings) needs(acted) lineNeeds { return lineNeeds{spans: true} }

func (s *UseEndings) do(r *run) {
	c := r.changes()
	c.span = true
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
		case s.CRLF && !hasReturn:
			edits = append(edits, edit.Edit{Start: end, End: end, New: []byte("\r")})
		case !s.CRLF && hasReturn:
			edits = append(edits, edit.Edit{Start: end - 1, End: end})
		}
		at = end + 1
	}
	c.offer(edits...)
	c.commit()
	r.ending = "\n"
	if s.CRLF {
		r.ending = "\r\n"
	}
}

// UseFinalEnding is a compiled `use final line ending`.
type UseFinalEnding struct{}

func (UseFinalEnding) needs(acted) lineNeeds { return lineNeeds{} }

func (UseFinalEnding) do(r *run) {
	c := r.changes()
	text := r.text.Bytes
	if n := len(text); n > 0 && text[n-1] != '\n' {
		r.ended = c.offer(edit.Edit{Start: n, End: n, New: []byte(r.lineEnding())})
	} else {
		r.ended = true
	}
	c.commit()
}

// UseEncoding is a compiled `use encoding`.
type UseEncoding struct{ Name string }

func (*UseEncoding) needs(acted) lineNeeds { return wholeText }

func (s *UseEncoding) do(r *run) {
	r.result.Encoding, r.result.EncodedBy = s.Name, r.rule.Index
}
