package document

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"
)

// A part is an XML file of a document.
type part struct {
	name   string
	member *member // nil for a flat document
	src    []byte  // without the byte order mark
	mark   int     // length of the byte order mark in bytes
}

// A line is a line of the document's text.
type line struct {
	text     []byte // without the newline
	segments []segment
	location location
	level    int     // of a heading, from 1; else 0
	lock     int     // of the whole line, an index in Document.locks
	spare    bool    // not shown: an alternative for older readers
	paired   bool    // a spare line that is a copy of a shown one
	copies   []*line // lines of the same text that are not shown and change with it
	links    []link
}

// A link is the target of one, and the attribute's value that says it.
type link struct {
	target         string
	part, from, to int
}

// A segment is a range of a line's text and the bytes of the part that it was read from.
type segment struct {
	at       int32 // offset in the line's text; it ends where the next segment begins
	from, to int32 // offsets in the part
	element  int32 // index of its text element, or -1
	part     uint16
	lock     uint16 // in Document.locks; 0 for none
	kind     kind
	flavor   flavor
}

// A kind is how a segment's bytes encode its text.
type kind byte

const (
	plain   kind = iota // the bytes are the text
	escape              // the bytes are one escape in an element's text
	element             // the bytes are elements, such as a line break
	value               // the bytes are part of an attribute's value
	fixed               // the text has no bytes of its own
)

// A flavor is how a part writes text.
type flavor byte

const (
	bare      flavor = iota // characters only
	inWord                  // WordprocessingML
	inSheet                 // SpreadsheetML
	inSlide                 // DrawingML
	inOpen                  // OpenDocument
	inPage                  // XHTML
	inListing               // XHTML whose white space is kept
	inHeader                // headers and footers of SpreadsheetML, where & begins a code
)

// collapses reports whether runs of white space are one space.
func (f flavor) collapses() bool { return f == inOpen || f == inPage }

// element is one whose content is text alone.
type textElement struct {
	part       int32
	tag, begin int32 // its start tag, its content
	end        int32 // of that
	properties [2]int32
	preserve   bool // it has xml:space="preserve"
	sole       bool // its whitespace always counts, without xml:space
	trimmed    bool // it has whitespace at its ends that does not count
}

// A location is the place of a line in the document, for messages.
type location struct {
	in          string
	row, column int // of a table's cell, 1-based
	cells       []area
}

func (p location) String() string {
	switch {
	case len(p.cells) > 0:
		return p.in + areas(p.cells)
	case p.row > 0 && p.in == "":
		return fmt.Sprintf("table row %d column %d", p.row, p.column)
	case p.row > 0:
		return fmt.Sprintf("%s, table row %d column %d", p.in, p.row, p.column)
	}
	return p.in
}

func partOf(name string, m *member, src []byte) (*part, error) {
	p := &part{name: name, member: m, src: bytes.TrimPrefix(src, []byte("\ufeff"))}
	p.mark = len(src) - len(p.src)
	if !utf8.Valid(p.src) {
		return nil, damaged("its part %q is not UTF-8", name)
	}
	return p, nil
}

// oneLine returns text with newlines and tabs as a line shows them.
func oneLine(text string) []byte {
	if strings.IndexByte(text, '\n') < 0 && strings.IndexByte(text, '\r') < 0 {
		return []byte(text)
	}
	return []byte(strings.NewReplacer("\r\n", "\u2028", "\n", "\u2028", "\r", "\u2028").Replace(text))
}
