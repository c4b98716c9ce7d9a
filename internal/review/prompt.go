package review

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/muesli/cancelreader"
	"golang.org/x/term"

	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/terminal"
)

// An Answer is a person's answer about a file.
type Answer int

const (
	Yes  Answer = iota
	No          // decline this one
	Rest        // accept this one and all later ones
	Stop        // stop asking
)

// ErrInterrupted is returned if the person presses Ctrl-C or Ctrl-D, or the context ends.
var ErrInterrupted = errors.New("interrupted")

// ErrDeclined is returned if the person decides to write nothing.
var ErrDeclined = exit.Refusedf("nothing was written")

// Terminal reports whether in and out are both a terminal, so that a person can be asked.
func Terminal(in, out *os.File) bool {
	return in != nil && out != nil && term.IsTerminal(int(in.Fd())) && term.IsTerminal(int(out.Fd()))
}

// A Prompt asks questions at a plain terminal. Each answer is a single key.
type Prompt struct {
	In    *os.File
	Out   io.Writer
	Style report.Style
	Width int // columns; 0 for no limit
	// Terminal is the output for echoing a typed line.
	Terminal io.Writer
}

// A choice is a key and its meaning.
type choice struct {
	key    byte
	label  string
	help   string
	answer Answer
}

var fileChoices = []choice{
	{'y', "yes", "write this file's changes", Yes},
	{'n', "no", "leave this file as it is", No},
	{'r', "rest", "write this file and all the rest", Rest},
	{'s', "stop", "ask no more; you are asked what to do with those said yes to", Stop},
}

var keepChoices = []choice{
	{'y', "yes", "write them", Yes},
	{'n', "no", "write nothing", No},
}

// File asks about the changes of one file, which the caller has shown.
func (p *Prompt) File(ctx context.Context, question string) (Answer, error) {
	return p.ask(ctx, question, fileChoices)
}

// Confirm asks a yes-or-no question.
func (p *Prompt) Confirm(ctx context.Context, question string) (bool, error) {
	a, err := p.ask(ctx, question, keepChoices)
	return a == Yes, err
}

func (p *Prompt) ask(ctx context.Context, question string, choices []choice) (Answer, error) {
	for {
		fmt.Fprint(p.Out, p.Style.Strong(question), " ")
		for _, c := range choices { // each key is the first letter of its word
			fmt.Fprint(p.Out, p.Style.Key(c.label[:1]), c.label[1:], " ")
		}
		fmt.Fprint(p.Out, p.Style.Key("?"), " ")
		key, err := p.key(ctx)
		if err != nil {
			fmt.Fprintln(p.Out)
			return Stop, err
		}
		for _, c := range choices {
			if c.key == key {
				fmt.Fprintln(p.Out, c.label)
				return c.answer, nil
			}
		}
		fmt.Fprintln(p.Out)
		for _, c := range choices {
			fmt.Fprintf(p.Out, "  %s  %s\n", p.Style.Key(string(c.key)), c.help)
		}
		fmt.Fprintf(p.Out, "  %s  break off, write nothing\n", p.Style.Key("Ctrl-C"))
	}
}

// key waits for one key. It restores the terminal's mode before it returns.
func (p *Prompt) key(ctx context.Context) (byte, error) {
	var b [1]byte
	err := p.raw(ctx, func(in io.Reader) error {
		_, err := io.ReadFull(in, b[:])
		return err
	})
	if err == nil && (b[0] == 3 || b[0] == 4) { // Ctrl-C, Ctrl-D
		err = ErrInterrupted
	}
	return b[0], err
}

// line reads a typed line. It restores the terminal's mode before it returns.
func (p *Prompt) line(ctx context.Context, prompt string) (line string, err error) {
	err = p.raw(ctx, func(in io.Reader) error {
		t := term.NewTerminal(struct {
			io.Reader
			io.Writer
		}{in, p.Terminal}, prompt)
		if p.Width > 0 {
			_ = t.SetSize(p.Width, 1)
		}
		line, err = t.ReadLine()
		return err
	})
	if err != nil && !errors.Is(err, ErrInterrupted) {
		if errors.Is(err, io.EOF) { // Ctrl-C, Ctrl-D
			err = ErrInterrupted
		}
		fmt.Fprintln(p.Out)
	}
	return line, err
}

// raw calls read with the terminal in raw mode. When ctx ends, reads from in fails and the error is
// ErrInterrupted. Keys that are pressed later stay in the terminal's buffer.
func (p *Prompt) raw(ctx context.Context, read func(in io.Reader) error) error {
	state, err := term.MakeRaw(int(p.In.Fd()))
	if err != nil {
		return err
	}
	defer func() { _ = term.Restore(int(p.In.Fd()), state) }()
	in, err := cancelreader.NewReader(p.In)
	if err != nil {
		return err
	}
	defer func() { _ = in.Close() }()
	stop := context.AfterFunc(ctx, func() { in.Cancel() })
	defer stop()
	err = read(in)
	if ctx.Err() != nil {
		return ErrInterrupted
	}
	return err
}

// Pause waits for any key.
func (p *Prompt) Pause(ctx context.Context, what string) error {
	fmt.Fprint(p.Out, p.Style.Key(what), " ")
	_, err := p.key(ctx)
	fmt.Fprint(p.Out, terminal.ClearLine())
	return err
}
