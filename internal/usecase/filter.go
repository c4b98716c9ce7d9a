package usecase

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/textfile"
)

// FilterOptions say what a filter reads and writes.
type FilterOptions struct {
	Rules       *Compiled
	In          io.Reader
	Out         io.Writer
	As          string // the path of the file that the input would be, "" for none
	Encoding    string // "" for the one that the script or the input says
	OnlyChanged bool   // write only lines that changed
	Note        func(line int, text string)
}

// Filter runs rules over a stream. What can be decided line by line is written as it comes
// in; what needs the whole text, and where something that must hold does not, nothing.
func Filter(o FilterOptions) error {
	file := program.File{Path: o.As, Rel: o.As}
	if o.As == "" {
		file.Path = "standard input"
	}
	o.In = newAhead(o.In)
	f := &filtering{FilterOptions: o, program: o.Rules.Program, file: file, encoding: o.Encoding}
	if f.encoding == "" {
		f.encoding = f.program.Encoding(file)
	}
	return f.run()
}

// filtering is a filter at work.
type filtering struct {
	FilterOptions
	program  *program.Program
	file     program.File
	encoding string
	tongue   textfile.Tongue
	passed   int // lines
}

// run takes the input as it comes, where the program and the encoding allow it.
func (f *filtering) run() error {
	buffer := make([]byte, 0, pieceSize)
	n, err := f.In.Read(buffer[:cap(buffer)])
	buffer = buffer[:n]
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	if !f.program.LineByLine() || !f.streams(buffer) {
		rest, err := io.ReadAll(f.In)
		if err != nil {
			return err
		}
		return f.whole(append(buffer, rest...))
	}
	return f.stream(buffer)
}

// streams reports whether the input's encoding lets it be taken line by line.
func (f *filtering) streams(first []byte) bool {
	text, err := textfile.Decode(first, f.encoding)
	return err == nil && text.Encoding() == "utf-8"
}

// stream takes whole lines as soon as they are there.
func (f *filtering) stream(buffer []byte) error {
	s := f.program.Stream(f.file)
	for {
		whole := bytes.LastIndexByte(buffer, '\n') + 1
		if whole > 0 {
			if err := f.lines(s, buffer[:whole]); err != nil {
				return err
			}
			buffer = append(buffer[:0], buffer[whole:]...)
		}
		if len(buffer) == cap(buffer) {
			buffer = append(buffer, 0)[:len(buffer)]
		}
		n, err := f.In.Read(buffer[len(buffer):cap(buffer)])
		buffer = buffer[:len(buffer)+n]
		switch {
		case errors.Is(err, io.EOF):
			if len(buffer) > 0 {
				if err := f.lines(s, buffer); err != nil {
					return err
				}
			}
			_, err = f.Out.Write(s.End())
			return err
		case err != nil:
			return err
		}
	}
}

// lines writes what becomes of some lines.
func (f *filtering) lines(s *program.Stream, text []byte) error {
	made := s.Lines(text)
	if len(made.Failures) > 0 {
		n := made.Failures[0]
		return refused("standard input: line %d: %s", n.Line, n.Text)
	}
	f.tongue.Read(text)
	for _, e := range made.Edits {
		if f.tongue.Refuses(e.New, 0) != nil {
			return refused("standard input: %v", f.tongue.Refuses(e.New, f.passed+lines.Number(text, e.Start)))
		}
	}
	f.passed += bytes.Count(text, []byte("\n"))
	out := made.Edits.Apply(text)
	if f.OnlyChanged {
		out = changedLines(text, made.Edits)
	} else {
		out = s.Out(out)
	}
	_, err := f.Out.Write(out)
	return err
}

// changedLines returns the lines of an edited text that are new.
func changedLines(text []byte, edits edit.List) (out []byte) {
	for _, h := range diff.Hunks(text, edits, 0) {
		for _, l := range h.Lines {
			if l.Op == diff.Add {
				out = append(out, l.Text...)
			}
		}
	}
	return out
}

// whole takes the input as one text, and writes nothing where something that must
// hold does not; where something is never closed, the input as it is.
func (f *filtering) whole(raw []byte) error {
	text, err := textfile.Decode(raw, f.encoding)
	if err != nil {
		return wrong("standard input: %w", err)
	}
	made := f.program.Run(program.Input{Text: text.Text, File: f.file})
	for _, n := range made.Notes {
		f.Note(n.Line, n.Text)
	}
	tally := f.program.NewTally()
	tally.Add(f.file.Path, f.file, made)
	refuses := tally.Unmet()
	if len(made.Unreadable) > 0 {
		if _, err := f.Out.Write(raw); err != nil {
			return err
		}
		return &RefusedError{append(refuses, "standard input was passed on as it is")}
	}
	for _, n := range made.Failures {
		refuses = append(refuses, fmt.Sprintf("standard input: line %d: %s", n.Line, n.Text))
	}
	if len(refuses) > 0 {
		return &RefusedError{refuses}
	}
	edits, err := text.Encode(made.Edits, made.Encoding)
	if err != nil {
		return refused("standard input: %v", err)
	}
	out := edits.Apply(raw)
	if f.OnlyChanged {
		if out, err = text.EncodeText(changedLines(text.Text, made.Edits), made.Encoding); err != nil {
			return refused("standard input: %v", err)
		}
	}
	_, err = f.Out.Write(out)
	return err
}
