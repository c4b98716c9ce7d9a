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
	"path/filepath"
	"slices"

	tea "charm.land/bubbletea/v2"

	"frizzel/internal/editor"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/selection"
	"frizzel/internal/usecase"
)

// Options are what trying starts from.
type Options struct {
	Draft  *usecase.Draft
	Change usecase.OneOff
	Style  report.Style
	// Save keeps a script under a name, which must be a new one.
	Save func(name string, text []byte) error
}

// An Outcome is how a person left the screen.
type Outcome struct {
	Change  usecase.OneOff
	Drafted *usecase.Drafted // nil if the rules had a mistake, and there was none without
	Session *review.Session  // with the answers given so far
	Saved   string           // the name that this version of the rules was kept under, or ""
	Review  bool             // go on to the review
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
	return Outcome{Change: m.Change, Drafted: m.drafted, Session: m.list.Session, Saved: m.saved, Review: m.review}, err
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
	drafted *usecase.Drafted   // the last rules without a mistake, whose result the list has
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
	m.list = review.NewFlow(s, m.Style)
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

// search ends the search of the version before and starts one of the current version.
func (m *screen) search() {
	m.stop()
	ctx, cancel := context.WithCancel(m.ctx)
	m.number++
	m.stop, m.fresh = cancel, false
	var shown []selection.File
	for _, f := range m.inView {
		shown = append(shown, f.Item.(*item).At)
	}
	if len(m.list.Files) == 0 {
		shown = slices.Clone(m.names[:min(len(m.names), m.height)])
	}
	s := &search{number: m.number, draft: m.Draft, change: m.Change, shown: shown, rows: max(m.height, 10), send: m.send, turn: m.turn, before: m.ended}
	ended := make(chan struct{})
	s.after, m.ended = ended, ended
	go s.do(ctx)
}

// compiled takes over the rules of the search, or shows their mistake. The list stays until something is found.
func (m *screen) compiled(msg compiled) {
	if msg.number != m.number {
		return
	}
	if m.mistake = msg.err; msg.err == nil {
		m.drafted = msg.drafted
	}
}

// progress adds what was found to the list. The first report of a search begins a new list.
func (m *screen) progress(msg progress) {
	if msg.number != m.number || m.mistake != nil {
		return
	}
	if !m.fresh {
		m.fresh, m.early, m.names = true, nil, nil
		looking := m.drafted.What == run.Assertions
		m.show(review.NewSession(nil, m.drafted.Labels), looking)
	}
	m.news = msg
	m.names = append(m.names, msg.names...)
	selected, _ := m.list.Selected()
	place := m.list.Place()
	for _, f := range msg.found {
		m.add(f, msg.first)
	}
	if msg.over {
		m.list.Files = slices.DeleteFunc(m.list.Files, func(f *review.File) bool { return slices.Contains(m.early, f) })
		m.early = nil
	}
	if m.fields.focus == onList {
		m.list.Keep(selected, place)
	}
}

// add adds a file. One that was on the screen is reported first by itself, and then once more with the others, which may
// come before it.
func (m *screen) add(f found, first bool) {
	it := &item{f.Watched, m.ctx}
	if first {
		file := m.list.Add(it)
		file.Install(f.sample.Proposals, f.sample.Count-len(f.sample.Proposals))
		m.early = append(m.early, file)
		return
	}
	for i, e := range m.early {
		if e.Path() != f.At.Path {
			continue
		}
		if !e.Answered() {
			e.Item = it
			if f.sample != nil || !e.Opened() {
				m.install(e, f.sample)
			}
		}
		m.early = slices.Delete(m.early, i, i+1)
		return
	}
	file := m.list.Add(it)
	m.install(file, f.sample)
	if n := len(m.early); n > 0 { // it comes before those that are still to be reported
		files := m.list.Files
		m.list.Files = slices.Insert(files[:len(files)-1], slices.Index(files, m.early[0]), file)
	}
}

// install gives a file its changes, if they were sampled.
func (m *screen) install(f *review.File, s *run.Sample) {
	if s != nil {
		f.Install(s.Proposals, max(s.Count, f.Item.Count())-len(s.Proposals))
	}
}

// read has a file read in the background, for the list.
func (m *screen) read(f *review.File, again bool) error {
	switch {
	case again && f.Answered():
		return f.Reopen()
	case again && !m.reading[f]:
		f.Close()
	}
	return nil
}

// readInView reads the files in view that are not read, and drops the changes of others if there are many.
func (m *screen) readInView() tea.Cmd {
	var cmds []tea.Cmd
	for _, f := range m.inView {
		if f.Opened() || m.reading[f] {
			continue
		}
		m.reading[f] = true
		w := f.Item.(*item).Watched
		cmds = append(cmds, func() tea.Msg {
			s, err := w.Sample(m.ctx, maxChanges)
			return sampled{f, s, err}
		})
	}
	m.drop()
	return tea.Batch(cmds...)
}

// maxOpened is the number of files whose texts may stay in memory.
const maxOpened = 100

// drop closes files out of view if too many are open.
func (m *screen) drop() {
	opened := 0
	for _, f := range m.list.Files {
		if f.Opened() {
			opened++
		}
	}
	for _, f := range m.list.Files {
		if opened > maxOpened && f.Opened() && !f.Answered() && !slices.Contains(m.inView, f) {
			f.Close()
			opened--
		}
	}
}

func (m *screen) sampled(msg sampled) {
	delete(m.reading, msg.file)
	if msg.file.Opened() {
		return
	}
	if msg.err != nil {
		m.list.Message = msg.err.Error()
	}
	if msg.sample == nil { // it changed meanwhile
		msg.file.Install(nil, 0)
		return
	}
	it := msg.file.Item.(*item)
	if msg.sample.Whole || it.Watched.Count < msg.sample.Count {
		it.Watched.Count = msg.sample.Count
	}
	m.install(msg.file, msg.sample)
}

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
	case m.mistake != nil:
		m.list.Message = "the rule has a mistake; mend it first"
	case m.Change.Old == "":
		m.list.Message = "there is nothing to keep yet: say what to look for"
	case m.Change.With == nil:
		m.list.Message = "nothing is replaced yet: say first what replaces it"
	case m.drafted == nil || !m.fresh:
		m.list.Message = "still looking; press it once more"
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
		name += ".friz"
	}
	seen := m.seen()
	text, with := m.drafted.Kept(seen)
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
func (m *screen) seen() *usecase.Seen {
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
		return &usecase.Seen{Name: it.At.Rel, Text: c.Proposal.Text, Edits: c.Edits, At: c.Edits[0]}
	}
	for _, e := range edits { // the change is one of them, unless other rules come before it
		if n := lineOf(file.Text, e.Start); n >= c.Line {
			return &usecase.Seen{Name: it.At.Rel, Text: file.Text, Edits: edits, At: e}
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
