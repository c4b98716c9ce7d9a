package report

import (
	"encoding/json"
	"io"
	"os"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// Events writes results for programs: one JSON object a line.
type Events struct {
	encoder *json.Encoder
	rules   []string
}

// NewEvents returns what writes events to out. rules are labels, by index.
func NewEvents(out io.Writer, rules []string) *Events {
	e := json.NewEncoder(out)
	e.SetEscapeHTML(false)
	return &Events{e, rules}
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
	for i, pl := range Places(f) {
		m := f.Matches[i]
		event := matchEvent{
			Event: "match", Path: f.File.Path, PathBytes: bytesOf(f.File.Path),
			Line: pl.Line, Column: pl.Column, EndColumn: pl.EndColumn,
			Rule: e.rules[m.Rule], Text: pl.Text,
		}
		if m.Changes {
			s := string(m.New)
			event.Replacement = &s
		}
		if err := e.encoder.Encode(event); err != nil {
			return err
		}
	}
	return nil
}

type fileEvent struct {
	Event     string `json:"event"`
	Path      string `json:"path"`
	PathBytes []byte `json:"path_bytes,omitempty"`
	Changes   int    `json:"changes"`
	Added     int    `json:"added"`
	Removed   int    `json:"removed"`
	Diff      string `json:"diff"`
}

// Result writes a file event: what would change, or was written.
func (e *Events) Result(p *Printer, r *run.Result) error {
	hunks := p.hide(diff.Hunks(r.Text.Text, r.Edits, p.Context))
	event := fileEvent{Event: "file", Path: r.File.Path, PathBytes: bytesOf(r.File.Path), Changes: r.Changes()}
	for _, h := range hunks {
		for _, l := range h.Lines {
			switch l.Op {
			case diff.Add:
				event.Added++
			case diff.Remove:
				event.Removed++
			}
		}
	}
	event.Diff = string(diff.Unified(nil, DiffName(r.File.Path), hunks, p.about))
	return e.encoder.Encode(event)
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
	return e.encoder.Encode(problemEvent{"problem", reason})
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
		if k.Reason == selection.Unreadable {
			reason = Reason(k.Err)
		}
		if err := e.encoder.Encode(skipEvent{"skip", k.Path, bytesOf(k.Path), reason}); err != nil {
			return err
		}
	}
	host, _ := os.Hostname()
	return e.encoder.Encode(summaryEvent{"summary", host, s.Read, s.Changed, len(s.Skipped), s.Changes, run})
}
