package diff

import (
	"fmt"
	"strconv"
	"strings"
)

// Unified appends hunks to dst as a unified diff of the file named name, a path with
// slashes that does not begin with one, as `git apply` and `patch -p1` take it.
// about returns the text behind a hunk's line numbers; it may be nil.
func Unified(dst []byte, name string, hunks []Hunk, about func(Hunk) string) []byte {
	if len(hunks) == 0 {
		return dst
	}
	dst = fmt.Appendf(dst, "--- %s\n+++ %s\n", Name("a/"+name), Name("b/"+name))
	for _, h := range hunks {
		said := ""
		if about != nil {
			said = about(h)
		}
		dst = h.AppendHeader(dst, said)
		for _, l := range h.Lines {
			dst = l.Append(dst)
		}
	}
	return dst
}

// Nothing is the name of a file that does not exist yet.
const Nothing = "/dev/null"

// AppendHeader appends the hunk's header line, with the text about after it.
func (h Hunk) AppendHeader(dst []byte, about string) []byte {
	dst = append(dst, h.Header()...)
	if about != "" {
		dst = append(append(dst, ' '), about...)
	}
	return append(dst, '\n')
}

// Append appends a line in the form of a unified diff.
func (l Line) Append(dst []byte) []byte {
	dst = append(append(dst, byte(l.Op)), l.Text...)
	if n := len(l.Text); n == 0 || l.Text[n-1] != '\n' {
		dst = append(dst, "\n\\ No newline at end of file\n"...)
	}
	return dst
}

// Header returns the line with a hunk's line numbers.
func (h Hunk) Header() string {
	return "@@ -" + interval(h.OldStart, h.OldLines) + " +" + interval(h.NewStart, h.NewLines) + " @@"
}

func interval(start, lines int) string {
	if lines == 1 {
		return strconv.Itoa(start)
	}
	return strconv.Itoa(start) + "," + strconv.Itoa(lines)
}

// Name writes a path as diffs do: quoted where it holds a control character, a
// quote, a backslash or a byte above 127, and with a tab behind it where it holds
// a space.
func Name(path string) string {
	plain := true
	for _, c := range []byte(path) {
		if c < ' ' || c >= 0x7f || c == '"' || c == '\\' {
			plain = false
		}
	}
	if plain {
		if strings.Contains(path, " ") {
			path += "\t"
		}
		return path
	}
	var b strings.Builder
	b.WriteByte('"')
	for _, c := range []byte(path) {
		switch {
		case c == '"' || c == '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		case c == '\t':
			b.WriteString(`\t`)
		case c == '\n':
			b.WriteString(`\n`)
		case c < ' ' || c >= 0x7f:
			fmt.Fprintf(&b, `\%03o`, c)
		default:
			b.WriteByte(c)
		}
	}
	b.WriteByte('"')
	return b.String()
}
