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
	No          // leave this one out
	Rest        // this one and all the rest
	Stop        // ask no more
)

// ErrInterrupted is returned where the person broke off.
var ErrInterrupted = errors.New("interrupted")

// ErrDeclined is returned where the person wants nothing written.
var ErrDeclined = exit.Refusedf("nothing was written")

// Terminal reports whether a person can be asked: in and out are a terminal.
func Terminal(in, out *os.File) bool {
	return in != nil && out != nil && term.IsTerminal(int(in.Fd())) && term.IsTerminal(int(out.Fd()))
}

// Prompt asks at a plain terminal, a key an answer.
type Prompt struct {
	In    *os.File
	Out   io.Writer
	Style report.Style
	Width int // columns, 0 for no bound
	// Terminal is where a line that is typed is drawn.
	Terminal io.Writer
}

// choice is a key and what it means.
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

// File asks about one file's changes, which have been shown.
func (p *Prompt) File(ctx context.Context, question string) (Answer, error) {
	return p.ask(ctx, question, fileChoices)
}

// Confirm asks a question of yes or no.
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

// key waits for one key. The terminal is as it was when it returns.
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

// line reads a line that a person types. The terminal is as it was when it returns.
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

// raw calls read with the terminal in raw mode. Once ctx ends, what it reads from fails, and the error is
// ErrInterrupted; a key that is pressed later is left to whoever reads next.
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
