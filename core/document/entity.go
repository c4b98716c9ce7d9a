package document

import (
	"bytes"
	"encoding/xml"
	"strconv"
	"strings"
	"unicode/utf8"
)

// entities are the predefined ones (XML 1.0, 4.6).
var entities = map[string]rune{"amp": '&', "lt": '<', "gt": '>', "quot": '"', "apos": '\''}

// entity returns the character of the reference that src begins with and the reference's length in bytes; 0 if
// it is unknown.
func entity(src []byte) (rune, int) {
	end := bytes.IndexByte(src[:min(len(src), 12)], ';')
	if end < 0 {
		return 0, 0
	}
	name := string(src[1:end])
	if r, ok := entities[name]; ok {
		return r, end + 1
	}
	digits, ok := strings.CutPrefix(name, "#")
	if !ok {
		return 0, 0
	}
	base := 10
	if hex, ok := strings.CutPrefix(digits, "x"); ok {
		digits, base = hex, 16
	}
	n, err := strconv.ParseUint(digits, base, 32)
	if err != nil || !isCharacter(rune(n)) {
		return 0, 0
	}
	return rune(n), end + 1
}

// named is entity for the names of HTML.
func named(src []byte) (rune, int) {
	end := bytes.IndexByte(src[:min(len(src), 12)], ';')
	if end < 0 || xml.HTMLEntity[string(src[1:end])] == "" {
		return 0, 0
	}
	r, _ := utf8.DecodeRuneInString(xml.HTMLEntity[string(src[1:end])])
	return r, end + 1
}

// isCharacter reports whether r is allowed in XML (XML 1.0, production 2).
func isCharacter(r rune) bool {
	return r == '\t' || r == '\n' || r == '\r' || r >= ' ' && utf8.ValidRune(r) && r != 0xfffe && r != 0xffff
}

// unescaped returns src with known references replaced by their characters.
func unescaped(src []byte) string {
	if bytes.IndexByte(src, '&') < 0 {
		return string(src)
	}
	var b strings.Builder
	for at := 0; at < len(src); {
		n := bytes.IndexByte(src[at:], '&')
		if n < 0 {
			n = len(src) - at
		}
		b.Write(src[at : at+n])
		if at += n; at == len(src) {
			break
		}
		if r, n := entity(src[at:]); n > 0 {
			b.WriteRune(r)
			at += n
		} else {
			b.WriteByte('&')
			at++
		}
	}
	return b.String()
}
