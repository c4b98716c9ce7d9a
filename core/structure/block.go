package structure

import (
	"bytes"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Block returns line i, from 0, with all that it opens: until its brackets are
// closed, or its XML element, or else the deeper-indented lines below it. It
// reports false where something is opened and never closed.
func (t *Text) Block(i int) (edit.Span, bool) {
	line := t.Content(i)
	if looksLikeTag(bytes.TrimLeft(line, " \t")) {
		return t.element(i)
	}
	if s, opened, closed := t.brackets(i); opened {
		return s, closed
	}
	if bytes.IndexByte(line, '<') >= 0 {
		if s, closed := t.element(i); !closed || s.End > t.Start(i+1) {
			return s, closed
		}
	}
	return t.indented(i), true
}

// indented returns line i and the deeper-indented lines below it.
func (t *Text) indented(i int) edit.Span {
	own, end := depth(t.Content(i)), i+1
	for end < t.Count() && (lines.Blank(t.Content(end)) || depth(t.Content(end)) > own) {
		end++
	}
	return t.Lines(i, t.withoutBlankEnd(i+1, end))
}

// closedBy returns the span from line i to the line that holds the byte at end,
// which closes it.
func (t *Text) closedBy(i, end int) edit.Span {
	last := t.At(end)
	s := t.Lines(i, last+1)
	s.Last = t.Start(last)
	return s
}

// brackets follows the brackets that line i leaves open, or that the next
// non-blank line begins with.
func (t *Text) brackets(i int) (s edit.Span, opened, closed bool) {
	b := bracketScanner{text: t.Bytes}
	b.scan(t.Start(i), t.Start(i+1))
	next := i + 1
	if len(b.open) == 0 {
		for next < t.Count() && lines.Blank(t.Content(next)) {
			next++
		}
		if !opensBlock(t.Content(next)) || endsItem(t.Content(i)) {
			return s, false, false
		}
	}
	for ; next < t.Count(); next++ {
		if end := b.scan(t.Start(next), t.Start(next+1)); end >= 0 {
			return t.closedBy(i, end), true, true
		}
	}
	return s, true, false
}

// opensBlock reports whether a line begins with a bracket that can be opened by
// the line before: a brace, or another bracket that the line leaves open, which the
// header of a section does not.
func opensBlock(line []byte) bool {
	line = bytes.TrimLeft(line, " \t")
	if len(line) == 0 || strings.IndexByte("{[(", line[0]) < 0 {
		return false
	}
	b := bracketScanner{text: line}
	b.scan(0, len(line))
	return line[0] == '{' || len(b.open) > 0
}

// endsItem reports whether a line ends something, so that a bracket on the next
// line is not its own.
func endsItem(line []byte) bool {
	line = bytes.TrimRight(line, " \t")
	return len(line) > 0 && strings.IndexByte(",;}]", line[len(line)-1]) >= 0
}

// bracketScanner follows brackets through lines, quotes and comments aside.
type bracketScanner struct {
	text    []byte
	open    []byte // the brackets open, as what closes them
	comment bool   // within /* … */
}

// scan reads text[at:end], one line, and returns where the last open bracket was
// closed on it, or -1 where some are open still or none was.
func (b *bracketScanner) scan(at, end int) int {
	first, closed := at, -1
	for at < end {
		if b.comment {
			i := bytes.Index(b.text[at:end], []byte("*/"))
			if i < 0 {
				return closed
			}
			b.comment = false
			at += i + 2
			continue
		}
		rest := b.text[at:end]
		switch c := rest[0]; c {
		case '{':
			b.open, closed = append(b.open, '}'), -1
		case '[':
			b.open, closed = append(b.open, ']'), -1
		case '(':
			b.open, closed = append(b.open, ')'), -1
		case '}', ']', ')':
			if i := bytes.LastIndexByte(b.open, c); i >= 0 {
				b.open = b.open[:i]
				if i == 0 {
					closed = at
				}
			}
		case '\'', '"', '`':
			at += quotedLength(rest)
			continue
		case '#', '/', ';', '-':
			if startsComment(b.text[first:at], rest) {
				return closed
			}
			if bytes.HasPrefix(rest, []byte("/*")) {
				b.comment = true
				at++
			}
		}
		at++
	}
	return closed
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

// startsComment reports whether rest, which follows before on its line, is a
// comment: what begins the line with #, ;, // or --, or follows white space with
// // or with # and white space.
func startsComment(before, rest []byte) bool {
	alone := lines.Blank(before)
	spaced := alone || bytes.HasSuffix(before, []byte(" ")) || bytes.HasSuffix(before, []byte("\t"))
	switch {
	case rest[0] == '#':
		return alone || spaced && (len(rest) == 1 || strings.ContainsRune(" \t\r\n#!", rune(rest[1])))
	case rest[0] == ';':
		return alone
	case bytes.HasPrefix(rest, []byte("//")):
		return spaced
	case bytes.HasPrefix(rest, []byte("--")):
		return alone
	}
	return false
}
