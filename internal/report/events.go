package report

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/internal/run"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
	"frizzel/internal/terminal"
)

// Events writes results for programs: one JSON object a line, the first of which says which
// version of them it is.
type Events struct {
	out     io.Writer
	command string
	rules   []string
	begun   bool
}

// eventsVersion is of all events: what it names keeps its name and its meaning.
const eventsVersion = 1

type beginEvent struct {
	Event   string `json:"event"`
	Version int    `json:"version"`
	Command string `json:"command"`
}

// NewEvents returns what writes a command's events to out. rules are labels, by index.
func NewEvents(out io.Writer, command string, rules []string) *Events {
	return &Events{out: out, command: command, rules: rules}
}

// Write writes an event.
func (e *Events) Write(event any) error { return e.write(event, nil) }

// write writes an event, and at its end, where there is one, the text of its last member, which
// is escaped already.
func (e *Events) write(event any, last *spool.Buffer) error {
	if !e.begun {
		e.begun = true
		if err := e.write(beginEvent{"begin", eventsVersion, e.command}, nil); err != nil {
			return err
		}
	}
	text, err := escaped(event)
	if err != nil {
		return err
	}
	if last == nil {
		_, err = io.WriteString(e.out, text+"\n")
		return err
	}
	front := strings.TrimSuffix(text, `"}`) // the member is empty
	if _, err = io.WriteString(e.out, front); err != nil {
		return err
	}
	if _, err = last.WriteTo(e.out); err != nil {
		return err
	}
	_, err = io.WriteString(e.out, "\"}\n")
	return err
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

// escaper writes text, which ends with a line's end, as it stands within a string of JSON.
type escaper struct {
	out  io.Writer
	line []byte // what came of a line so far
}

func (e *escaper) Write(text []byte) (int, error) {
	e.line = append(e.line, text...)
	whole := bytes.LastIndexByte(e.line, '\n') + 1
	s, err := escaped(string(e.line[:whole]))
	if err == nil {
		_, err = io.WriteString(e.out, s[1:len(s)-1])
	}
	e.line = append(e.line[:0], e.line[whole:]...)
	return len(text), err
}

// Path and Text are strings for JSON; what is no UTF-8 stands there with its
// bytes, too.
type matchEvent struct {
	Event       string  `json:"event"`
	Path        string  `json:"path"`
	PathBytes   []byte  `json:"path_bytes,omitempty"`
	Line        int     `json:"line"`
	Column      int     `json:"column"`
	EndColumn   int     `json:"end_column"`
	Rule        string  `json:"rule,omitempty"`
	Text        string  `json:"text"`
	Value       *string `json:"value,omitempty"` // of a path, as a whole
	ValuePath   string  `json:"value_path,omitempty"`
	Place       string  `json:"place,omitempty"` // in a document
	Replacement *string `json:"replacement,omitempty"`
}

// bytesOf returns a path's bytes where a JSON string cannot hold it.
func bytesOf(path string) []byte {
	if utf8.ValidString(path) {
		return nil
	}
	return []byte(path)
}

// Found writes a match event for each match of a file.
func (e *Events) Found(f *run.Found) error {
	return f.Each(0, func(s *run.Sight) error {
		for i, pl := range Places(s) {
			m := s.Matches[i]
			event := matchEvent{
				Event: "match", Path: f.At.Path, PathBytes: bytesOf(f.At.Path),
				Line: pl.Line, Column: pl.Column, EndColumn: pl.EndColumn,
				Rule: e.rules[m.Rule], Text: pl.Near(),
			}
			if m.ValuePath != nil {
				event.ValuePath = m.ValuePath()
			}
			if d := s.File.Document; d != nil {
				event.Place = d.Place(pl.Line)
			}
			if m.Whole {
				value := string(m.Value)
				event.Value = &value
			}
			if m.Changes {
				s := string(m.New)
				event.Replacement = &s
			}
			if err := e.Write(event); err != nil {
				return err
			}
		}
		return nil
	})
}

type fileEvent struct {
	Event     string `json:"event"`
	Path      string `json:"path"`
	PathBytes []byte `json:"path_bytes,omitempty"`
	Document  bool   `json:"document,omitempty"`
	Changes   int    `json:"changes"`
	Added     int    `json:"added"`
	Removed   int    `json:"removed"`
	Diff      string `json:"diff"`
}

// Result writes a file event: what would change, or was written.
func (e *Events) Result(p *Printer, r *run.Result) error {
	return e.edits(p, r.At.Path, r.Changes(), r.Text(p.Context), r.IsDocument())
}

// Edits writes a file event for edits to a text, which are so many changes. The diff is passed
// on as it is made, however long it is.
func (e *Events) Edits(p *Printer, path string, changes int, text diff.Windows) error {
	if shown, _ := asDocument(path, text); shown != nil {
		return e.edits(p, path, changes, shown, true)
	}
	return e.edits(p, path, changes, text, false)
}

func (e *Events) edits(p *Printer, path string, changes int, text diff.Windows, document bool) error {
	var body spool.Buffer
	defer body.Close()
	name := DiffName(path)
	u := unified{Printer: p, out: bufio.NewWriter(&escaper{out: &body}), from: diff.Name("a/" + name), to: diff.Name("b/" + name)}
	if err := u.write(text); err != nil {
		return err
	}
	event := fileEvent{
		Event: "file", Path: path, PathBytes: bytesOf(path), Document: document, Changes: changes, Added: u.added, Removed: u.removed,
	}
	return e.write(event, &body)
}

type skipEvent struct {
	Event     string `json:"event"`
	Path      string `json:"path"`
	PathBytes []byte `json:"path_bytes,omitempty"`
	Reason    string `json:"reason"`
}

type problemEvent struct {
	Event  string `json:"event"`
	Reason string `json:"reason"`
}

// Problem writes a problem event: why nothing may be written.
func (e *Events) Problem(reason string) error {
	return e.Write(problemEvent{"problem", reason})
}

type summaryEvent struct {
	Event        string `json:"event"`
	Host         string `json:"host"`
	FilesRead    int    `json:"files_read"`
	FilesChanged int    `json:"files_changed"`
	FilesSkipped int    `json:"files_skipped"`
	Changes      int    `json:"changes"`
	Run          string `json:"run,omitempty"`
}

// Summary writes a skip event for each file left out, and the summary, which is last.
// run names the run that was written, "" for none.
func (e *Events) Summary(s *run.Summary, run string) error {
	for _, k := range s.Skipped {
		reason := string(k.Reason)
		if k.Reason == selection.Unreadable || k.Reason == selection.Damaged {
			reason = Reason(k.Err)
		}
		if err := e.Write(skipEvent{"skip", k.Path, bytesOf(k.Path), reason}); err != nil {
			return err
		}
	}
	return e.Total(Totals{s.Read, s.Changed, len(s.Skipped), s.Changes, run})
}

// Totals are what a summary event counts; Run is the run that was written, "" for none.
type Totals struct {
	Read, Changed, Skipped, Changes int
	Run                             string
}

// Total writes the summary event, which is last.
func (e *Events) Total(t Totals) error {
	host, _ := os.Hostname()
	return e.Write(summaryEvent{"summary", host, t.Read, t.Changed, t.Skipped, t.Changes, t.Run})
}
