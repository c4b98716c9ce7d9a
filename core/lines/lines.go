// Package lines defines lines: where they begin and end in a text, their line endings, and white space.
//
// A line ends in "\n" or "\r\n", and the line ending is part of it; the last line of a text
// may lack one. An empty text has no lines. Offsets are in bytes.
package lines

import "bytes"

// Start returns the start of the line that contains text[at], at least lo.
func Start(text []byte, lo, at int) int {
	return lo + bytes.LastIndexByte(text[lo:at], '\n') + 1
}

// Next returns the start of the line after the one that contains text[at], at most hi.
func Next(text []byte, at, hi int) int {
	i := bytes.IndexByte(text[at:hi], '\n')
	if i < 0 {
		return hi
	}
	return at + i + 1
}

// After returns the first offset that is not on the line that contains text[at]: Next, or hi+1 if the line has no
// ending, because the offset hi then belongs to it.
func After(text []byte, at, hi int) int {
	next := Next(text, at, hi)
	if next == at || text[next-1] != '\n' {
		next++
	}
	return next
}

// Previous returns the start of the line before the one that begins at at, at least lo.
func Previous(text []byte, lo, at int) int {
	if at <= lo {
		return lo
	}
	return Start(text, lo, at-1)
}

// Below returns the start of the n-th line below the one that contains text[at], or the text's end.
func Below(text []byte, at, n int) int {
	for range n {
		at = Next(text, at, len(text))
	}
	return at
}

// Above returns the start of the n-th line above the one that contains text[at], or the text's start.
func Above(text []byte, at, n int) int {
	at = Start(text, 0, at)
	for range n {
		at = Previous(text, 0, at)
	}
	return at
}

// End returns the end of the line that contains text[at], before its ending and at least at, and the start of
// the next line. Both are at most hi.
func End(text []byte, at, hi int) (end, next int) {
	next = Next(text, at, hi)
	return at + len(Content(text[at:next])), next
}

// AtStart reports whether a line begins at at, or the text ends with one there.
func AtStart(text []byte, at int) bool { return at == 0 || text[at-1] == '\n' }

// AtEnd reports whether a line ends at at, before its ending.
func AtEnd(text []byte, at int) bool {
	return at == len(text) || text[at] == '\n' || bytes.HasPrefix(text[at:], []byte("\r\n"))
}

// Content returns a line without its ending; it shares the line's bytes.
func Content(line []byte) []byte {
	if n := len(line); n > 0 && line[n-1] == '\n' {
		line = line[:n-1]
		if n > 1 && line[n-2] == '\r' {
			line = line[:n-2]
		}
	}
	return line
}

// Ending returns the line ending that text ends in, "" for none.
func Ending(text []byte) string {
	switch {
	case bytes.HasSuffix(text, []byte("\r\n")):
		return "\r\n"
	case bytes.HasSuffix(text, []byte("\n")):
		return "\n"
	}
	return ""
}

// FirstEnding returns the ending of a text's first line, "\n" if it has none.
func FirstEnding(text []byte) string {
	if i := bytes.IndexByte(text, '\n'); i > 0 && text[i-1] == '\r' {
		return "\r\n"
	}
	return "\n"
}

// Count returns the number of lines of a text. The last one may lack its ending.
func Count(text []byte) int {
	n := bytes.Count(text, []byte("\n"))
	if len(text) > 0 && text[len(text)-1] != '\n' {
		n++
	}
	return n
}

// Number returns the number, from 1, of the line that holds text[at].
func Number(text []byte, at int) int { return bytes.Count(text[:at], []byte("\n")) + 1 }

// Blank reports whether a line holds nothing but white space.
func Blank(line []byte) bool { return len(bytes.TrimSpace(line)) == 0 }

// Indentation returns the blanks and tabs that a line begins with.
func Indentation(line []byte) []byte {
	return line[:len(line)-len(bytes.TrimLeft(line, " \t"))]
}
