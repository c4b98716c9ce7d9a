package review

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"

	"frizzel/core/program"
	"frizzel/internal/report"
)

// The minimum size of the screen, in columns and rows.
const (
	MinWidth  = 60
	MinHeight = 15
)

// A page is one of the views of the screen.
type page int

const (
	pageChanges page = iota
	pageHelp
	pageLast    // summary of the changes to write
	pageLeaving // confirmation to leave without writing
)

// A screen is a review on the whole screen.
type screen struct {
	*Session
	style         report.Style
	width, height int
	page          page
	refused       []string // reasons why the accepted changes would not be written
	scrolled      int      // first line of the help in view
	file          int      // the selected file
	change        int      // the selected change in it
	top           int      // the first file in view in the list
	context       int      // number of context lines
	input         *input
	found         string // the last search text
	message       string
	verdict       bool // write the accepted changes
	err           error
}

// An input is a line being typed.
type input struct {
	textinput.Model
	typed
	done func(text string) tea.Cmd
}

// Screen runs a review on the whole screen. It reports whether to write the accepted changes.
func Screen(ctx context.Context, s *Session, in *os.File, out io.Writer, style report.Style) (bool, error) {
	m := &screen{Session: s, style: style, context: 1}
	m.open()
	p := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out), tea.WithoutSignalHandler())
	_, err := p.Run()
	switch {
	case errors.Is(err, tea.ErrProgramKilled), errors.Is(err, tea.ErrInterrupted), ctx.Err() != nil:
		return false, ErrInterrupted
	case err == nil:
		err = m.err
	}
	return m.verdict && err == nil, err
}

func (m *screen) Init() tea.Cmd { return nil }

// A written is the message that the editor has exited.
type written struct {
	file string
	err  error
}

func (m *screen) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case written:
		m.edited(msg)
	case tea.KeyPressMsg:
		if msg.String() == "ctrl+c" {
			m.err = ErrInterrupted
			return m, tea.Quit
		}
		m.message = ""
		if m.input != nil {
			return m, m.write(msg)
		}
		return m, m.key(msg.String())
	}
	return m, nil
}

// key handles a key on the current page.
func (m *screen) key(key string) tea.Cmd {
	switch m.page {
	case pageHelp:
		m.help(key)
		return nil
	case pageLast:
		switch key {
		case "w":
			if len(m.refused) == 0 {
				m.verdict = true
				return tea.Quit
			}
		case "b", "esc":
			m.page = pageChanges
		case "x":
			m.page = pageLeaving
		}
		return nil
	case pageLeaving:
		switch key {
		case "y":
			m.err = ErrDeclined
			return tea.Quit
		case "n", "b", "esc":
			m.page = pageChanges
		}
		return nil
	}
	for _, b := range bindings {
		for _, k := range b.keys {
			if k == key {
				return b.do(m)
			}
		}
	}
	m.message = "press ? for what the keys do"
	return nil
}

// A binding is keys and their action on the page of changes.
type binding struct {
	keys  []string
	shown string // the key's name in the help
	help  string
	do    func(*screen) tea.Cmd
}

var bindings []binding

