package report

import (
	"bytes"
	"io"

	"frizzel/core/diff"
	"frizzel/core/document"
	"frizzel/core/edit"
)

// asDocument returns the text of an office document with the edits that correspond to those of its bytes, and a
// function from its lines to their places. The function is nil if the file is not a document.
func asDocument(path string, raw diff.Windows) (text diff.Windows, places func(line, at int) string) {
	if document.KindOf(path) == document.None {
		return nil, nil
	}
	var whole []byte
	var edits edit.List
	err := raw(func(w diff.Window) error {
		for _, e := range w.Edits {
			e.Start, e.End = e.Start+len(whole), e.End+len(whole)
			edits = append(edits, e)
		}
		whole = append(whole, w.Text...)
		return nil
	})
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
