// Package textfile decodes a file's bytes to text, and turns edits of the text into edits of the bytes.
//
// The central type is [File]. Rules see UTF-8. Bytes outside of all edits are copied, never decoded and
// encoded again, so byte order marks, line endings and invalid bytes stay unchanged.
package textfile

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"unicode/utf8"

	"frizzel/core/document"
	"frizzel/core/edit"
	"frizzel/core/lines"
)

// ErrBinary is returned for a file that is not text.
var ErrBinary = errors.New("binary")

// SniffLen is the number of bytes that are checked to recognize a binary file.
const SniffLen = 8 << 10

// HeadSize is the number of bytes of a file that are read first: they tell whether it is a document, binary or text.
const HeadSize = 64 << 10

// File is a text file: its bytes, and the same as UTF-8.
type File struct {
	Raw  []byte
	Text []byte // shares Raw's bytes where those are UTF-8
	// Document is the office document that Text was read from, nil of other files.
	Document *document.Document

	encoding *Encoding
	mark     int    // bytes of the byte order mark
	window   bool   // it is a part of a file
	declared string // how the file calls its encoding; "" if it does not
	against  string // what in its bytes contradicts that; "" for nothing
}

// Decode reads a file's bytes, which the File keeps, in the form that FormOf tells.
func Decode(raw []byte, said Said) (*File, error) {
	f, err := FormOf(raw, int64(len(raw)), said)
	if err != nil {
		return nil, err
	}
	return f.Decode(raw, true), nil
}

// IsBinary reports whether bytes that are not UTF-16 are no text either: a NUL in
// the first SniffLen of them.
func IsBinary(raw []byte) bool {
	return bytes.IndexByte(raw[:min(len(raw), SniffLen)], 0) >= 0
}

// Binary reports whether the first bytes of a file, SniffLen of them or all, tell that
// Decode will return ErrBinary for the whole of it.
func Binary(head []byte, said Said) bool {
	head = head[:min(len(head), SniffLen)]
	if !IsBinary(head) {
		return false
	}
	if said.Encoding != "" {
		e, err := EncodingNamed(said.Encoding)
		return err == nil && !e.wide
	}
	return !detect(head, int64(len(head)&^1)).wide
}

// Encoding returns the name of the file's encoding.
func (f *File) Encoding() string { return f.encoding.name }

// In reports whether the file is in the encoding of a name, however that is written.
func (f *File) In(name string) bool {
	e, err := EncodingNamed(name)
	return err == nil && e.name == f.encoding.name
}

// EncodeText returns text in the file's encoding, or the one that to names, without a byte
// order mark. The error is an *Unencodable, or that of an unknown name.
func (f *File) EncodeText(text []byte, to string) ([]byte, error) {
	e := f.encoding
	if to != "" {
		var err error
		if e, err = EncodingNamed(to); err != nil {
			return nil, err
		}
	}
	raw, bad := e.encode(text)
	if bad >= 0 {
		return nil, &Unencodable{Rune: bad, Encoding: e.name, Line: 1}
	}
	return raw, nil
}

// Unknown reports whether the file is in some older encoding that does not tell itself: not all of its bytes above 127 are
// UTF-8, and it neither declares that nor has far more of them that are.
func (f *File) Unknown() bool {
	if f.against != "" {
		return true
	}
	if f.encoding.step != nil || f.Document != nil {
		return false
	}
	var t Tongue
	t.Read(f.Text)
	return t.Unknown() && f.declared == ""
}

// Decoded reports whether Text is other bytes than Raw.
func (f *File) Decoded() bool { return f.encoding.step != nil || f.Document != nil }

// Unencodable is the error of a text that the file's encoding cannot hold.
type Unencodable struct {
	Rune     rune
	Encoding string
	Line     int // of the file, from 1
	Legacy   bool
}

func (e *Unencodable) Error() string {
	if e.Legacy {
		return fmt.Sprintf("line %d: %q cannot be written: the file has bytes that are not UTF-8, and declares no encoding; say which it is in, as with --encoding windows-1252", e.Line, e.Rune)
	}
	return fmt.Sprintf("line %d: %s has no character %q", e.Line, e.Encoding, e.Rune)
}

