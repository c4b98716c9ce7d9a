package pattern

import (
	"bytes"
	"unicode/utf8"

	"frizzel/core/frequency"
	"frizzel/core/word"
)

// A literal is a text to search for, exactly or ignoring case. A newline in it matches either line ending.
type literal struct {
	text  []byte
	runes []rune // folded, if case is ignored; else nil
	head  []byte // text up to its first line feed
	lines bool   // text holds a line feed

	// The search looks for the rarest character before the first newline: a byte of head, or, if case is
	// ignored, a character of runes, whose encodings in both cases are variants.
	rarest   int
	variants [][]byte
}

func newLiteral(s string, ignoreCase bool) *literal {
	l := &literal{text: []byte(s)}
	l.head, _, l.lines = bytes.Cut(l.text, []byte("\n"))
	least := 2.0
	if ignoreCase && word.HasCase(s) {
		head := true
		for i, r := range []rune(s) {
			l.runes = append(l.runes, word.Fold(r))
			if head = head && r != '\n'; !head && i > 0 {
				continue
			}
			if share := shareOfAny(word.Variants(r)); share < least {
				least, l.rarest = share, i
			}
		}
		l.variants = word.Variants(l.runes[l.rarest])
		return l
	}
	for i, b := range l.head {
		if share := frequency.Of(b); share < least {
			least, l.rarest = share, i
		}
	}
	return l
}

// shareOfAny returns about which share of a text's bytes begins one of the encodings.
func shareOfAny(encodings [][]byte) (share float64) {
	for _, e := range encodings {
		share += frequency.Of(e[0])
	}
	return share
}

// seeker finds a literal's occurrences from left to right.
type seeker struct {
	*literal
	text []byte
	next []int // of each variant of the rarest character, the next place; -1 unknown
	vain int   // number of times the rarest character was not part of a match
	many bool  // vain is so large that another search is faster
}

func (l *literal) seek(text []byte) *seeker {
	s := &seeker{literal: l, text: text}
	if l.runes != nil {
		s.next = make([]int, len(l.variants))
		for i := range s.next {
			s.next[i] = -1
		}
	}
	return s
}

// from returns the first occurrence that begins at or after at, or -1.
func (s *seeker) from(at int) (start, end int) {
	if s.runes != nil {
		return s.folded(at)
	}
	for at <= len(s.text) {
		if start = s.candidate(at); start < 0 {
			break
		}
		if end, ok := s.matchAt(s.text, start); ok {
			return start, end
		}
		at = start + 1
	}
	return -1, -1
}

// Limits on how often the rarest character may occur without a match: a count, and once in a number of bytes.
const (
	fewInVain = 16
	oneInVain = 128
)

// candidate returns the first offset at or after at where head occurs.
func (s *seeker) candidate(at int) int {
	if len(s.head) == 0 {
		i := index(s.text, []byte("\n"), at)
		if i > at && s.text[i-1] == '\r' {
			i--
		}
		return i
	}
	for len(s.head) > 1 && !s.many {
		if at+len(s.head) > len(s.text) {
			return -1
		}
		i := bytes.IndexByte(s.text[at+s.rarest:], s.head[s.rarest])
		if i < 0 {
			return -1
		}
		if at += i; bytes.HasPrefix(s.text[at:], s.head) {
			return at
		}
		at++
		s.vain++
		s.many = s.vain > fewInVain+at/oneInVain
	}
	return index(s.text, s.head, at)
}

func index(text, sep []byte, at int) int {
	i := bytes.Index(text[at:], sep)
	if i < 0 {
		return -1
	}
	return at + i
}

// folded is from where case is ignored.
func (s *seeker) folded(at int) (start, end int) {
	for from := at; from <= len(s.text); {
		place := s.rare(from)
		if place < 0 {
			break
		}
		if start, ok := s.before(s.text, place, s.rarest); ok && start >= at {
			if end, ok := s.follow(s.text, place, s.rarest); ok {
				return start, end
			}
		}
		from = place + 1
	}
	return -1, -1
}

// rare returns the first place at or after at of the rarest character, in any case, or -1.
func (s *seeker) rare(at int) int {
	if s.runes[s.rarest] == '\n' {
		i := index(s.text, []byte("\n"), at)
		if i > at && s.text[i-1] == '\r' {
			i--
		}
		return i
	}
	best := -1
	for i, v := range s.variants {
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

// matchAt returns the end of the literal if it begins at text[at].
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
	return l.follow(text, at, 0)
}

// follow returns the end of the folded characters from the n-th on if they begin at text[at].
func (l *literal) follow(text []byte, at, n int) (end int, ok bool) {
	for _, want := range l.runes[n:] {
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

// endsAt returns the start of the literal if it ends at text[at]. The literal must not contain a newline.
func (l *literal) endsAt(text []byte, at int) (start int, ok bool) {
	if l.runes == nil {
		return at - len(l.text), bytes.HasSuffix(text[:at], l.text)
	}
	return l.before(text, at, len(l.runes))
}

// before returns the start of the first n folded characters if they end at text[at].
func (l *literal) before(text []byte, at, n int) (start int, ok bool) {
	for i := n - 1; i >= 0; i-- {
		r, size := utf8.DecodeLastRune(text[:at])
		if size == 0 || r == utf8.RuneError && size == 1 || word.Fold(r) != l.runes[i] {
			return 0, false
		}
		at -= size
	}
	return at, true
}
