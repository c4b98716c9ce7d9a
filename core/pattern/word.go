package pattern

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// isWord reports whether r belongs to a word wherever it stands.
func isWord(r rune) bool {
	if r < utf8.RuneSelf {
		return 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' || '0' <= r && r <= '9' || r == '_'
	}
	return unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsDigit(r)
}

// joiners are the characters that belong to a word where they stand between two
// characters that do.
type joiners string

// wordBefore reports whether the character that ends at text[at] belongs to a word.
func (j joiners) wordBefore(text []byte, at int) bool {
	r, size := utf8.DecodeLastRune(text[:at])
	if size == 0 {
		return false
	}
	if isWord(r) {
		return true
	}
	if !strings.ContainsRune(string(j), r) || r == utf8.RuneError && size == 1 {
		return false
	}
	left, _ := utf8.DecodeLastRune(text[:at-size])
	right, _ := utf8.DecodeRune(text[at:])
	return isWord(left) && isWord(right)
}

// wordAfter reports whether the character that begins at text[at] belongs to a word.
func (j joiners) wordAfter(text []byte, at int) bool {
	r, size := utf8.DecodeRune(text[at:])
	if size == 0 {
		return false
	}
	if isWord(r) {
		return true
	}
	if !strings.ContainsRune(string(j), r) || r == utf8.RuneError && size == 1 {
		return false
	}
	left, _ := utf8.DecodeLastRune(text[:at])
	right, _ := utf8.DecodeRune(text[at+size:])
	return isWord(left) && isWord(right)
}

// whole reports whether text[start:end] stands at whole-word boundaries.
func (j joiners) whole(text []byte, start, end int) bool {
	return !j.wordBefore(text, start) && !j.wordAfter(text, end)
}
