package structure

import (
	"bytes"
	"strings"

	"frizzel/core/lines"
)

// opensQuote reports whether a quote that follows before on its line opens one: at the
// line's start, or after white space, a bracket, =, a comma or a colon.
func opensQuote(before []byte) bool {
	return lines.Blank(before) || strings.IndexByte(" \t{[(}])=,:", before[len(before)-1]) >= 0
}

// quotedLength returns the length of the quoted text at the start of line, 1 where
// the quote is not closed and so is a character like others.
func quotedLength(line []byte) int {
	for i := 1; i < len(line); i++ {
		switch line[i] {
		case '\\':
			i++
		case line[0]:
			return i + 1
		}
	}
	return 1
}

// TrailingComment returns where a comment begins that stands behind something on a line:
// at the first of the marks that follows white space outside quotes; -1 without one.
func TrailingComment(line []byte, marks []string) int {
	for at := 0; at < len(line); {
		rest, before := line[at:], line[:at]
		if at > 0 && strings.IndexByte(" \t", line[at-1]) >= 0 && !lines.Blank(before) {
			for _, m := range marks {
				if bytes.HasPrefix(rest, []byte(m)) {
					return at
				}
			}
		}
		if strings.IndexByte("'\"`", rest[0]) >= 0 && opensQuote(before) {
			at += quotedLength(rest)
		} else {
			at++
		}
	}
	return -1
}

// commentKind is what kind of comment begins somewhere.
type commentKind int

const (
	noComment     commentKind = iota
	lineComment               // to the line's end
	spanComment               // from /* to */
	markupComment             // from <!-- to -->
)

// comment says what comment begins with rest, which follows before on its line: # or ; or
// // at the line's start, // after white space, # after white space where white space or
// the line's end follows, /* there too, and after a bracket or a semicolon. Style sheets
// know no #, and XML none of them.
func (t *Text) comment(before, rest []byte) commentKind {
	alone := lines.Blank(before)
	spaced := alone || strings.IndexByte(" \t", before[len(before)-1]) >= 0
	switch {
	case bytes.HasPrefix(rest, []byte("<!--")):
		return markupComment
	case t.syntax == XML:
	case rest[0] == '#':
		if t.syntax != StyleSheet && (alone || spaced && (len(rest) == 1 || strings.IndexByte(" \t\r\n", rest[1]) >= 0)) {
			return lineComment
		}
	case rest[0] == ';' && alone, bytes.HasPrefix(rest, []byte("//")) && spaced:
		return lineComment
	case bytes.HasPrefix(rest, []byte("/*")) && (spaced || strings.IndexByte("{[(}]);", before[len(before)-1]) >= 0):
		return spanComment
	}
	return noComment
}

// IsComment reports whether a line holds nothing but a comment to its end.
func (t *Text) IsComment(line []byte) bool {
	inner := bytes.Trim(line, " \t")
	if len(inner) == 0 {
		return false
	}
	kind := t.comment(nil, inner)
	return kind == lineComment || kind == markupComment && bytes.HasSuffix(inner, []byte("-->"))
}