// A ContradictionError reports that a file's bytes are not in the encoding that it declares.
type ContradictionError struct{ Declared, Against string }

func (e *ContradictionError) Error() string {
	return fmt.Sprintf("the file declares the encoding %s, and %s; say which it is in with --encoding, or correct the declaration", e.Declared, e.Against)
}

// Encode carries edits of Text back to edits of Raw. to names the encoding that the
// whole file is to be in, "" for its own. The error is an *Unencodable, or that of
// an unknown name.
func (f *File) Encode(edits edit.List, to string) (edit.List, error) {
	if f.against != "" && (len(edits) > 0 || to != "") {
		return nil, &ContradictionError{f.declared, f.against}
	}
	if to != "" {
		target, err := EncodingNamed(to)
		if err != nil {
			return nil, err
		}
		if target.name != f.encoding.name {
			if f.Document != nil {
				return nil, errEncoding{to}
			}
			return f.convert(edits, target)
		}
	}
	if f.Document != nil {
		return f.Document.Encode(edits)
	}
	if len(edits) == 0 {
		return nil, nil
	}
	if f.encoding.step == nil {
		return f.encodeUTF8(edits)
	}
	raw := make(edit.List, len(edits))
	m := mapper{encoding: f.encoding, raw: f.Raw, at: f.mark}
	for i, e := range edits {
		raw[i] = e
		raw[i].Start = m.to(e.Start)
		raw[i].End = m.to(e.End)
		fresh, bad := f.encoding.encode(e.New)
		if bad >= 0 {
			return nil, &Unencodable{Rune: bad, Encoding: f.encoding.name, Line: f.line(e.Start)}
		}
		raw[i].New = fresh
	}
	return raw.Changing(f.Raw), nil
}

func (f *File) line(at int) int { return bytes.Count(f.Text[:at], []byte("\n")) + 1 }

// encodeUTF8 shifts the edits past the byte order mark. Into a file with bytes that are not UTF-8 no new character above
// 127 fits: it would be one of another encoding.
func (f *File) encodeUTF8(edits edit.List) (edit.List, error) {
	legacy := !f.window && !utf8.Valid(f.Text)
	if f.mark == 0 && !legacy {
		return edits, nil
	}
	raw := make(edit.List, len(edits))
	for i, e := range edits {
		if r := f.brings(e.New); legacy && r >= 0 {
			return nil, &Unencodable{Rune: r, Line: f.line(e.Start), Legacy: true}
		}
		raw[i] = e
		raw[i].Start += f.mark
		raw[i].End += f.mark
	}
	return raw, nil
}

// brings returns the first character above 127 that new text brings into the file, or -1: lines that it has already may stand
// elsewhere.
func (f *File) brings(fresh []byte) rune {
	for at := 0; at < len(fresh); {
		next := lines.Next(fresh, at, len(fresh))
		line := fresh[at:next]
		at = next
		if r := firstWide(line); r >= 0 && !f.hasLine(lines.Content(line)) {
			return r
		}
	}
	return -1
}

// hasLine reports whether a line without its ending is one of the file's.
func (f *File) hasLine(line []byte) bool {
	for from := 0; ; {
		i := bytes.Index(f.Text[from:], line)
		if i < 0 {
			return false
		}
		start, end := from+i, from+i+len(line)
		if (start == 0 || f.Text[start-1] == '\n') && (end == len(f.Text) || f.Text[end] == '\n' || f.Text[end] == '\r') {
			return true
		}
		from = start + 1
	}
}

// Writes returns the first character above 127 that edits would write into a window of a file
// that may turn out to be in some older encoding, and the line of the window, from 1; false for
// none.
func (f *File) Writes(edits edit.List) (e Unencodable, ok bool) {
	if f.encoding.step != nil {
		return e, false
	}
	var last []byte // which many edits may share
	for i := range edits {
		made := &edits[i]
		if n := len(made.New); n == 0 || n == len(last) && &made.New[0] == &last[0] {
			continue
		}
		last = made.New
		if r := f.brings(last); r >= 0 {
			return Unencodable{Rune: r, Line: f.line(made.Start), Legacy: true}, true
		}
	}
	return e, false
}

