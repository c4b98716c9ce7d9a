package lsp

import (
	"fmt"
	"slices"
	"unicode/utf8"

	"frizzel/core/assist"
)

// An encoding is the unit in which the protocol counts characters of a line.
type encoding string

const (
	utf8Units  encoding = "utf-8"
	utf16Units encoding = "utf-16"
	utf32Units encoding = "utf-32"
)

// agreed returns the encoding to use with a client that knows some, in the client's order. Every client knows UTF-16.
func agreed(known []string) encoding {
	for _, k := range known {
		if e := encoding(k); e == utf8Units || e == utf16Units || e == utf32Units {
			return e
		}
	}
	return utf16Units
}

// units returns the number of units of a text.
func (e encoding) units(text string) (n int) {
	switch e {
	case utf8Units:
		return len(text)
	case utf32Units:
		return utf8.RuneCountInString(text)
	}
	for _, r := range text {
		if n++; r > 0xffff {
			n++
		}
	}
	return n
}

// bytes returns the number of bytes of a text up to some units. A position within a character is that of the
// character; one behind the text is its end.
func (e encoding) bytes(text string, units int) int {
	if units <= 0 {
		return 0
	}
	at := 0
	for i, r := range text {
		at += e.units(string(r))
		if at > units {
			return i
		}
	}
	return len(text)
}

// A text is one version of an open document. It is not changed; an edit makes another one.
type text struct {
	*assist.Document
	uri     string
	version int
	units   encoding
}

func newText(uri, path, content string, version int, units encoding) *text {
	return &text{assist.Read(path, content), uri, version, units}
}

// offset returns the byte of a position.
func (t *text) offset(p position) int {
	line, start := t.Line(max(p.Line, 0))
	return start + t.units.bytes(line, p.Character)
}

// position returns the position of a byte.
func (t *text) position(offset int) position {
	n := t.LineOf(offset)
	line, start := t.Line(n)
	return position{n, t.units.units(line[:min(offset-start, len(line))])}
}

func (t *text) span(start, end int) span { return span{t.position(start), t.position(end)} }

// at returns the byte of a place that the checker names: line and column from 1, in characters.
func (t *text) at(line, column int) int {
	content, start := t.Line(max(line-1, 0))
	return start + utf32Units.bytes(content, column-1)
}

// changed returns the text with changes made to it, one after the other. The error is that of a range that ends before it
// begins.
func (t *text) changed(version int, changes []contentChange) (*text, error) {
	now := &text{t.Document, t.uri, version, t.units}
	for i, c := range changes {
		if c.Range == nil {
			now.Document = assist.Read(t.Name, c.Text)
			continue
		}
		start, end := now.offset(c.Range.Start), now.offset(c.Range.End)
		if end < start {
			return nil, fmt.Errorf("the range of change %d ends before it begins", i+1)
		}
		now.Document = now.Edited(start, end, c.Text)
	}
	return now, nil
}

// edits returns the edits of places of a document that is not open.
func edits(t *text, places []assist.Name, fresh string) (all []textEdit) {
	for _, n := range slices.Clone(places) {
		all = append(all, textEdit{t.span(n.Start, n.End), fresh})
	}
	return all
}
