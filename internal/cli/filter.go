package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/textfile"
)

const filterLong = `Run rules over standard input, and write what they make of it to standard output.

What can be decided line by line comes out as it comes in, so that a filter can stand
behind a log that is still being written. What needs the whole text, such as moves or
sections, comes out at its end.

--as says what file it would be: for the rules' own "files", for sections, which are
headings in a .md file, and for {=file}. Without it all rules apply.`

const filterExample = `  # try a rule on one line
  echo "ntp depot-3" | frizzel filter --word depot-3 --with depot-4

  frizzel filter -r move-depot.friz --as conf/clock.ini < clock.ini

  # behind a log, only what the rule is about
  journal | frizzel filter --regex 'token=\S+' --with 'token=***' --only-changed`

func (a *app) filter() *cobra.Command {
	var rules ruleFlags
	var as, encoding string
	var onlyChanged bool
	c := &cobra.Command{
		Use:     "filter [-r SCRIPT]...",
		Short:   "Standard input to standard output",
		Long:    filterLong,
		Example: filterExample,
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			p, err := a.compile(c, &rules)
			if err != nil {
				return err
			}
			f := program.File{Path: as, Rel: as}
			if as == "" {
				f.Path = "standard input"
			}
			if encoding == "" {
				encoding = p.Encoding(f)
			}
			fl := &filtering{app: a, program: p, file: f, encoding: encoding, onlyChanged: onlyChanged}
			return a.untilInterrupted(c.Context(), fl.run)
		},
	}
	rules.add(c)
	c.Flags().StringVar(&as, "as", "", "the `path` of the file that it would be")
	c.Flags().StringVar(&encoding, "encoding", "", "the `name` of the input's encoding")
	c.Flags().BoolVar(&onlyChanged, "only-changed", false, "print only lines that changed")
	return c
}

// untilInterrupted does work that may wait for its input for ever, and gives up on
// it where the person does.
func (a *app) untilInterrupted(ctx context.Context, work func() error) error {
	done := make(chan error, 1)
	go func() { done <- work() }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return &exitError{exitInterrupted, nil}
	}
}

// filtering is a filter at work.
type filtering struct {
	*app
	program     *program.Program
	file        program.File
	encoding    string
	onlyChanged bool
}

// run takes the input as it comes, where the program and the encoding allow it.
func (f *filtering) run() error {
	buffer := make([]byte, 0, 64<<10)
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
		if errors.Is(err, io.EOF) {
			if len(buffer) == 0 {
				return nil
			}
			return f.lines(s, buffer)
		}
		if err != nil {
			return err
		}
	}
}

// lines writes what becomes of some lines.
func (f *filtering) lines(s *program.Stream, lines []byte) error {
	made := s.Lines(lines)
	if len(made.Failures) > 0 {
		n := made.Failures[0]
		return refused(fmt.Errorf("standard input: line %d: %s", n.Line, n.Text))
	}
	return f.write(lines, made.Edits)
}

// write writes an edited text, or only its changed lines.
func (f *filtering) write(text []byte, edits edit.List) error {
	if !f.onlyChanged {
		_, err := f.Out.Write(edits.Apply(text))
		return err
	}
	var out []byte
	for _, h := range diff.Hunks(text, edits, 0) {
		for _, l := range h.Lines {
			if l.Op == diff.Add {
				out = append(out, l.Text...)
			}
		}
	}
	_, err := f.Out.Write(out)
	return err
}

// whole takes the input as one text, and writes nothing where something that must
// hold does not.
func (f *filtering) whole(raw []byte) error {
	text, err := textfile.Decode(raw, f.encoding)
	if err != nil {
		return wrong("standard input: %w", err)
	}
	made := f.program.Run(program.Input{Text: text.Text, File: f.file})
	tally := f.program.NewTally()
	tally.Add(f.file.Path, f.file, made)
	refuses := tally.Unmet()
	for _, n := range made.Failures {
		refuses = append(refuses, fmt.Sprintf("standard input: line %d: %s", n.Line, n.Text))
	}
	for _, n := range made.Notes {
		fmt.Fprintf(f.Err, "note: line %d: %s\n", n.Line, n.Text)
	}
	if len(refuses) > 0 {
		return refuse(f.Err, refuses)
	}
	edits, err := text.Encode(made.Edits, made.Encoding)
	if err != nil {
		return refused(fmt.Errorf("standard input: %w", err))
	}
	return f.write(raw, edits)
}
