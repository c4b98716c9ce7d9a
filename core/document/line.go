package document

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"
)

// part is an XML file of a document.
type part struct {
	name   string
	member *member // nil of a flat document
	src    []byte  // without the byte order mark
	mark   int     // bytes of that
}

// line is a line of the text.
type line struct {
	text     []byte // without its end
	segments []segment
	location location
	level    int     // of a heading
	lock     int     // of all of it
	spare    bool    // not shown: it stands there for readers that cannot read the one shown
	paired   bool    // a spare one that changes with the one shown
	copies   []*line // not shown, they hold the same text and change with it
	links    []string
}

// segment is a piece of a line's text, and the bytes of a part that it was read from.
type segment struct {
	at       int32 // in the line's text; it ends where the next one begins
	from, to int32 // in the part
	element  int32 // that its text stands in, else -1
	part     uint16
	lock     uint16 // in Document.locks; 0 for none
	kind     kind
	flavor   flavor
}

// kind is how a segment's bytes stand for its text.
type kind byte

const (
	plain   kind = iota // they are the text
	escape              // they stand for it as a whole, in an element's text
	element             // they are elements
	value               // they are within an attribute's value
	fixed               // there are none
)

// flavor is how text is written in a part.
type flavor byte

const (
	bare     flavor = iota // characters alone
	inWord                 // WordprocessingML
	inSheet                // SpreadsheetML
	inSlide                // DrawingML
	inOpen                 // OpenDocument
	inHeader               // SpreadsheetML's headers and footers, in which & begins a code
)

// element is one whose content is text alone.
type textElement struct {
	part       int32
	tag, begin int32 // its start tag, its content
	end        int32 // of that
	properties [2]int32
	preserve   bool // it says that white space at its ends counts
	sole       bool // it need not say so
	trimmed    bool // there is some, which does not count
}

// A location is where a line is in the document, for a person.
type location struct {
	in          string
	row, column int // of a table's cell, from 1
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

// oneLine returns a text as a line shows it.
func oneLine(text string) []byte {
	if strings.IndexByte(text, '\n') < 0 && strings.IndexByte(text, '\r') < 0 {
		return []byte(text)
	}
	return []byte(strings.NewReplacer("\r\n", "\u2028", "\n", "\u2028", "\r", "\u2028").Replace(text))
}
