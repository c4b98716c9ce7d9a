package event

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"unicode/utf16"

	"frizzel/internal/terminal"
)

// A Writer prints events, Begin first.
type Writer struct {
	out     io.Writer
	command string
	begun   bool
}

// NewWriter returns a Writer of a command's events to out.
func NewWriter(out io.Writer, command string) *Writer { return &Writer{out: out, command: command} }

// Write prints an event.
func (w *Writer) Write(e Event) error {
	text, err := w.line(e)
	if err != nil {
		return err
	}
	_, err = io.WriteString(w.out, text+"\n")
	return err
}

// WriteFile prints a File whose diff comes from an Escaper.
func (w *Writer) WriteFile(f File, diff io.WriterTo) error {
	text, err := w.line(f)
	if err != nil {
		return err
	}
	if _, err = io.WriteString(w.out, strings.TrimSuffix(text, `"}`)); err != nil { // the diff is empty, and last
		return err
	}
	if _, err = diff.WriteTo(w.out); err != nil {
		return err
	}
	_, err = io.WriteString(w.out, "\"}\n")
	return err
}

// line returns an event as JSON, after it has printed Begin if that is due.
func (w *Writer) line(e Event) (string, error) {
	if !w.begun {
		w.begun = true
		if err := w.Write(Begin{Version, w.command}); err != nil {
			return "", err
		}
	}
	text, err := escaped(e)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf(`{"event":%q,%s`, e.name(), text[1:]), nil
}

// escaped returns a value as JSON. What would drive a terminal is escaped.
func escaped(value any) (string, error) {
	var line bytes.Buffer
	e := json.NewEncoder(&line)
	e.SetEscapeHTML(false)
	if err := e.Encode(value); err != nil {
		return "", err
	}
	var b strings.Builder
	for _, r := range strings.TrimSuffix(line.String(), "\n") {
		switch {
		case !terminal.Drives(r):
			b.WriteRune(r)
		case r > 0xffff:
			high, low := utf16.EncodeRune(r)
			fmt.Fprintf(&b, `\u%04x\u%04x`, high, low)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.String(), nil
}

// An Escaper writes text, which must end with a line ending, as the content of a JSON string.
type Escaper struct {
	Out  io.Writer
	line []byte // the beginning of a line whose end has not come yet
}

// Write takes the next bytes of the text.
func (e *Escaper) Write(text []byte) (int, error) {
	e.line = append(e.line, text...)
	whole := bytes.LastIndexByte(e.line, '\n') + 1
	s, err := escaped(string(e.line[:whole]))
	if err == nil {
		_, err = io.WriteString(e.Out, s[1:len(s)-1])
	}
	e.line = append(e.line[:0], e.line[whole:]...)
	return len(text), err
}
