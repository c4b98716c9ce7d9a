package pattern

import (
	"bytes"
	"unicode/utf8"

	"frizzel/core/word"
)

// literal is a text to be found as it stands, or ignoring case. A line feed in
// it matches either line ending.
type literal struct {
	text  []byte
	runes []rune // folded, where case is ignored; else nil
	head  []byte // text up to its first line feed
	lines bool   // text holds a line feed
	// first holds the encodings of the characters that fold to the first one.
	first [][]byte
}

func newLiteral(s string, ignoreCase bool) *literal {
	l := &literal{text: []byte(s)}
	l.head, _, l.lines = bytes.Cut(l.text, []byte("\n"))
	if ignoreCase && word.HasCase(s) {
		for _, r := range s {
			l.runes = append(l.runes, word.Fold(r))
		}
		l.first = word.Variants(l.runes[0])
	}
	return l
}

// seeker finds a literal's occurrences from left to right.
type seeker struct {
	*literal
	text []byte
	next []int // of each variant of the first character, the next place; -1 unknown
}

func (l *literal) seek(text []byte) *seeker {
	s := &seeker{literal: l, text: text}
	if l.runes != nil {
		s.next = make([]int, len(l.first))
		for i := range s.next {
			s.next[i] = -1
		}
	}
	return s
}

// from returns the first occurrence that begins at or after at, or -1.
func (s *seeker) from(at int) (start, end int) {
	for at <= len(s.text) {
		start = s.candidate(at)
		if start < 0 {
			break
		}
		if end, ok := s.matchAt(s.text, start); ok {
			return start, end
		}
		at = start + 1
	}
	return -1, -1
}

// candidate returns the first place at or after at where the literal may begin.
func (s *seeker) candidate(at int) int {
	switch {
	case s.runes == nil && len(s.head) > 0:
		return index(s.text, s.head, at)
	case s.runes == nil || s.runes[0] == '\n':
		i := index(s.text, []byte("\n"), at)
		if i > at && s.text[i-1] == '\r' {
			i--
		}
		return i
	}
	best := -1
	for i, v := range s.first {
		if s.next[i] < at && s.next[i] < len(s.text) {
			s.next[i] = index(s.text, v, at)
			if s.next[i] < 0 {
				s.next[i] = len(s.text)
			}
		}
		if n := s.next[i]; n >= at && n < len(s.text) && (best < 0 || n < best) {
			best = n
		}
	}
	return best
}

func index(text, sep []byte, at int) int {
	i := bytes.Index(text[at:], sep)
	if i < 0 {
		return -1
	}
	return at + i
}

// matchAt returns where the literal ends if it begins at text[at].
func (l *literal) matchAt(text []byte, at int) (end int, ok bool) {
	if l.runes == nil && !l.lines {
		if !bytes.HasPrefix(text[at:], l.text) {
			return 0, false
		}
		return at + len(l.text), true
	}
	if l.runes == nil {
		return matchLines(text, at, l.text)
	}
	for _, want := range l.runes {
		r, size := utf8.DecodeRune(text[at:])
		if want == '\n' && r == '\r' && at+1 < len(text) && text[at+1] == '\n' {
			r, size = '\n', 2
		}
		if size == 0 || r == utf8.RuneError && size == 1 || word.Fold(r) != want {
			return 0, false
		}
		at += size
	}
	return at, true
}

// matchLines matches a text of several lines, whose line feeds match either
// line ending.
func matchLines(text []byte, at int, want []byte) (int, bool) {
	for {
		part, rest, more := bytes.Cut(want, []byte("\n"))
		if !bytes.HasPrefix(text[at:], part) {
			return 0, false
		}
		at += len(part)
		if !more {
			return at, true
		}
		switch {
		case bytes.HasPrefix(text[at:], []byte("\r\n")):
			at += 2
		case bytes.HasPrefix(text[at:], []byte("\n")):
			at++
		default:
			return 0, false
		}
		want = rest
	}
}

// endsAt returns where the literal begins if it ends at text[at]; it holds no
// line feed.
func (l *literal) endsAt(text []byte, at int) (start int, ok bool) {
	if l.runes == nil {
		return at - len(l.text), bytes.HasSuffix(text[:at], l.text)
	}
	for i := len(l.runes) - 1; i >= 0; i-- {
		r, size := utf8.DecodeLastRune(text[:at])
		if size == 0 || r == utf8.RuneError && size == 1 || word.Fold(r) != l.runes[i] {
			return 0, false
		}
		at -= size
	}
	return at, true
}
