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
)

// ErrBinary is returned for a file that is not text.
var ErrBinary = errors.New("binary")

// SniffLen is the number of bytes that are checked to recognize a binary file.
const SniffLen = 8 << 10

// File is a text file: its bytes, and the same as UTF-8.
type File struct {
	Raw  []byte
	Text []byte // shares Raw's bytes where those are UTF-8
	// Document is the office document that Text was read from, nil of other files.
	Document *document.Document

	encoding *Encoding
	mark     int  // bytes of the byte order mark
	window   bool // it is a part of a file
}

// Decode reads a file's bytes, which the File keeps, in the form that FormOf tells.
func Decode(raw []byte, encoding string) (*File, error) {
	f, err := FormOf(raw, int64(len(raw)), encoding)
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
func Binary(head []byte, encoding string) bool {
	head = head[:min(len(head), SniffLen)]
	if !IsBinary(head) {
		return false
	}
	if encoding != "" {
		e, err := EncodingNamed(encoding)
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

// Unknown reports whether the file is in some older encoding that does not tell itself: all
// its bytes above 127 are invalid as UTF-8.
func (f *File) Unknown() bool {
	return f.encoding.step == nil && !utf8.Valid(f.Text) && !holdsWideUTF8(f.Text)
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
		return fmt.Sprintf("line %d: %q cannot be written: the file is in no encoding that tells itself, say which with --encoding", e.Line, e.Rune)
	}
	return fmt.Sprintf("line %d: %s has no character %q", e.Line, e.Encoding, e.Rune)
}

// Encode carries edits of Text back to edits of Raw. to names the encoding that the
// whole file is to be in, "" for its own. The error is an *Unencodable, or that of
// an unknown name.
func (f *File) Encode(edits edit.List, to string) (edit.List, error) {
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

// encodeUTF8 shifts the edits past the byte order mark. A file whose bytes above
// 127 are all invalid is in some older encoding, and new ones would not fit in.
func (f *File) encodeUTF8(edits edit.List) (edit.List, error) {
	legacy := !f.window && f.Unknown()
	if f.mark == 0 && !legacy {
		return edits, nil
	}
	raw := make(edit.List, len(edits))
	for i, e := range edits {
		if r := firstWide(e.New); legacy && r >= 0 {
			return nil, &Unencodable{Rune: r, Line: f.line(e.Start), Legacy: true}
		}
		raw[i] = e
		raw[i].Start += f.mark
		raw[i].End += f.mark
	}
	return raw, nil
}

// Writes returns the first character above 127 that edits would write into a window of a file
// that may turn out to be in some older encoding, and the line of the window, from 1; false for
// none.
func (f *File) Writes(edits edit.List) (e Unencodable, ok bool) {
	if f.encoding.step != nil || f.mark > 0 {
		return e, false
	}
	var last []byte // which many edits may share
	for i := range edits {
		made := &edits[i]
		if n := len(made.New); n == 0 || n == len(last) && &made.New[0] == &last[0] {
			continue
		}
		last = made.New
		if r := firstWide(last); r >= 0 {
			return Unencodable{Rune: r, Line: f.line(made.Start), Legacy: true}, true
		}
	}
	return e, false
}

// Tongue tells as a text comes in whether it is in some older encoding, into which no new
// characters above 127 fit: where all its bytes above that are invalid.
type Tongue struct{ invalid, wide bool }

// Read takes the next whole lines.
func (t *Tongue) Read(text []byte) {
	if t.wide {
		return
	}
	t.invalid = t.invalid || !utf8.Valid(text)
	t.wide = holdsWideUTF8(text)
}

// Unknown reports whether what came in so far is in some older encoding that does not tell
// itself.
func (t *Tongue) Unknown() bool { return t.invalid && !t.wide }

// Told reports whether nothing that is still to come can make it Unknown.
func (t *Tongue) Told() bool { return t.wide }

// Refuses returns why text cannot be written into what came in so far, on a line from 1;
// nil if it can.
func (t *Tongue) Refuses(text []byte, line int) error {
	if r := firstWide(text); t.Unknown() && r >= 0 {
		return &Unencodable{Rune: r, Line: line, Legacy: true}
	}
	return nil
}

// holdsWideUTF8 reports whether text holds a valid character above 127.
func holdsWideUTF8(text []byte) bool { return firstWide(text) >= 0 }

// firstWide returns the first valid character above 127, or -1.
func firstWide(text []byte) rune {
	for i := 0; i < len(text); {
		for len(text)-i >= 8 && binary.LittleEndian.Uint64(text[i:])&0x8080808080808080 == 0 { // eight at once
			i += 8
		}
		if i == len(text) {
			break
		}
		if text[i] < utf8.RuneSelf {
			i++
			continue
		}
		r, size := utf8.DecodeRune(text[i:])
		if size > 1 {
			return r
		}
		i++
	}
	return -1
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
