package report

import (
	"bytes"
	"errors"
	"io"

	"frizzel/core/diff"
	"frizzel/core/document"
	"frizzel/core/edit"
	"frizzel/core/textfile"
)

// asDocument returns the text of an office document with the edits that correspond to those of its bytes, and a
// function from its lines to their places. The function is nil if the file is not a document.
func asDocument(path string, raw diff.Windows) (text diff.Windows, places func(line, at int) string) {
	if document.KindOf(path) == document.None {
		return nil, nil
	}
	whole, edits, err := joined(raw)
	if err != nil { // the diff of the bytes reports the error
		return nil, nil
	}
	was, errWas := document.Read(path, whole)
	is, errIs := document.Read(path, edits.Apply(whole))
	if errWas != nil || errIs != nil {
		return nil, nil
	}
	made := document.Compare(was, is)
	if len(edits) > 0 {
		for i := range made {
			made[i].Rules = edits[0].Rules
		}
	}
	return diff.Whole(was.Text, made), func(line, _ int) string { return was.Place(line) }
}

// asDecoded returns the text of a file in another encoding than UTF-8, with the edits that correspond to those of its bytes;
// nil if it is not such a file, or too large.
func asDecoded(path string, raw diff.Windows) diff.Windows {
	said := textfile.Said{Name: path}
	other := false
	_ = raw(func(w diff.Window) error {
		head := w.Text[:min(len(w.Text), textfile.SniffLen)]
		form, err := textfile.FormOf(head, int64(len(head)), said)
		other = err == nil && form.Decode(nil, false).Decoded()
		return errSeen
	})
	if !other {
		return nil
	}
	whole, edits, err := joined(raw)
	if err != nil {
		return nil
	}
	was, errWas := textfile.Decode(whole, said)
	is, errIs := textfile.Decode(edits.Apply(whole), said)
	if errWas != nil || errIs != nil {
		return nil
	}
	return diff.Whole(was.Text, diff.Compare(was.Text, is.Text))
}

// shownOf returns what to show of a file's bytes and the edits to them: the text of an office document, whose lines have
// places, or, if decode is set, that of a file in another encoding; otherwise the bytes.
func shownOf(path string, raw diff.Windows, decode bool) (text diff.Windows, isDocument bool, places func(line, at int) string) {
	if text, places = asDocument(path, raw); text != nil {
		return text, true, places
	}
	if decode {
		if text = asDecoded(path, raw); text != nil {
			return text, false, nil
		}
	}
	return raw, false, nil
}

var (
	errSeen    = errors.New("the first window was seen")
	errTooMuch = errors.New("the text is too large to be held")
)

// maxJoined is the maximum size in bytes of a text that is joined.
const maxJoined = 64 << 20

// joined returns the whole text of windows that leave nothing out, and the edits.
func joined(raw diff.Windows) (whole []byte, edits edit.List, err error) {
	err = raw(func(w diff.Window) error {
		if len(whole)+len(w.Text) > maxJoined {
			return errTooMuch
		}
		for _, e := range w.Edits {
			e.Start, e.End, e.New = e.Start+len(whole), e.End+len(whole), bytes.Clone(e.New)
			edits = append(edits, e)
		}
		whole = append(whole, w.Text...)
		return nil
	})
	return whole, edits, err
}

// remarked writes lines as remarks, which no patch program takes for a part of a diff.
type remarked struct {
	out    io.Writer
	within bool // a line
	line   []byte
}

func (r *remarked) Write(text []byte) (int, error) {
	r.line = r.line[:0]
	for rest := text; len(rest) > 0; {
		if !r.within {
			r.line = append(r.line, "# "...)
		}
		n := bytes.IndexByte(rest, '\n') + 1
		if r.within = n == 0; r.within {
			n = len(rest)
		}
		r.line = append(r.line, rest[:n]...)
		rest = rest[n:]
	}
	if _, err := r.out.Write(r.line); err != nil {
		return 0, err
	}
	return len(text), nil
}
