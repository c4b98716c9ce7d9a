// Package terminal is the one place where text is written to a terminal. Contents of files, names, scripts
// and seals never control it: control characters, characters that change the direction of text, and
// invalid UTF-8 are made visible. Only what [Paint] and [ClearLine] return is written unchanged.
package terminal

import (
	"cmp"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"
	"syscall"
	"unicode"
	"unicode/utf8"
)

// mark is the prefix of the program's own escape sequences until they are written. It is random, so a file cannot
// contain it.
var mark = sync.OnceValue(func() string { return "\x1b" + rand.Text() })

// Paint returns text between a colour sequence (ECMA-48, SGR) with the parameters and one
// that ends it.
func Paint(text string, parameters ...string) string {
	if text == "" || len(parameters) == 0 {
		return text
	}
	return mark() + "[" + strings.Join(parameters, ";") + "m" + text + mark() + "[0m"
}

// ClearLine goes back to the start of the line and clears it.
func ClearLine() string { return mark() + "[1G" + mark() + "[K" }

// Render returns text for a terminal: the program's own escape sequences are unchanged, and all control characters
// except newlines and tabs are made visible.
func Render(text string) string {
	own := strings.Split(text, mark())
	for i, part := range own {
		sequence := ""
		if i > 0 {
			end := strings.IndexFunc(part, func(r rune) bool { return 'A' <= r && r <= 'z' && r != '[' }) + 1
			sequence, part = "\x1b"+part[:end], part[end:]
		}
		own[i] = sequence + visibleLines(part)
	}
	return strings.Join(own, "")
}

func visibleLines(text string) string {
	if plain([]byte(text)) {
		return text
	}
	parts := strings.Split(text, "\n")
	for i, p := range parts {
		parts[i] = Visible([]byte(p))
	}
	return strings.Join(parts, "\n")
}

// Writer writes text. If Shown is set somebody looks at it, and it is rendered.
type Writer struct {
	W     io.Writer
	Shown bool
	// Before, if it is not nil, is called before anything is written.
	Before func()
	// Broken is called when nobody reads any more.
	Broken func()
	// Mask, if it is not nil, replaces what must not be shown in whole lines.
	Mask func(text string) string
	// Failed is the first error of writing.
	Failed error
}

// Write writes p, whole characters.
func (w *Writer) Write(p []byte) (int, error) {
	out, size := p, len(p)
	if w.Before != nil {
		w.Before()
	}
	if w.Mask != nil {
		p = []byte(w.Mask(string(p)))
		out = p
	}
	if w.Shown {
		out = []byte(Render(string(p)))
	}
	_, err := w.W.Write(out)
	if errors.Is(err, syscall.EPIPE) && w.Broken != nil {
		w.Broken()
	}
	if err != nil {
		w.Failed = cmp.Or(w.Failed, err)
		return 0, err
	}
	return size, nil
}

// Visible returns text with every control character, and every byte that is no
// UTF-8, as something that can be seen and does nothing. Tabs stay.
func Visible(text []byte) string {
	if plain(text) && !strings.Contains(string(text), "\n") {
		return string(text)
	}
	var b strings.Builder
	for len(text) > 0 {
		r, size := utf8.DecodeRune(text)
		switch {
		case r == utf8.RuneError && size == 1:
			fmt.Fprintf(&b, "<%02X>", text[0])
		case r == '\t':
			b.WriteByte('\t')
		case r < ' ':
			b.WriteRune('\u2400' + r) // the control pictures
		case r == 0x7f:
			b.WriteRune('\u2421')
		case r == '\u2028': // a break within a line
			b.WriteRune('↵')
		case Drives(r):
			fmt.Fprintf(&b, "<%04X>", r)
		default:
			b.WriteRune(r)
		}
		text = text[size:]
	}
	return b.String()
}

// Drives reports whether a character does something to a terminal, or to the text around
// it, instead of being seen.
func Drives(r rune) bool {
	return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) || r == '\u2028' || r == '\u2029'
}

// plain reports whether nothing in text needs to be made visible.
func plain(text []byte) bool {
	for _, c := range text {
		if c >= 0x7f || c < ' ' && c != '\t' && c != '\n' {
			return false
		}
	}
	return true
}
