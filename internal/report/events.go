package report

import (
	"bufio"
	"io"
	"os"

	"frizzel/core/diff"
	"frizzel/internal/disk"
	"frizzel/internal/event"
	"frizzel/internal/run"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// Events prints results as events for programs.
type Events struct {
	*event.Writer
	rules []string
}

// NewEvents returns what prints a command's events to out. rules are labels, by index.
func NewEvents(out io.Writer, command string, rules []string) *Events {
	return &Events{event.NewWriter(out, command), rules}
}

// Found prints an event for each match of a file.
func (e *Events) Found(f *run.Found) error {
	return f.Each(0, func(s *run.Sight) error {
		for i, pl := range Places(s) {
			m := s.Matches[i]
			match := event.Match{
				Path: event.PathOf(f.At.Path), Line: pl.Line, Column: pl.Column, EndColumn: pl.EndColumn,
				Rule: e.rules[m.Rule], Text: pl.Near(), Of: s.Of.Address(),
			}
			if m.ValuePath != nil {
				match.ValuePath = m.ValuePath()
			}
			if d := s.File.Document; d != nil {
				match.Place = d.Place(pl.Line)
			}
			if m.Whole {
				value := string(m.Value)
				match.Value = &value
			}
			if m.Changes {
				s := string(m.New)
				match.Replacement = &s
			}
			if err := e.Write(match); err != nil {
				return err
			}
		}
		return nil
	})
}

// Result prints the event of a file that would change or was written.
func (e *Events) Result(p *Printer, r *run.Result) error {
	switch r.Kind() {
	case disk.Link:
		return e.link(r)
	case disk.Directory:
		return e.directory(r)
	}
	return e.edits(p, r.At.Path, r.Changes(), r.Text(p.Context), r.IsDocument(), extendedOf(r), r.NewPath())
}

// edits prints the event of a file with its number of changes. The diff is streamed, so its length is not limited
// by memory.
func (e *Events) edits(p *Printer, path string, changes int, text diff.Windows, document bool, x *extended, to string) error {
	var body spool.Buffer
	defer body.Close()
	name := DiffName(path)
	u := unified{Printer: p, out: bufio.NewWriter(&event.Escaper{Out: &body}), from: diff.Name("a/" + name), to: diff.Name("b/" + name)}
	u.rename(x)
	var renamed event.NewPath
	if x != nil && to != path {
		renamed = event.NewPathOf(to)
	}
	if err := u.write(text); err != nil {
		return err
	}
	if x != nil && !u.begun { // the content stays
		if err := u.names(); err != nil {
			return err
		}
	}
	return e.WriteFile(event.File{
		Path: event.PathOf(path), NewPath: renamed, Document: document, Changes: changes, Added: u.added, Removed: u.removed,
	}, &body)
}

// Problem prints why nothing may be written.
func (e *Events) Problem(reason string) error { return e.Write(event.Problem{Reason: reason}) }

// Summary prints an event for each omitted file, one for each place in a document that matches and is not changed, and then
// the summary. run is the name of the run that was written, or "".
func (e *Events) Summary(s *run.Summary, run string) error {
	for _, k := range s.Skipped {
		reason := string(k.Reason)
		if k.Reason == selection.Unreadable || k.Reason == selection.Damaged {
			reason = Reason(k.Err)
		}
		if err := e.Write(event.Skip{Path: event.PathOf(k.Path), Reason: reason}); err != nil {
			return err
		}
	}
	if err := e.unchanged(s); err != nil {
		return err
	}
	return e.Total(event.Summary{FilesRead: s.Read, FilesChanged: s.Changed, FilesSkipped: len(s.Skipped), Changes: s.Changes, Run: run})
}

// unchanged prints an event for each place in a document that the rules match and nothing changes.
func (e *Events) unchanged(s *run.Summary) error {
	for _, n := range s.Notes {
		if n.Unchanged == nil {
			continue
		}
		rule := ""
		if n.Rule >= 0 {
			rule = e.rules[n.Rule]
		}
		for _, u := range *n.Unchanged {
			if err := e.Write(event.Unchanged{Path: event.PathOf(n.Path), Line: u.Line, Place: u.Place, Rule: rule, Text: u.Text, Reason: u.Reason}); err != nil {
				return err
			}
		}
	}
	return nil
}

// Total prints the summary with this host's name. It is the last event.
func (e *Events) Total(s event.Summary) error {
	s.Host, _ = os.Hostname()
	return e.Write(s)
}
