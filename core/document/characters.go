package document

import (
	"bytes"
	"strings"
	"unicode/utf8"
)

// text begins a text element.
func (b *builder) text(sole bool) {
	space := b.s.value("xml:space")
	b.texts = append(b.texts, textElement{part: int32(b.part), tag: int32(b.s.start), begin: int32(b.s.end), end: int32(b.s.end), preserve: space == "preserve", sole: sole})
}

// ended sets the end of the current text element.
func (b *builder) ended() { b.texts[len(b.texts)-1].end = int32(b.s.start) }

// put appends a segment to the current line.
func (b *builder) put(text string, k kind, from, to int) {
	if l := b.segment(k, from, to); l != nil {
		l.text = append(l.text, text...)
	}
}

// segment appends a segment without its text, which the caller appends, to the current line. It returns nil
// outside lines.
func (b *builder) segment(k kind, from, to int) *line {
	l := b.current()
	if l == nil || !b.counted() {
		return nil
	}
	g := segment{
		at: int32(len(l.text)), from: int32(from), to: int32(to), part: uint16(b.part), element: -1, lock: uint16(b.lock), kind: k, flavor: b.flavor,
	}
	if (k == plain || k == escape) && !b.flavor.collapses() && b.flavor != inListing {
		g.element = int32(len(b.texts) - 1)
	}
	l.segments = append(l.segments, g)
	return l
}

// characters reads src[from:to] as shown or hidden text, as the current mode says.
func (b *builder) characters(from, to int, verbatim bool) error {
	src := b.s.src[from:to]
	if b.mode == hidden {
		if verbatim || bytes.IndexByte(src, '&') < 0 {
			b.hiding = append(b.hiding, src...)
		} else {
			b.hiding = append(b.hiding, unescaped(src)...)
		}
		return nil
	}
	if b.current() == nil {
		return nil
	}
	if verbatim {
		lock := b.lock
		b.lock = b.locked("it stands in a CDATA section")
		b.put(string(oneLine(string(src))), escape, from, to)
		b.lock = lock
		return nil
	}
	if b.flavor == inHeader {
		return b.header(from, to)
	}
	if b.flavor == inWord && len(b.texts) > 0 && !b.texts[len(b.texts)-1].preserve {
		for from < to && white(b.s.src[from]) {
			from++
		}
		for from < to && white(b.s.src[to-1]) {
			to--
		}
		b.texts[len(b.texts)-1].trimmed = to-from < len(src)
	}
	return b.pieces(from, to)
}

// white reports whether c is white space of XML (production 3).
func white(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// special are the bytes that have another meaning in some flavor.
var special = [256]bool{'&': true, '\n': true, '\r': true, '\t': true, ' ': true, '_': true}

// pieces splits characters into segments: runs of plain bytes, and escapes.
func (b *builder) pieces(from, to int) error {
	src := b.s.src
	begin := from
	flush := func(at int) {
		if begin < at {
			if l := b.segment(plain, begin, at); l != nil {
				l.text = append(l.text, src[begin:at]...)
			}
		}
	}
	for at := from; at < to; {
		if !special[src[at]] {
			at++
			continue
		}
		if b.flavor.collapses() && white(src[at]) {
			if src[at] == ' ' && begin < at && (at+1 == to || !white(src[at+1])) { // a single space after a word
				at++
				continue
			}
			flush(at)
			begin = at
		}
		text, n, err := b.decoded(src[at:to])
		if err != nil {
			return err
		}
		if text == string(src[at:at+n]) {
			if at += n; b.flavor.collapses() && text == " " { // whether the next space collapses depends on it
				flush(at)
				begin = at
			}
			continue
		}
		flush(at)
		if text != "" {
			b.put(text, escape, at, at+n)
		}
		at += n
		begin = at
	}
	flush(to)
	return nil
}

// decoded returns the text of the escape or the whitespace that src begins with, and its length in bytes.
func (b *builder) decoded(src []byte) (text string, n int, err error) {
	switch c := src[0]; {
	case c == '&':
		r, n := entity(src)
		if n == 0 && (b.flavor == inPage || b.flavor == inListing) {
			r, n = named(src)
		}
		if n == 0 {
			return "", 0, damaged("its XML has an entity that is not known: %.12q", src)
		}
		if r == '\n' || r == '\r' {
			r = '\u2028'
		}
		return string(r), n, nil
	case b.flavor.collapses() && white(c):
		n := 1
		for n < len(src) && white(src[n]) {
			n++
		}
		l := b.current()
		if k := len(l.segments) - 1; k < 0 || l.segments[k].kind == fixed || l.text[len(l.text)-1] == ' ' && l.segments[k].kind != element {
			return "", n, nil // collapsed
		}
		return " ", n, nil
	case c == '_' && b.flavor == inSheet:
		r := codeUnit(src)
		if r == '\n' || r == '\r' && bytes.HasPrefix(src[7:], []byte("\n")) {
			return "\u2028", map[bool]int{true: 7, false: 8}[r == '\n'], nil
		}
		if r >= ' ' {
			return string(r), 7, nil
		}
	case c == '\n' && (b.flavor == inSheet || b.flavor == inListing):
		return "\u2028", 1, nil
	case c == '\r' && b.flavor == inSheet:
		if len(src) > 1 && src[1] == '\n' {
			return "\u2028", 2, nil
		}
		return "\u2028", 1, nil
	case c == '\n' || c == '\r':
		return " ", 1, nil
	}
	return string(src[:1]), 1, nil
}

// codeUnit parses _xHHHH_, SpreadsheetML's escape of a character (ISO/IEC 29500-1, 22.9.2.19). It returns -1
// if src does not begin with one.
func codeUnit(src []byte) rune {
	if len(src) < 7 || src[1] != 'x' || src[6] != '_' {
		return -1
	}
	r := rune(0)
	for _, c := range src[2:6] {
		d := strings.IndexByte("0123456789abcdef", c|0x20)
		if d < 0 || c == '_' {
			return -1
		}
		r = r<<4 + rune(d)
	}
	if !utf8.ValidRune(r) {
		return -1
	}
	return r
}
