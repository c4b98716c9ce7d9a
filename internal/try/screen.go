// Package try is the screen on which a rule takes shape: fields for what is looked for, what replaces it and where, and
// below them the changes in their files, as they would be made. Every key ends the search of the version before and
// starts one of the new version: first of the files on the screen, then of all.
//
// The central function is [Screen]. Packages usecase and run compile and search, package review draws the changes.
// Nothing is written here.
package try

import (
	"context"
	"io"
	"os"
	"slices"

	tea "charm.land/bubbletea/v2"

	"frizzel/internal/authoring"
	"frizzel/internal/oneoff"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// Options are what trying starts from.
type Options struct {
	Draft  *authoring.Draft
	Change oneoff.Change
	Style  report.Style
	// Save keeps a script under a name, which must be a new one.
	Save func(name string, text []byte) error
}

// An Outcome is how a person left the screen.
type Outcome struct {
	Change  oneoff.Change
	Session *review.Session // with the answers given so far
	Saved   string          // the name that this version of the rules was kept under, or ""
	Review  bool            // go on to the review
}

// Screen shows the screen until the person leaves it.
func Screen(ctx context.Context, o Options, in *os.File, out io.Writer) (Outcome, error) {
	ctx, cancel := context.WithCancel(ctx)
	m := &screen{Options: o, ctx: ctx, stop: func() {}, ended: make(chan struct{}), turn: make(chan struct{}, 1)}
	close(m.ended)
	m.fields = newFields(&m.Change)
	m.show(review.NewSession(nil, nil), false)
	p := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out), tea.WithoutSignalHandler())
	m.send = p.Send
	err := review.RunProgram(ctx, p)
	cancel() // ends what searches
	<-m.ended
	if err == nil {
		err = m.err
	}
	return Outcome{Change: m.Change, Session: m.list.Session, Saved: m.saved, Review: m.review}, err
}

// A screen is the state of the screen.
type screen struct {
	Options
	ctx           context.Context
	send          func(tea.Msg)
	width, height int
	fields        *fields
	list          *review.List
	help          bool

	number  int                // of the search
	stop    context.CancelFunc // ends it
	ended   chan struct{}      // closed when it has ended
	turn    chan struct{}      // of the searches of the files on the screen
	drafted *authoring.Drafted // the last rules without a mistake, whose result the list has
	mistake error              // of the current rules
	news    progress           // the last report on the list
	fresh   bool               // the list is of the current search
	early   []*review.File     // files that were on the screen and are not reported again yet
	names   []selection.File   // the files, if there are no rules
	reading map[*review.File]bool

	lines  []string // of the list
	inView []*review.File

	saved  string
	review bool
	err    error
}

// A sampled is the message that a file's changes were read.
type sampled struct {
	file   *review.File
	sample *run.Sample
	err    error
}

// An edited is the message that the editor was closed.
type edited struct{ err error }

// show makes a session the list.
func (m *screen) show(s *review.Session, looking bool) {
	s.Max = maxChanges
	was := m.list
	m.list = review.NewFlow(s, m.Style)
	if was != nil {
		m.list.Continue(was)
	}
	m.list.Looking, m.list.Read, m.reading = looking, m.read, map[*review.File]bool{}
	m.list.SetSize(m.width, m.height)
}

func (m *screen) Init() tea.Cmd { return nil }

func (m *screen) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	cmd := m.update(msg)
	m.layout()
	return m, tea.Batch(cmd, m.readInView())
}

func (m *screen) update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		first := m.width == 0
		m.width, m.height = msg.Width, msg.Height
		m.list.SetSize(m.width, m.height)
		if first {
			m.search()
		}
	case compiled:
		m.compiled(msg)
	case progress:
		m.progress(msg)
	case sampled:
		m.sampled(msg)
	case edited:
		if msg.err != nil {
			m.list.Message = "the editor ended with: " + msg.err.Error()
		}
		m.search()
	case tea.KeyPressMsg:
		return m.press(msg)
	case tea.PasteMsg:
		if cmd, done := m.list.Update(msg); done {
			return cmd
		}
		if m.fields.focus != onList {
			m.changed(m.fields.update(msg))
		}
	default:
		cmd, _ := m.list.Update(msg)
		return cmd
	}
	return nil
}

// press handles a key, wherever the focus is.
func (m *screen) press(key tea.KeyPressMsg) tea.Cmd {
	m.list.Message = ""
	name := key.String()
	switch {
	case name == "ctrl+c":
		m.err = review.ErrInterrupted
		return tea.Quit
	case m.list.Typing():
		cmd, _ := m.list.Update(key)
		return cmd
	case m.help:
		m.help = false
		return nil
	}
	if turn := turns[name]; turn != nil {
		m.changed(turn(m.fields))
		return nil
	}
	switch name {
	case "tab":
		m.fields.move(1)
	case "shift+tab":
		m.fields.move(-1)
	case "ctrl+s":
		return m.keep()
	default:
		if m.fields.focus == onList {
			return m.listKey(name)
		}
		m.fieldKey(key)
	}
	return nil
}

// fieldKey handles a key in a field.
func (m *screen) fieldKey(key tea.KeyPressMsg) {
	switch key.String() {
	case "esc", "enter":
		m.fields.focus = onList
	case "down":
		m.fields.move(1)
	case "up":
		if m.fields.focus > 0 {
			m.fields.move(-1)
		}
	default:
		m.changed(m.fields.update(key))
	}
}

// listKey handles a key in the list.
func (m *screen) listKey(key string) tea.Cmd {
	switch key {
	case "w", "enter":
		return m.goOn()
	case "s":
		return m.keep()
	case "o":
		return m.edit()
	case "?":
		m.help = true
	case "x", "esc":
		return tea.Quit
	default:
		if m.mistake != nil {
			m.list.Message = "these are the changes of the rule before its mistake; mend that first"
			return nil
		}
		if f, _ := m.list.Selected(); f != nil && f.Item.(*item).large() && slices.Contains([]string{"space", " ", "f", "c", "e"}, key) {
			m.list.Message = "this file is large: take or leave its changes in the review"
			return nil
		}
		cmd, done := m.list.Key(key)
		if !done {
			m.list.Message = "press ? for what the keys do"
		}
		return cmd
	}
	return nil
}

// changed starts a search if the change is another one now. What was left out is forgotten.
func (m *screen) changed(is bool) {
	if is {
		m.Change, m.saved = m.fields.change(m.Change), ""
		m.search()
	}
}
