package report

import (
	"errors"
	"fmt"
	"io/fs"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Visible returns text with every control character, and every byte that is no
// UTF-8, as something that can be seen and does nothing. Tabs stay.
func Visible(text []byte) string {
	if plain(text) {
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
		case unicode.IsControl(r) || unicode.Is(unicode.Cf, r):
			fmt.Fprintf(&b, "<%04X>", r)
		default:
			b.WriteRune(r)
		}
		text = text[size:]
	}
	return b.String()
}

func plain(text []byte) bool {
	for _, c := range text {
		if c >= 0x7f || c < ' ' && c != '\t' {
			return false
		}
	}
	return true
}

// Path writes a path for a message: as it is, or quoted where it holds what cannot
// be seen.
func Path(path string) string {
	if utf8.ValidString(path) && Visible([]byte(path)) == path && !strings.Contains(path, "\t") {
		return path
	}
	return strconv.Quote(path)
}

// Reason returns what went wrong with a file, without its path, which the message
// has already.
func Reason(err error) string {
	var e *fs.PathError
	if errors.As(err, &e) {
		return e.Err.Error()
	}
	return err.Error()
}
