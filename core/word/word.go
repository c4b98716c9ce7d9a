// Package word defines which characters belong to words, and which are equal but for case.
//
// Letters, marks and digits of every script and the underscore always belong to a word; the characters
// of [Joiners] do if they are between two that do. Case is Unicode's simple folding, as in the package
// regexp.
package word

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Is reports whether r always belongs to a word.
func Is(r rune) bool {
	if r < utf8.RuneSelf {
		return 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' || '0' <= r && r <= '9' || r == '_'
	}
	return unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsDigit(r)
}

// Joiners are the characters that belong to a word if they are between two characters that do.
type Joiners string

// Before reports whether the character that ends at text[at] belongs to a word.
func (j Joiners) Before(text []byte, at int) bool {
	if at > 0 && text[at-1] < utf8.RuneSelf && !j.hasByte(text[at-1]) {
		return Is(rune(text[at-1]))
	}
	r, size := utf8.DecodeLastRune(text[:at])
	if size == 0 {
		return false
	}
	return Is(r) || j.joins(r, size) && between(text[:at-size], text[at:])
}

// After reports whether the character that begins at text[at] belongs to a word.
func (j Joiners) After(text []byte, at int) bool {
	if at < len(text) && text[at] < utf8.RuneSelf && !j.hasByte(text[at]) {
		return Is(rune(text[at]))
	}
	r, size := utf8.DecodeRune(text[at:])
	if size == 0 {
		return false
	}
	return Is(r) || j.joins(r, size) && between(text[:at], text[at+size:])
}

// Whole reports whether text[start:end] begins and ends at word boundaries.
func (j Joiners) Whole(text []byte, start, end int) bool {
	return !j.Before(text, start) && !j.After(text, end)
}

// hasByte is a search without a call, since joiners are few.
func (j Joiners) hasByte(c byte) bool {
	for i := range len(j) {
		if j[i] == c {
			return true
		}
	}
	return false
}

func (j Joiners) joins(r rune, size int) bool {
	return strings.ContainsRune(string(j), r) && !(r == utf8.RuneError && size == 1)
}

// between reports whether left ends and right begins with a character of a word.
func between(left, right []byte) bool {
	l, _ := utf8.DecodeLastRune(left)
	r, _ := utf8.DecodeRune(right)
	return Is(l) && Is(r)
}

// Fold returns the smallest character that is equal to r ignoring case.
func Fold(r rune) rune {
	if r < utf8.RuneSelf {
		if 'a' <= r && r <= 'z' {
			r -= 'a' - 'A'
		}
		return r
	}
	least := r
	for f := unicode.SimpleFold(r); f != r; f = unicode.SimpleFold(f) {
		least = min(least, f)
	}
	return least
}

// FoldString folds every character of s. Texts that are equal ignoring case have equal results.
func FoldString(s string) string { return strings.Map(Fold, s) }

// HasCase reports whether any character of s has another case.
func HasCase(s string) bool {
	return strings.ContainsFunc(s, func(r rune) bool { return unicode.SimpleFold(r) != r })
}

// Variants returns the UTF-8 of all characters that are equal to r ignoring case, r's first.
func Variants(r rune) [][]byte {
	all := [][]byte{[]byte(string(r))}
	for f := unicode.SimpleFold(r); f != r; f = unicode.SimpleFold(f) {
		all = append(all, []byte(string(f)))
	}
	return all
}
