package textfile

import (
	"bytes"
)

// Form is how a file's text is written: its encoding and its byte order mark.
type Form struct {
	encoding *Encoding
	mark     int    // bytes of the byte order mark
	lineFeed []byte // an encoded newline
}

// FormOf determines the form of a file of size bytes from head, its first SniffLen bytes or all of them. encoding
// is the declared encoding; if it is "", FormOf looks for a byte order mark or the zero bytes of UTF-16, and
// otherwise assumes UTF-8, which may contain invalid bytes.
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

// afterLineFeed returns the first index in raw immediately after a newline, or -1. offset is raw's offset in the
// file.
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
