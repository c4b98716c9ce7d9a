package terminal

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// A Typed lets a person edit a text in a line of input that takes no control characters, and draws what it has. Characters
// that the line would drop or that would drive the terminal, and bytes that are not UTF-8, are replaced by private-use
// characters of plane 15, one for each, and put back afterwards: what the person does not touch stays to the last byte.
type Typed struct{ originals []string }

// firstHeld is the first of the private-use characters, and lastHeld the last.
const (
	firstHeld = '\U000F0000'
	lastHeld  = '\U000FFFFD'
)

// Line returns a text for the line of input.
func (t *Typed) Line(text string) string {
	var b strings.Builder
	for len(text) > 0 {
		r, n := utf8.DecodeRuneInString(text)
		one := text[:n]
		text = text[n:]
		held := r == utf8.RuneError && n == 1 || r == '\t' || firstHeld <= r && r <= lastHeld || Visible([]byte(one)) != one
		if held && len(t.originals) <= lastHeld-firstHeld {
			t.originals = append(t.originals, one)
			r = firstHeld + rune(len(t.originals)-1)
		}
		b.WriteRune(r)
	}
	return b.String()
}

// Text returns the text of a line that a person edited.
func (t *Typed) Text(line string) string {
	var b strings.Builder
	for _, r := range line {
		if i := int(r - firstHeld); r >= firstHeld && i < len(t.originals) {
			b.WriteString(t.originals[i])
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// Shown returns a drawn line with one visible character for each that is held.
func (t *Typed) Shown(line string) string {
	return strings.Map(func(r rune) rune {
		i := int(r - firstHeld)
		switch {
		case unicode.Is(unicode.Cf, r): // one that was pasted
			return utf8.RuneError
		case r < firstHeld || i >= len(t.originals):
			return r
		}
		switch c := t.originals[i]; {
		case len(c) == 1 && c[0] < ' ':
			return '\u2400' + rune(c[0]) // the symbol of the control character
		case c == "\x7f":
			return '\u2421'
		}
		return utf8.RuneError
	}, line)
}
