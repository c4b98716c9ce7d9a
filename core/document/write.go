package document

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// A writer encodes text for a part.
type writer struct {
	part          []byte
	segment       segment
	element       textElement
	before, after rune // the neighbouring characters in the line; 0 at its ends
}

// An errHolds reports a character that the part cannot contain.
type errHolds struct{ r rune }

func (e errHolds) Error() string {
	return fmt.Sprintf("an XML file cannot hold the character %q", e.r)
}

// write returns text as the part's flavor writes it.
func (w *writer) write(text []byte) ([]byte, error) {
	for at := 0; at < len(text); {
		r, n := utf8.DecodeRune(text[at:])
		if r == utf8.RuneError && n == 1 || !isCharacter(r) || r == '\r' || r == '\n' {
			return nil, errHolds{r}
		}
		at += n
	}
	switch w.segment.flavor {
	case inWord:
		if w.segment.element >= 0 && w.element.sole {
			return w.bare(text)
		}
		return w.word(text), nil
	case inSheet:
		return w.sheet(text)
	case inSlide:
		return w.slide(text), nil
	case inOpen:
		return w.open(text), nil
	case inPage:
		return w.page(text)
	case inListing:
		return []byte(strings.ReplaceAll(textEscaper.Replace(string(text)), "\u2028", "\n")), nil
	case inHeader:
		text = bytes.ReplaceAll(text, []byte("&"), []byte("&&")) // a single & begins a code
	}
	return w.bare(text)
}

var textEscaper = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")
var valueEscaper = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&quot;", "'", "&apos;", "\t", "&#9;")

// bare encodes text as characters.
func (w *writer) bare(text []byte) ([]byte, error) {
	if bytes.ContainsAny(text, "\u2028") {
		return nil, errors.New("a line break cannot be written there")
	}
	if w.segment.kind == value {
		return []byte(valueEscaper.Replace(string(text))), nil
	}
	return []byte(textEscaper.Replace(string(text))), nil
}

// tagPrefix returns the namespace prefix, with its colon, of the tag at an offset of the part.
func (w *writer) tagPrefix(at int) string {
	name := w.part[at+1:]
	name = name[:bytes.IndexAny(name, " \t\r\n/>")]
	if i := bytes.IndexByte(name, ':'); i >= 0 {
		return string(name[:i+1])
	}
	return ""
}

// word encodes text for a run, within its text element or next to it.
func (w *writer) word(text []byte) []byte {
	within := w.segment.kind != element
	at := int(w.segment.from)
	if within {
		at = int(w.element.tag)
	}
	p := w.tagPrefix(at)
	begin, end := "<"+p+`t xml:space="preserve">`, "</"+p+"t>"
	special := map[rune]string{'\t': "tab", '\u2028': "br", '\u2011': "noBreakHyphen", '\u00ad': "softHyphen"}
	var b strings.Builder
	open := within
	for _, r := range string(text) {
		tag, ok := special[r]
		if ok == open {
			if open = !ok; open {
				b.WriteString(begin)
			} else {
				b.WriteString(end)
			}
		}
		if ok {
			b.WriteString("<" + p + tag + "/>")
		} else {
			b.WriteString(textEscaper.Replace(string(r)))
		}
	}
	if open != within {
		if within {
			b.WriteString(begin)
		} else {
			b.WriteString(end)
		}
	}
	return []byte(b.String())
}

// sheet encodes text for a cell.
func (w *writer) sheet(text []byte) ([]byte, error) {
	var b strings.Builder
	escaper := textEscaper
	if w.segment.kind == value {
		escaper = valueEscaper
	}
	for at := 0; at < len(text); {
		r, n := utf8.DecodeRune(text[at:])
		switch {
		case r == '\u2028' && w.segment.kind == value:
			b.WriteString("_x000a_")
		case r == '\u2028':
			b.WriteByte('\n')
		case r == '_' && codeUnit(text[at:]) >= 0:
			b.WriteString("_x005F_")
		default:
			b.WriteString(escaper.Replace(string(r)))
		}
		at += n
	}
	return []byte(b.String()), nil
}

// slide encodes text for a run. A line break ends the run and begins another.
func (w *writer) slide(text []byte) []byte {
	escaped := textEscaper.Replace(string(text))
	p := w.tagPrefix(int(w.element.tag))
	properties := string(w.part[w.element.properties[0]:w.element.properties[1]])
	between := "</" + p + "t></" + p + "r><" + p + "br>" + properties + "</" + p + "br><" + p + "r>" + properties + "<" + p + "t>"
	return []byte(strings.ReplaceAll(escaped, "\u2028", between))
}

// open encodes text for a paragraph. Whitespace that would collapse, next to other whitespace or at the ends,
// becomes elements.
func (w *writer) open(text []byte) []byte {
	p := w.openPrefix()
	var b strings.Builder
	before := w.before
	spaces := 0
	flush := func(after rune) {
		if spaces == 0 {
			return
		}
		n := spaces
		if before != 0 && before != ' ' && after != ' ' && after != 0 {
			b.WriteByte(' ')
			n--
		}
		switch {
		case n == 1:
			b.WriteString("<" + p + "s/>")
		case n > 1:
			fmt.Fprintf(&b, `<%ss %sc="%d"/>`, p, p, n)
		}
		spaces, before = 0, ' '
	}
	for _, r := range string(text) {
		if r == ' ' {
			spaces++
			continue
		}
		flush(r)
		switch r {
		case '\t':
			b.WriteString("<" + p + "tab/>")
		case '\u2028':
			b.WriteString("<" + p + "line-break/>")
		default:
			b.WriteString(textEscaper.Replace(string(r)))
		}
		before = r
	}
	flush(w.after)
	return []byte(b.String())
}

// page encodes text for a page, whose white space collapses.
func (w *writer) page(text []byte) ([]byte, error) {
	around := string(append(append(utf8.AppendRune(nil, cmp.Or(w.before, ' ')), text...), string(cmp.Or(w.after, ' '))...))
	if strings.Contains(around, "  ") || strings.Contains(around, "\t") {
		return nil, errors.New("a page shows no white space at its ends, and several spaces as one")
	}
	return w.bare(text)
}

// openPrefix returns the part's prefix for the text namespace.
func (w *writer) openPrefix() string {
	const space = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"
	i := bytes.Index(w.part, []byte(`"`+space+`"`))
	if i < 0 {
		return "text:"
	}
	name := w.part[bytes.LastIndexByte(w.part[:i], ' ')+1 : i]
	if p, ok := strings.CutPrefix(strings.TrimSuffix(string(name), "="), "xmlns:"); ok {
		return p + ":"
	}
	return "text:"
}

// wellFormed returns the error of encoding/xml, an independent parser, on a part.
func wellFormed(part []byte) error {
	d := xml.NewDecoder(bytes.NewReader(part))
	d.Strict = true
	d.Entity = xml.HTMLEntity // of pages; names that the document's format does not have are refused when it is read
	for {
		if _, err := d.Token(); err != nil {
			if errors.Is(err, io.EOF) {
				return nil
			}
			return err
		}
	}
}