func init() { // breaks the cycle: the help shows the bindings, and one of them opens the help
	moved := func(act func(*screen)) func(*screen) tea.Cmd {
		return func(m *screen) tea.Cmd { act(m); return nil }
	}
	bindings = []binding{
		{[]string{"down"}, "↓ ↑", "the next change, the one before", moved(func(m *screen) { m.move(1) })},
		{[]string{"up"}, "", "", moved(func(m *screen) { m.move(-1) })},
		{[]string{"right", "tab"}, "→ ←", "the next file, the one before", moved(func(m *screen) { m.moveFile(1) })},
		{[]string{"left", "shift+tab"}, "", "", moved(func(m *screen) { m.moveFile(-1) })},
		{[]string{"pgdown"}, "PgDn PgUp", "ten changes on, ten back", moved(func(m *screen) { m.move(10) })},
		{[]string{"pgup"}, "", "", moved(func(m *screen) { m.move(-10) })},
		{[]string{"home"}, "Home End", "the file's first change, its last", moved(func(m *screen) { m.change = 0 })},
		{[]string{"end"}, "", "", moved(func(m *screen) { m.change = max(len(m.current().Changes)-1, 0) })},
		{[]string{"space", " "}, "space", "take this change, or leave it", moved((*screen).toggle)},
		{[]string{"f"}, "f", "take all of this file, or leave it", moved((*screen).toggleFile)},
		{[]string{"r"}, "r", "take this rule's changes in every file, or leave them", moved((*screen).toggleRule)},
		{[]string{"a"}, "a", "take all changes, or leave all", moved((*screen).toggleAll)},
		{[]string{"c"}, "c", "write another replacement for this change", (*screen).editChange},
		{[]string{"e"}, "e", "open what this file would be in your editor", (*screen).editFile},
		{[]string{"+", "="}, "+ -", "more lines around the changes, or fewer", moved(func(m *screen) { m.context = min(m.context+2, 21) })},
		{[]string{"-"}, "", "", moved(func(m *screen) { m.context = max(m.context-2, 1) })},
		{[]string{"/"}, "/", "look for a text in the changes, and again", (*screen).search},
		{[]string{"enter", "w"}, "w", "go on to the last page, then write", moved((*screen).last)},
		{[]string{"?"}, "?", "this help", moved(func(m *screen) { m.page, m.scrolled = pageHelp, 0 })},
		{[]string{"x", "esc"}, "x", "leave without writing", moved(func(m *screen) { m.page = pageLeaving })},
	}
}

// help scrolls the help, if it is longer than the screen, or closes it.
func (m *screen) help(key string) {
	switch key {
	case "down", "pgdown":
		m.scrolled = min(m.scrolled+1, max(len(m.helpLines())-(m.height-4), 0))
	case "up", "pgup":
		m.scrolled = max(m.scrolled-1, 0)
	default:
		m.page = pageChanges
	}
}

// last opens the last page.
func (m *screen) last() {
	m.page, m.refused = pageLast, nil
	if m.Refused != nil {
		m.refused = m.Refused()
	}
}

func (m *screen) current() *File { return m.Files[m.file] }

// selected returns the selected change, or nil if the file has none.
func (m *screen) selected() *Change {
	f := m.current()
	if m.change < 0 || m.change >= len(f.Changes) {
		return nil
	}
	return &f.Changes[m.change]
}

// open reads the selected file's changes.
func (m *screen) open() {
	if err := m.current().Open(); err != nil {
		m.message = err.Error()
	}
	if m.current().Moved() {
		m.message = "this file has changed on disk since it was read; these are the changes to what it holds now"
	}
	m.change = min(m.change, max(len(m.current().Changes)-1, 0))
}

// answered shows err, and moves the selection into range after an answer.
func (m *screen) answered(err error) {
	if err != nil {
		m.message = err.Error()
	}
	m.open()
}

func (m *screen) move(by int) {
	to := m.change + by
	last := len(m.current().Changes) - 1
	switch {
	case to > last && m.change == last && m.file+1 < len(m.Files):
		m.moveFile(1)
	case to < 0 && m.change == 0 && m.file > 0:
		m.moveFile(-1)
		m.change = max(len(m.current().Changes)-1, 0)
	default:
		m.change = min(max(to, 0), max(last, 0))
	}
}

func (m *screen) moveFile(by int) {
	to := min(max(m.file+by, 0), len(m.Files)-1)
	if to != m.file {
		m.file, m.change = to, 0
		m.answered(m.current().Reopen())
	}
}

func (m *screen) toggle() {
	c := m.selected()
	switch {
	case c == nil:
	default:
		m.answered(m.current().Answer(c.Key, !c.Left))
	}
}

func (m *screen) toggleFile() { m.answered(m.current().Leave(m.current().Count() > 0)) }

func (m *screen) toggleRule() {
	if c := m.selected(); c != nil {
		m.answered(m.LeaveRule(c.Rule, !c.Left))
	}
}

func (m *screen) toggleAll() {
	changes, _, _ := m.Count()
	m.answered(m.LeaveAll(changes > 0))
}