// Tongue tells as a text comes in whether it is in UTF-8, or in some older encoding, into which no new characters above 127
// fit.
type Tongue struct {
	invalid, wide int
	wrote         bool // a character above 127 was written
}

// Read takes the next whole lines.
func (t *Tongue) Read(text []byte) {
	wide, invalid := countWide(text)
	t.wide, t.invalid = t.wide+wide, t.invalid+invalid
}

// manyWide is the ratio of valid characters above 127 to invalid bytes from which a text counts as UTF-8. Bytes of older
// encodings are valid UTF-8 by chance, but not often.
const manyWide = 10

// Unknown reports whether what came in so far is in some older encoding that does not tell
// itself.
func (t *Tongue) Unknown() bool { return t.invalid > 0 && t.wide < manyWide*t.invalid }

// Strays reports whether a byte that came in is not UTF-8.
func (t *Tongue) Strays() bool { return t.invalid > 0 }

// Refuses returns why text cannot be written into what came in so far, without the line; nil if it can.
func (t *Tongue) Refuses(text []byte) *Unencodable {
	if r := firstWide(text); t.Strays() && r >= 0 {
		return &Unencodable{Rune: r, Legacy: true}
	}
	return nil
}

// Write is Refuses for text that is written, which Mixed remembers.
func (t *Tongue) Write(text []byte) *Unencodable {
	t.wrote = t.wrote || firstWide(text) >= 0
	return t.Refuses(text)
}

// Mixed reports whether a byte that is not UTF-8 came in behind a character above 127 that was written.
func (t *Tongue) Mixed() bool { return t.wrote && t.Strays() }

// countWide returns the number of characters above 127, and of bytes that are none.
func countWide(text []byte) (wide, invalid int) {
	for i := nextHigh(text, 0); i < len(text); i = nextHigh(text, i) {
		_, size := utf8.DecodeRune(text[i:])
		if size > 1 {
			wide++
		} else {
			invalid++
		}
		i += size
	}
	return wide, invalid
}

// firstWide returns the first valid character above 127, or -1.
func firstWide(text []byte) rune {
	for i := nextHigh(text, 0); i < len(text); i = nextHigh(text, i+1) {
		if r, size := utf8.DecodeRune(text[i:]); size > 1 {
			return r
		}
	}
	return -1
}

// nextHigh returns the index of the first byte above 127 from i on, or the length of the text.
func nextHigh(text []byte, i int) int {
	for ; i < len(text); i++ {
		for len(text)-i >= 8 && binary.LittleEndian.Uint64(text[i:])&0x8080808080808080 == 0 { // eight at once
			i += 8
		}
		if i < len(text) && text[i] >= utf8.RuneSelf {
			return i
		}
	}
	return len(text)
}

// convert makes the edits that leave the whole file in another encoding.
func (f *File) convert(edits edit.List, target *Encoding) (edit.List, error) {
	text := edits.Apply(f.Text)
	var rules []int
	if len(edits) > 0 {
		rules = edits[0].Rules
	}
	if f.encoding.step == nil && target.step == nil { // only the byte order mark differs
		out, err := f.encodeUTF8(edits)
		if err != nil {
			return nil, err
		}
		mark := edit.Edit{Start: 0, End: f.mark, New: target.mark, Rules: rules}
		return append(edit.List{mark}, out...).Changing(f.Raw), nil
	}
	if f.encoding.step == nil && !utf8.Valid(text) {
		return nil, &Unencodable{Rune: utf8.RuneError, Line: 1, Legacy: true}
	}
	fresh, bad := target.encode(text)
	if bad >= 0 {
		line := bytes.Count(text[:bytes.IndexRune(text, bad)], []byte("\n")) + 1
		return nil, &Unencodable{Rune: bad, Encoding: target.name, Line: line}
	}
	fresh = append(bytes.Clone(target.mark), fresh...)
	start := 0
	for start < len(fresh) && start < len(f.Raw) && fresh[start] == f.Raw[start] {
		start++
	}
	return edit.List{{Start: start, End: len(f.Raw), New: fresh[start:], Rules: rules}}.Changing(f.Raw), nil
}

// OfLine returns a text that is no file's content, such as a file's name, as it would be read from one.
func OfLine(text []byte) *File { return &File{Raw: text, Text: text, encoding: utf8Plain} }
