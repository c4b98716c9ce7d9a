package textfile

import (
	"bytes"
)

// Form is how a file's text is written: its encoding and its byte order mark.
type Form struct {
	encoding *Encoding
	mark     int    // bytes of the byte order mark
	lineFeed []byte // a line feed, as it is written
}

// FormOf tells the form of a file of size bytes by its first ones, SniffLen of them or all.
// encoding names what they are in; if it is "", a byte order mark tells, or the look of
// UTF-16, and else the text is taken as UTF-8, invalid bytes and all.
func FormOf(head []byte, size int64, encoding string) (Form, error) {
	e := detect(head, size)
	if encoding != "" {
		var err error
		if e, err = EncodingNamed(encoding); err != nil {
			return Form{}, err
		}
	}
	if !e.wide && IsBinary(head) {
		return Form{}, ErrBinary
	}
	f := Form{lineFeed: []byte("\n")}
	f.encoding, f.mark = e.withMark(head)
	if f.encoding.step != nil {
		f.lineFeed, _ = f.encoding.encode(f.lineFeed)
	}
	return f, nil
}

// Decode reads a run of whole lines of a file of the form, which the File keeps; first says
// that the file begins with them.
func (f Form) Decode(raw []byte, first bool) *File {
	text := &File{Raw: raw, encoding: f.encoding}
	if first {
		text.mark = f.mark
	}
	if f.encoding.step == nil {
		text.Text = raw[text.mark:]
	} else {
		text.Text = f.encoding.decode(raw[text.mark:])
	}
	return text
}

// afterLineFeed returns the first place in raw, which stands at byte offset of the file, that
// is right behind a line feed; -1 for none.
func (f Form) afterLineFeed(raw []byte, offset int64) int {
	for at := 0; ; {
		i := bytes.Index(raw[at:], f.lineFeed)
		if i < 0 {
			return -1
		}
		at += i
		if (offset+int64(at))%int64(len(f.lineFeed)) == 0 { // else it is half of two characters
			return at + len(f.lineFeed)
		}
		at++
	}
}

// Decoded reports whether the text is other bytes than the file.
func (f Form) Decoded() bool { return f.encoding.step != nil }

// WholeLines reports whether lines of the text are lines of the bytes, too.
func (f Form) WholeLines() bool { return string(f.lineFeed) == "\n" }
