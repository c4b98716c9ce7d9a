package usecase

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/run"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// held is the maximum number of bytes of an input in memory if it can be processed in windows.
const held = 8 << 20

// all reads the whole input before it writes any output. If an assertion fails it writes nothing; if the input is
// unreadable it writes the unchanged input.
func (f *filtering) all(begun []byte) error {
	if f.program.Windowing(f.file, begun).Order != program.NoWindows {
		rest, err := io.ReadAll(io.LimitReader(f.In, held))
		if begun = append(begun, rest...); err != nil {
			return err
		}
		if len(rest) == held {
			return f.long(begun)
		}
	}
	rest, err := io.ReadAll(f.In)
	if err != nil {
		return err
	}
	return f.whole(append(begun, rest...))
}

// long keeps a long input on disk, and runs the program over it piece by piece.
func (f *filtering) long(begun []byte) error {
	kept, err := spool.Temporary()
	if err != nil {
		return err
	}
	defer func() { _ = kept.Close() }()
	size, err := keepAll(kept, io.MultiReader(bytes.NewReader(begun), f.In))
	if err != nil {
		return err
	}
	plan := run.Plan{Program: f.program, Encoding: f.encoding}
	res, err := plan.Piped(f.ctx, kept, size, selection.File{Path: f.file.Path, Rel: f.file.Rel})
	switch {
	case err != nil:
		return exit.Wrongf("standard input: %w", err)
	case res == nil, f.OnlyChanged && res.Decoded():
		raw, err := readAll(kept, size)
		if err != nil {
			return err
		}
		return f.whole(raw)
	}
	return f.chunks(res)
}

// keepAll copies the input to a file, and returns its size in bytes.
func keepAll(kept *os.File, in io.Reader) (size int64, err error) {
	buffer := make([]byte, chunkSize)
	for {
		n, readErr := in.Read(buffer)
		if _, err := kept.Write(buffer[:n]); err != nil {
			return 0, fmt.Errorf("standard input cannot be kept for a moment: %w; set TMPDIR to a directory with more room", err)
		}
		size += int64(n)
		switch {
		case errors.Is(readErr, io.EOF):
			return size, nil
		case readErr != nil:
			return 0, readErr
		}
	}
}

func readAll(f *os.File, size int64) ([]byte, error) {
	raw := make([]byte, size)
	_, err := f.ReadAt(raw, 0)
	return raw, err
}

// chunks writes the result for a long input.
func (f *filtering) chunks(res *run.Result) error {
	in, err := res.Open()
	if err != nil {
		return err
	}
	defer disk.Close(in)
	err = f.judge(res.Made)
	if passed := f.passedOn(res.Made); passed != nil {
		if _, err := io.Copy(f.Out, in); err != nil {
			return err
		}
		return passed
	}
	switch {
	case err != nil:
		return err
	case res.Refuse != nil:
		return exit.Refusedf("standard input: %v", res.Refuse)
	case f.OnlyChanged:
		walk := diff.Walk{Plain: true, Hunk: func(h *diff.Hunk, _ bool) error {
			_, err := f.Out.Write(added(nil, *h))
			return err
		}}
		if err := res.Text(0)(walk.Add); err != nil {
			return err
		}
		return walk.End()
	}
	return edit.Rewrite(f.Out, in, res.Change().Edits)
}

// whole takes the input as one text.
func (f *filtering) whole(raw []byte) error {
	text, err := textfile.Decode(raw, f.said())
	if err != nil {
		return exit.Wrongf("standard input: %w", err)
	}
	made := f.program.Run(program.Input{Text: text.Text, File: f.file})
	err = f.judge(made)
	if passed := f.passedOn(made); passed != nil {
		if _, err := f.Out.Write(raw); err != nil {
			return err
		}
		return passed
	}
	if err != nil {
		return err
	}
	shown, edits, err := revision.Encode(f.program, text, program.Input{File: f.file}, made.Edits, made.Encoding)
	if err != nil {
		return exit.Refusedf("standard input: %v", err)
	}
	if f.OnlyChanged {
		out, err := text.EncodeText(changedLines(text.Text, shown), made.Encoding)
		if err != nil {
			return exit.Refusedf("standard input: %v", err)
		}
		_, err = f.Out.Write(out)
		return err
	}
	return edit.Rewrite(f.Out, bytes.NewReader(raw), edits)
}

// passedOn returns the error for an unreadable input, which is written unchanged, or nil.
func (f *filtering) passedOn(made *program.Result) error {
	if len(made.Unreadable) == 0 {
		return nil
	}
	return exit.Refusals(append(f.unmet(made), "standard input was passed on as it is"))
}

// judge reports the notes about an input, and returns the failed assertions as an error.
func (f *filtering) judge(made *program.Result) error {
	for _, n := range made.Notes {
		f.Note(n.Line, n.Text)
	}
	tally := f.program.NewTally()
	tally.Add(f.file.Path, made)
	f.idle(tally)
	refuses := tally.Unmet()
	for _, n := range made.Failures {
		refuses = append(refuses, fmt.Sprintf("standard input: line %d: %s", n.Line, n.Text))
	}
	if len(refuses) > 0 {
		return exit.Refusals(refuses)
	}
	return nil
}

// idle reports the addresses that selected nothing.
func (f *filtering) idle(t *program.Tally) {
	for _, place := range t.Idle() {
		if f.Note != nil {
			f.Note(0, place+": this address selects nothing")
		}
	}
}

func (f *filtering) unmet(made *program.Result) []string {
	tally := f.program.NewTally()
	tally.Add(f.file.Path, made)
	return tally.Unmet()
}
