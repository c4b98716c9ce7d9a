// Package revision applies rules to one file: it decodes the bytes to text, runs the rules, and carries
// their edits back to the bytes.
//
// The central type is [Revision].
package revision

import (
	"fmt"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/textfile"
)

// A Revision is the result of rules for one file.
type Revision struct {
	File *textfile.File
	Text edit.List // against File.Text
	Raw  edit.List // the same against File.Raw
	Made *program.Result
	// Refuse is the reason why the file must not be written: a *FailureError, or the error of an encoding
	// that cannot represent the new text.
	Refuse error
}

// A FailureError reports that a rule could not produce its text for a file.
type FailureError struct{ program.Note }

func (e *FailureError) Error() string {
	if e.Line == 0 {
		return e.Note.Text
	}
	return fmt.Sprintf("line %d: %s", e.Line, e.Note.Text)
}

// Of runs a program over a file. The input's Text is filled in.
func Of(p *program.Program, file *textfile.File, in program.Input) *Revision {
	in.Text, in.Document = file.Text, Document(file)
	made := p.Run(in)
	made.Notes = append(made.Notes, Unseen(p, file, in.File, p.Matches)...)
	r := &Revision{File: file, Text: made.Edits, Made: made}
	switch {
	case len(made.Failures) > 0:
		r.Refuse = &FailureError{made.Failures[0]}
	case len(made.Edits) > 0 || made.Encoding != "":
		r.Text, r.Raw, r.Refuse = Encode(p, file, in, r.Text, made.Encoding)
	}
	if made.Encoding != "" && len(r.Raw) > 0 && !file.In(made.Encoding) {
		made.Changes[made.EncodedBy]++
	}
	return r
}

// ByHand is the revision that makes a file's text another one, which a person wrote.
// What the program asserts is asked of that text.
func ByHand(p *program.Program, file *textfile.File, fresh []byte, in program.Input) *Revision {
	r := &Revision{File: file, Text: diff.Compare(file.Text, fresh)}
	in.Text, in.Document, in.Decide = fresh, Document(file), leave
	r.Made = p.Run(in)
	r.Made.Found = None(p, file, in).Found // what was there before a person wrote
	if file.Document == nil && len(r.Text) > 0 {
		r.Made.Broken = append(r.Made.Broken, p.Breaks(in.File, file.Text, fresh)...)
	}
	r.Text, r.Raw, r.Refuse = Encode(p, file, in, r.Text, "")
	return r
}

// Encode returns the edits of a file's text as they are written, and the same against its bytes, in the encoding that to
// names, "" for its own. The error says why the file must not be written.
func Encode(p *program.Program, file *textfile.File, in program.Input, edits edit.List, to string) (text, raw edit.List, err error) {
	if text, err = inMarkup(p, file, in, edits, to); err != nil {
		return text, nil, err
	}
	raw, err = file.Encode(text, to)
	return text, raw, err
}

// None returns the program's result for a file without any accepted change.
func None(p *program.Program, file *textfile.File, in program.Input) *program.Result {
	in.Text, in.Document, in.Decide = file.Text, Document(file), leave
	return p.Run(in)
}

func leave(program.Proposal) program.Answer { return program.Answer{Leave: true} }

// Changes returns the number of changes, by rules or by hand.
func (r *Revision) Changes() int { return r.Made.All() }

// Document returns the office document that a file is, as a program asks it; nil for other files.
func Document(file *textfile.File) program.Document {
	if file.Document == nil {
		return nil
	}
	return file.Document
}
