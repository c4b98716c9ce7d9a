package textfile

import (
	"bytes"
)

// Form is how a file's text is written: its encoding and its byte order mark.
type Form struct {
	encoding *Encoding
	mark     int    // bytes of the byte order mark
	lineFeed []byte // an encoded newline
	declared string // how the file itself calls its encoding; "" if it does not
}

// FormOf determines the form of a file of size bytes from head, its first SniffLen bytes or all of them. If nobody
// says the encoding, it is known by a byte order mark or the zero bytes of UTF-16, or by a declaration in the file; otherwise
// FormOf assumes UTF-8, which may contain invalid bytes.
func FormOf(head []byte, size int64, said Said) (Form, error) {
	e := detect(head, size)
	f := Form{lineFeed: []byte("\n")}
	if said.Encoding != "" {
		var err error
		if e, err = EncodingNamed(said.Encoding); err != nil {
			return Form{}, err
		}
	} else if e == utf8Plain || e == utf8Mark {
		if own, called := declared(head, said.Name); own != nil {
			if f.declared = called; e == utf8Plain {
				e = own
			}
		}
	}
	if !e.wide && IsBinary(head) {
		return Form{}, ErrBinary
	}
	f.encoding, f.mark = e.withMark(head)
	if f.encoding.step != nil {
		f.lineFeed, _ = f.encoding.encode(f.lineFeed)
	}
	return f, nil
}

// Decode reads a run of whole lines of a file of the form, which the File keeps; first says
// that the file begins with them.
func (f Form) Decode(raw []byte, first bool) *File {
	text := &File{Raw: raw, encoding: f.encoding, declared: f.declared}
	if first {
		text.mark = f.mark
	}
	switch {
	case f.encoding.step == nil:
		text.Text = raw[text.mark:]
		return text
	case f.Declares():
		if text.against = contradicted(f.encoding, raw); text.against != "" {
			text.encoding, text.Text = utf8Plain, raw
			return text
		}
	}
	text.Text = f.encoding.decode(raw[text.mark:])
	return text
}

// Declares reports whether the file itself declares an encoding other than UTF-8. All of its bytes are to be held against
// that.
func (f Form) Declares() bool { return f.declared != "" && f.encoding.step != nil }

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
