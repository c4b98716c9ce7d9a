package usecase

import (
	"bytes"
	"context"
	"errors"
	"io"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
)

// FilterOptions are the input and the output of a filter.
type FilterOptions struct {
	Rules       *rules.Compiled
	In          io.Reader
	Out         io.Writer
	As          string // the path to treat the input as, or ""
	Encoding    string // "" for the one that the script or the input says
	OnlyChanged bool   // write only lines that changed
	Note        func(line int, text string)
}

// Filter runs rules over a stream. What can be decided line by line is written as it comes
// in; else all of it is read first, and kept on disk if it is much.
func Filter(ctx context.Context, o FilterOptions) error {
	if o.Rules.Program.Named() && o.Note != nil {
		o.Note(0, "what the rules say of names is passed over: the input has no name")
	}
	file := program.File{Path: o.As, Rel: o.As}
	if o.As == "" {
		file.Path = "standard input"
	}
	in, err := newAhead(o.In)
	if err != nil {
		return err
	}
	defer in.stop()
	o.In = in
	f := &filtering{FilterOptions: o, ctx: ctx, program: o.Rules.Program, file: file, encoding: o.Encoding}
	if f.encoding == "" {
		f.encoding = f.program.Encoding(file)
	}
	return f.run()
}

// filtering is a filter at work.
type filtering struct {
	FilterOptions
	ctx      context.Context
	program  *program.Program
	file     program.File
	encoding string
	tongue   textfile.Tongue
	passed   int            // lines
	seen     *program.Tally // what addresses selected, of a stream
	fresh    []byte         // a buffer for the new lines
}

// run takes the input as it comes, if the program and the encoding allow it.
func (f *filtering) run() error {
	buffer := make([]byte, 0, chunkSize)
	n, err := f.In.Read(buffer[:cap(buffer)])
	buffer = buffer[:n]
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	if !f.program.LineByLine(f.file) || !f.streams(buffer) {
		return f.all(buffer)
	}
	return f.stream(buffer)
}

// said returns what is known of the input's encoding.
func (f *filtering) said() textfile.Said {
	return textfile.Said{Encoding: f.encoding, Name: f.file.Path}
}

// streams reports whether the input's encoding lets it be taken line by line.
func (f *filtering) streams(first []byte) bool {
	text, err := textfile.Decode(first, f.said())
	return err == nil && text.Encoding() == "utf-8"
}

// stream takes whole lines as soon as they are there.
func (f *filtering) stream(buffer []byte) error {
	s := f.program.Stream(f.file)
	f.seen = f.program.NewTally()
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
			f.idle(f.seen)
			_, err = f.Out.Write(s.End())
			return err
		case err != nil:
			return err
		}
	}
}

// lines writes the result for some lines.
func (f *filtering) lines(s *program.Stream, text []byte) error {
	made := s.Lines(text)
	f.seen.Looked(made)
	if len(made.Failures) > 0 {
		n := made.Failures[0]
		return exit.Refusedf("standard input: line %d: %s", n.Line, n.Text)
	}
	f.tongue.Read(text)
	if f.tongue.Mixed() {
		return exit.Refusedf("standard input: line %d: this line is not UTF-8, and characters above ASCII were already written as UTF-8; say the encoding with --encoding", f.passed+1)
	}
	for _, e := range made.Edits {
		if err := f.tongue.Write(e.New); err != nil {
			err.Line = f.passed + lines.Number(text, e.Start)
			return exit.Refusedf("standard input: %v", err)
		}
	}
	f.passed += bytes.Count(text, []byte("\n"))
	if f.OnlyChanged {
		_, err := f.Out.Write(changedLines(text, made.Edits))
		return err
	}
	if len(made.Edits) > 0 {
		f.fresh = made.Edits.AppendTo(f.fresh[:0], text)
		text = f.fresh
	}
	_, err := f.Out.Write(s.Out(text))
	return err
}

// changedLines returns the lines of an edited text that are new.
func changedLines(text []byte, edits edit.List) (out []byte) {
	for _, h := range diff.Hunks(text, edits, 0) {
		out = added(out, h)
	}
	return out
}

// added appends the lines that a hunk adds.
func added(out []byte, h diff.Hunk) []byte {
	for _, l := range h.Lines {
		if l.Op == diff.Add {
			out = append(out, l.Text...)
		}
	}
	return out
}