// ask opens a line of input. done is called with the text.
func (m *screen) ask(prompt, text string, done func(string) tea.Cmd) tea.Cmd {
	in := textinput.New()
	in.Prompt = prompt
	var held typed
	in.SetValue(held.line(text))
	in.SetWidth(max(m.width-len(prompt)-2, 10))
	m.input = &input{in, held, done}
	return m.input.Focus()
}

// write handles a key in the line of input.
func (m *screen) write(msg tea.KeyPressMsg) tea.Cmd {
	switch msg.String() {
	case "esc":
		m.input = nil
		return nil
	case "enter":
		in := m.input
		m.input = nil
		return in.done(in.text(in.Value()))
	}
	var cmd tea.Cmd
	m.input.Model, cmd = m.input.Model.Update(msg)
	return cmd
}

func (m *screen) editChange() tea.Cmd {
	c := m.selected()
	if c == nil {
		return nil
	}
	text, ok := c.Text()
	if !ok {
		m.message = "this change is not a single piece of one line; e opens the whole file in your editor"
		return nil
	}
	key := c.Key
	return m.ask("write instead: ", text, func(fresh string) tea.Cmd {
		m.answered(m.current().Edit(key, []byte(fresh)))
		return nil
	})
}

func (m *screen) search() tea.Cmd {
	return m.ask("look for: ", m.found, func(text string) tea.Cmd {
		if m.found = text; text != "" {
			m.lookFor(strings.ToLower(text))
		}
		return nil
	})
}

// lookFor selects the next change whose old or new text, or file path, contains text.
func (m *screen) lookFor(text string) {
	for n := range m.Files {
		i := (m.file + n) % len(m.Files)
		f := m.Files[i]
		if err := f.Open(); err != nil {
			continue
		}
		for at := range f.Changes {
			if n == 0 && at <= m.change {
				continue
			}
			if strings.Contains(strings.ToLower(f.Path()+" "+wordsOf(&f.Changes[at])), text) {
				m.file, m.change = i, at
				return
			}
		}
	}
	m.message = fmt.Sprintf("no change further on holds %q", text)
}

// wordsOf returns the texts of a change to search: the new text and the old lines.
func wordsOf(c *Change) string {
	const near = 1000 // bytes to each side on a very long line
	var b strings.Builder
	text := c.Proposal.Text
	for _, e := range c.Edits {
		from, to := max(e.Start-near, 0), min(e.End+near, len(text))
		from += bytes.LastIndexByte(text[from:e.Start], '\n') + 1
		if n := bytes.IndexByte(text[e.End:to], '\n'); n >= 0 {
			to = e.End + n
		}
		b.Write(text[from:to])
		b.WriteByte(' ')
		b.Write(e.New)
		b.WriteByte(' ')
	}
	return b.String()
}

// editFile opens the proposed content of the file in the person's editor.
func (m *screen) editFile() tea.Cmd {
	text, err := m.current().Proposed()
	if err != nil {
		m.message = err.Error()
		return nil
	}
	path, err := forEditor(text)
	if err != nil {
		m.message = err.Error()
		return nil
	}
	editor := os.Getenv("VISUAL")
	if editor == "" {
		editor = os.Getenv("EDITOR")
	}
	if editor == "" {
		editor = "vi"
	}
	words := append(strings.Fields(editor), path)
	return tea.ExecProcess(exec.Command(words[0], words[1:]...), func(err error) tea.Msg { return written{path, err} })
}

// forEditor writes a text to a file in a directory of its own, where nobody else can put another one in its place.
func forEditor(text []byte) (path string, err error) {
	dir, err := os.MkdirTemp("", "frizzel-")
	if err != nil {
		return "", err
	}
	path = filepath.Join(dir, "text.txt")
	return path, os.WriteFile(path, text, 0o600)
}

// edited reads the content that the editor saved.
func (m *screen) edited(w written) {
	defer os.RemoveAll(filepath.Dir(w.file))
	if w.err != nil {
		m.message = "the editor ended with: " + w.err.Error()
		return
	}
	text, err := os.ReadFile(w.file)
	if err == nil {
		err = m.current().Write(text)
	}
	m.answered(err)
}

// ruleOf returns the label of a change's rule.
func (m *screen) ruleOf(p program.Proposal) string {
	if p.Rule < 0 {
		return "edited by hand"
	}
	return m.Rules[p.Rule]
}
