package try

import (
	"path/filepath"

	tea "charm.land/bubbletea/v2"

	"frizzel/core/script"
	"frizzel/internal/authoring"
	"frizzel/internal/editor"
	"frizzel/internal/report"
	"frizzel/internal/run"
)

// goOn leaves the screen for the review.
func (m *screen) goOn() tea.Cmd {
	switch {
	case m.mistake != nil:
		m.list.Message = "the rule has a mistake; mend it first"
	case m.drafted == nil || m.drafted.Plan == nil:
		m.list.Message = "there is nothing to review yet: say what to look for"
	case m.drafted.What == run.Assertions:
		m.list.Message = "nothing is replaced yet: say first what replaces it"
	case m.news.over && len(m.list.Files) == 0:
		m.list.Message = "nothing would change"
	default:
		m.review = true
		return tea.Quit
	}
	return nil
}

// keep asks for a name, and keeps the rules as a script under it.
func (m *screen) keep() tea.Cmd {
	switch {
	case m.Change.Old == "":
		m.list.Message = "there is nothing to keep yet: say what to look for"
	case m.Change.With == nil:
		m.list.Message = "nothing is replaced yet: say first what replaces it"
	default:
		return m.list.Ask("keep it as: ", "", func(name string) tea.Cmd { m.keepAs(name); return nil })
	}
	return nil
}

func (m *screen) keepAs(name string) {
	if name == "" {
		return
	}
	if filepath.Ext(name) == "" {
		name += script.Suffix
	}
	drafted, err := m.Draft.Compile(m.Change) // the search may not have come to it yet
	if err != nil {
		m.list.Message = "the rule has a mistake; mend it first"
		return
	}
	text, with := drafted.Kept(m.seen())
	if err := m.Save(name, []byte(text)); err != nil {
		m.list.Message = err.Error()
		return
	}
	m.saved = name
	m.list.Message = "kept as " + report.Path(name)
	if with {
		m.list.Message += ", with the change at hand as an example"
	}
}

// seen returns the selected change, nil if there is none whose file can be read.
func (m *screen) seen() *authoring.Seen {
	f, c := m.list.Selected()
	if c == nil || f.Item.(*item).Pending == nil {
		return nil
	}
	it := f.Item.(*item)
	r, err := it.Pending.Result(m.ctx)
	if err != nil {
		return nil
	}
	file, edits, held := r.Held()
	if !held {
		return &authoring.Seen{Name: it.At.Rel, Text: c.Proposal.Text, Edits: c.Edits, At: c.Edits[0]}
	}
	for _, e := range edits { // the change is one of them, unless other rules come before it
		if n := lineOf(file.Text, e.Start); n >= c.Line {
			return &authoring.Seen{Name: it.At.Rel, Text: file.Text, Edits: edits, At: e}
		}
	}
	return nil
}

// edit opens the selected file in the editor, at the line of the selected change.
func (m *screen) edit() tea.Cmd {
	f, c := m.list.Selected()
	if f == nil {
		m.list.Message = "there is no file to open"
		return nil
	}
	line := 0
	if c != nil && !f.IsDocument() {
		line = c.Line
	}
	return tea.ExecProcess(editor.Open(f.Path(), line), func(err error) tea.Msg { return edited{err} })
}
