package textfile

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/ianaindex"
)

// Encoding is how a file's characters are written as bytes.
type Encoding struct {
	name string
	mark []byte // the byte order mark that is written, if any
	wide bool   // UTF-16, which holds NUL bytes
	one  bool   // each byte is a character
	// step decodes the first character: its bytes and the character. nil for UTF-8,
	// which needs no decoding.
	step func(raw []byte) (r rune, size int)
	put  func(dst []byte, r rune) ([]byte, bool)
}

var (
	utf8Plain = &Encoding{name: "utf-8"}
	utf8Mark  = &Encoding{name: "utf-8-bom", mark: []byte("\xef\xbb\xbf")}
	utf16LE   = wide("utf-16le", binary.LittleEndian, nil)
	utf16BE   = wide("utf-16be", binary.BigEndian, nil)
	// With a byte order mark.
	utf16LEMark = wide("utf-16le-bom", binary.LittleEndian, []byte("\xff\xfe"))
	utf16BEMark = wide("utf-16be-bom", binary.BigEndian, []byte("\xfe\xff"))
)

// EncodingNamed returns the encoding of a name: utf-8, utf-8-bom, utf-16le, utf-16be, utf-16le-bom,
// utf-16be-bom, or any name that the IANA registers for an encoding that can be edited in place.
func EncodingNamed(name string) (*Encoding, error) {
	switch key := strings.ToLower(strings.ReplaceAll(name, "_", "-")); key {
	case "utf-8", "utf8":
		return utf8Plain, nil
	case "utf-8-bom":
		return utf8Mark, nil
	case "utf-16le":
		return utf16LE, nil
	case "utf-16be":
		return utf16BE, nil
	case "utf-16", "utf-16le-bom":
		return utf16LEMark, nil
	case "utf-16be-bom":
		return utf16BEMark, nil
	case "latin1", "latin-1":
		name = "iso-8859-1"
	case "ascii":
		name = "us-ascii"
	}
	e, err := ianaindex.IANA.Encoding(name)
	if err != nil || e == nil {
		if e, err = htmlindex.Get(name); err != nil {
			return nil, fmt.Errorf("there is no encoding %q; there are, for example, utf-8, utf-16le, iso-8859-1 and windows-1252", name)
		}
	}
	lower := strings.ToLower(name)
	if strings.HasPrefix(lower, "iso-2022") || strings.HasPrefix(lower, "hz-") || lower == "replacement" || strings.HasPrefix(lower, "utf-") {
		return nil, fmt.Errorf("the encoding %q cannot be edited in place", name)
	}
	if standard, err := ianaindex.MIME.Name(e); err == nil && standard != "" {
		lower = strings.ToLower(standard)
	}
	if m, ok := e.(*charmap.Charmap); ok {
		return single(lower, m), nil
	}
	return several(lower, e), nil
}

// detect tells the encoding of a file of size bytes by its first ones: by its byte order
// mark, or by the look of UTF-16.
func detect(raw []byte, size int64) *Encoding {
	switch {
	case bytes.HasPrefix(raw, utf8Mark.mark):
		return utf8Mark
	case bytes.HasPrefix(raw, utf16LEMark.mark) && !bytes.HasPrefix(raw, []byte{0xff, 0xfe, 0, 0}):
		return utf16LEMark
	case bytes.HasPrefix(raw, utf16BEMark.mark):
		return utf16BEMark
	case bytes.IndexByte(raw[:min(len(raw), SniffLen)], 0) >= 0:
		if size%2 == 0 && looksWide(raw, binary.LittleEndian) {
			return utf16LE
		}
		if size%2 == 0 && looksWide(raw, binary.BigEndian) {
			return utf16BE
		}
	}
	return utf8Plain
}

// looksWide reports whether bytes look like UTF-16 without a mark: characters that
// a text holds, most of them from the first 256.
func looksWide(raw []byte, order binary.ByteOrder) bool {
	raw = raw[:min(len(raw), SniffLen)&^1]
	narrow := 0
	for i := 0; i+1 < len(raw); i += 2 {
		u := rune(order.Uint16(raw[i:]))
		switch {
		case u < ' ' && u != '\t' && u != '\n' && u != '\r' && u != '\f', u == 0xfffe, u == 0xffff:
			return false
		case u < 0x100:
			narrow++
		case !utf16.IsSurrogate(u) && !unicode.IsPrint(u):
			return false
		}
	}
	return narrow*4 >= len(raw) // half of the characters
}

// withMark returns the variant of e that raw has, with a byte order mark or
// without, and the length of the mark in bytes.
func (e *Encoding) withMark(raw []byte) (*Encoding, int) {
	for _, pair := range [][2]*Encoding{{utf8Plain, utf8Mark}, {utf16LE, utf16LEMark}, {utf16BE, utf16BEMark}} {
		if e != pair[0] && e != pair[1] {
			continue
		}
		if bytes.HasPrefix(raw, pair[1].mark) {
			return pair[1], len(pair[1].mark)
		}
		return pair[0], 0
	}
	return e, 0
}

// decode returns raw as UTF-8.
func (e *Encoding) decode(raw []byte) []byte {
	out := make([]byte, 0, len(raw)+len(raw)/8)
	for at := 0; at < len(raw); {
		r, size := e.step(raw[at:])
		out = utf8.AppendRune(out, r)
		at += size
	}
	return out
}

// encode returns text in the encoding, or the first character that it lacks, else
// -1.
func (e *Encoding) encode(text []byte) (raw []byte, lacks rune) {
	if e.step == nil {
		return text, -1
	}
	out := make([]byte, 0, len(text)*2)
	for at := 0; at < len(text); {
		r, size := utf8.DecodeRune(text[at:])
		var ok bool
		if out, ok = e.put(out, r); !ok || r == utf8.RuneError && size == 1 {
			return nil, r
		}
		at += size
	}
	return out, -1
}

// mapper carries ascending offsets of decoded text to offsets of the bytes.
type mapper struct {
	encoding *Encoding
	raw      []byte
	at       int // in raw
	text     int // the same place in the text
}

func (m *mapper) to(text int) int {
	for m.text < text && m.at < len(m.raw) {
		r, size := m.encoding.step(m.raw[m.at:])
		m.at += size
		m.text += utf8.RuneLen(r)
	}
	return m.at
}

// wide makes a UTF-16 encoding.
func wide(name string, order binary.ByteOrder, mark []byte) *Encoding {
	return &Encoding{
		name: name, mark: mark, wide: true,
		step: func(raw []byte) (rune, int) {
			if len(raw) < 2 {
				return utf8.RuneError, 1
			}
			u := rune(order.Uint16(raw))
			if utf16.IsSurrogate(u) {
				if len(raw) >= 4 {
					if r := utf16.DecodeRune(u, rune(order.Uint16(raw[2:]))); r != utf8.RuneError {
						return r, 4
					}
				}
				return utf8.RuneError, 2
			}
			return u, 2
		},
		put: func(dst []byte, r rune) ([]byte, bool) {
			for _, u := range utf16.AppendRune(nil, r) {
				dst = order.(binary.AppendByteOrder).AppendUint16(dst, u)
			}
			return dst, true
		},
	}
}

// single makes an encoding of one byte a character.
func single(name string, m *charmap.Charmap) *Encoding {
	return &Encoding{
		name: name, one: true,
		step: func(raw []byte) (rune, int) { return m.DecodeByte(raw[0]), 1 },
		put: func(dst []byte, r rune) ([]byte, bool) {
			b, ok := m.EncodeRune(r)
			return append(dst, b), ok
		},
	}
}

// several makes an encoding of a varying number of bytes a character, a character
// at a time.
func several(name string, e encoding.Encoding) *Encoding {
	replacement, _ := e.NewEncoder().Bytes([]byte(string(utf8.RuneError))) // empty if it has none
	return &Encoding{
		name: name,
		step: func(raw []byte) (rune, int) {
			if raw[0] < utf8.RuneSelf && raw[0] != '\\' && raw[0] != '~' {
				return rune(raw[0]), 1
			}
			var dst [utf8.UTFMax * 2]byte
			d := e.NewDecoder()
			for n := 1; n <= min(len(raw), 8); n++ {
				written, read, _ := d.Transform(dst[:], raw[:n], n == len(raw))
				if written > 0 {
					r, _ := utf8.DecodeRune(dst[:written])
					if r == utf8.RuneError && !bytes.Equal(raw[:read], replacement) {
						read = 1 // a byte that cannot follow the first one, such as a newline, is a character of its own
					}
					return r, max(read, 1)
				}
			}
			return utf8.RuneError, 1
		},
		put: func(dst []byte, r rune) ([]byte, bool) {
			b, err := e.NewEncoder().Bytes([]byte(string(r)))
			return append(dst, b...), err == nil
		},
	}
}
