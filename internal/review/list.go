package review

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"charm.land/bubbles/v2/textinput"
	tea "charm.land/bubbletea/v2"

	"frizzel/core/program"
	"frizzel/internal/editor"
	"frizzel/internal/report"
	"frizzel/internal/terminal"
)

// A List is the files of a session with their changes, one of them selected. It draws them, and does what the keys for
// moving and answering say.
type List struct {
	*Session
	Style   report.Style
	Message string // about the last key
	// Looking means that nothing is replaced yet: the changes are matches, which are neither taken nor left.
	Looking bool
	// Read, if it is not nil, replaces the reading of a file that comes into view. again says that it was read before.
	Read func(f *File, again bool) error

	width, height int
	file          int // the selected file
	change        int // the selected change in it
	top           int // the first file in view in the list of files
	context       int // number of context lines
	least         int // the fewest of them
	input         *input
	found         string // the last search text
}

// NewList returns a list of a session's files.
func NewList(s *Session, style report.Style) *List {
	return &List{Session: s, Style: style, context: 1, least: 1}
}

// SetSize sets the size of the screen in columns and rows.
func (l *List) SetSize(width, height int) { l.width, l.height = width, height }

// A Binding is keys and what they do to a list.
type Binding struct {
	keys  []string
	shown string // the key's name in the help; "" if the binding before tells
	help  string
	do    func(*List) tea.Cmd
	// answers means that it answers a change.
	answers bool
}

var bindings = []Binding{
	{[]string{"down"}, "↓ ↑", "the next change, the one before", moved(func(l *List) { l.move(1) }), false},
	{[]string{"up"}, "", "", moved(func(l *List) { l.move(-1) }), false},
	{[]string{"right", "tab"}, "→ ←", "the next file, the one before", moved(func(l *List) { l.moveFile(1) }), false},
	{[]string{"left", "shift+tab"}, "", "", moved(func(l *List) { l.moveFile(-1) }), false},
	{[]string{"pgdown"}, "PgDn PgUp", "ten changes on, ten back", moved(func(l *List) { l.move(10) }), false},
	{[]string{"pgup"}, "", "", moved(func(l *List) { l.move(-10) }), false},
	{[]string{"home"}, "Home End", "the file's first change, its last", moved(func(l *List) { l.change = 0 }), false},
	{[]string{"end"}, "", "", moved(func(l *List) { l.change = max(len(l.current().Changes)-1, 0) }), false},
	{[]string{"space", " "}, "space", "take this change, or leave it", moved((*List).toggle), true},
	{[]string{"f"}, "f", "take all of this file, or leave it", moved((*List).toggleFile), true},
	{[]string{"r"}, "r", "take this rule's changes in every file, or leave them", moved((*List).toggleRule), true},
	{[]string{"a"}, "a", "take all changes, or leave all", moved((*List).toggleAll), true},
	{[]string{"c"}, "c", "write another replacement for this change", (*List).editChange, true},
	{[]string{"e"}, "e", "open what this file would be in your editor", (*List).editFile, true},
	{[]string{"+", "="}, "+ -", "more lines around the changes, or fewer", moved(func(l *List) { l.context = min(l.context+2, 21) }), false},
	{[]string{"-"}, "", "", moved(func(l *List) { l.context = max(l.context-2, l.least) }), false},
	{[]string{"/"}, "/", "look for a text in the changes, and again", (*List).search, false},
}

func moved(act func(*List)) func(*List) tea.Cmd {
	return func(l *List) tea.Cmd { act(l); return nil }
}

// Input draws the line that is being typed.
func (l *List) Input() string { return l.input.Shown(l.input.View()) }

// Key does what a key says. It reports false if the list has no such key.
func (l *List) Key(key string) (tea.Cmd, bool) {
	for _, b := range bindings {
		if slices.Contains(b.keys, key) {
			switch {
			case len(l.Files) == 0:
				return nil, true
			case b.answers && l.Looking:
				l.Message = "nothing is replaced yet: say first what replaces it"
				return nil, true
			}
			return b.do(l), true
		}
	}
	return nil, false
}

// Help returns a line for each key of the list.
func (l *List) Help() (lines []string) {
	for _, b := range bindings {
		if b.shown != "" {
			lines = append(lines, HelpLine(l.Style, b.shown, b.help))
		}
	}
	return lines
}

// HelpLine returns a line of help about a key.
func HelpLine(style report.Style, key, help string) string {
	return fmt.Sprintf("  %s%s  %s", strings.Repeat(" ", max(10-report.Width(key), 0)), style.Key(key), help)
}

// An input is a line being typed.
type input struct {
	textinput.Model
	terminal.Typed
	done func(text string) tea.Cmd
}

// A written is the message that the editor has exited.
type written struct {
	file string
	err  error
}

// Typing reports whether a line is being typed.
func (l *List) Typing() bool { return l.input != nil }

// Update handles the messages of the list's own: those of an editor, and the keys of a line being typed. It reports
// false for any other message.
func (l *List) Update(msg tea.Msg) (tea.Cmd, bool) {
	switch msg := msg.(type) {
	case written:
		l.edited(msg)
		return nil, true
	case tea.KeyPressMsg:
		if l.input != nil {
			return l.write(msg), true
		}
	case tea.PasteMsg:
		if l.input != nil {
			var cmd tea.Cmd
			l.input.Model, cmd = l.input.Model.Update(msg)
			return cmd, true
		}
	}
	return nil, false
}

func (l *List) current() *File { return l.Files[l.file] }

// selected returns the selected change, or nil if the file has none.
func (l *List) selected() *Change {
	f := l.current()
	if l.change < 0 || l.change >= len(f.Changes) {
		return nil
	}
	return &f.Changes[l.change]
}

// open reads the selected file's changes.
func (l *List) open() {
	if err := l.read(l.current(), false); err != nil {
		l.Message = err.Error()
	}
	if l.current().Moved() {
		l.Message = "this file has changed on disk since it was read; these are the changes to what it holds now"
	}
	l.change = min(l.change, max(len(l.current().Changes)-1, 0))
}

func (l *List) read(f *File, again bool) error {
	switch {
	case l.Read != nil:
		return l.Read(f, again)
	case again:
		return f.Reopen()
	}
	return f.Open()
}

// answered shows err, and moves the selection into range after an answer.
func (l *List) answered(err error) {
	if err != nil {
		l.Message = err.Error()
	}
	l.open()
}

func (l *List) move(by int) {
	to := l.change + by
	last := len(l.current().Changes) - 1
	switch {
	case to > last && l.change == last && l.file+1 < len(l.Files):
		l.moveFile(1)
	case to < 0 && l.change == 0 && l.file > 0:
		l.moveFile(-1)
		l.change = max(len(l.current().Changes)-1, 0)
	default:
		l.change = min(max(to, 0), max(last, 0))
	}
}

func (l *List) moveFile(by int) {
	to := min(max(l.file+by, 0), len(l.Files)-1)
	if to != l.file {
		l.file, l.change = to, 0
		l.answered(l.read(l.current(), true))
	}
}

func (l *List) toggle() {
	c := l.selected()
	switch {
	case c == nil:
	default:
		l.answered(l.current().Answer(c.Key, !c.Left))
	}
}

func (l *List) toggleFile() { l.answered(l.current().Leave(l.current().Count() > 0)) }

func (l *List) toggleRule() {
	if c := l.selected(); c != nil {
		l.answered(l.LeaveRule(c.Rule, !c.Left))
	}
}

func (l *List) toggleAll() {
	changes, _, _ := l.Count()
	l.answered(l.LeaveAll(changes > 0))
}

// Ask opens a line of input. done is called with the text.
func (l *List) Ask(prompt, text string, done func(string) tea.Cmd) tea.Cmd {
	in := textinput.New()
	in.Prompt = prompt
	var held terminal.Typed
	in.SetValue(held.Line(text))
	in.SetWidth(max(l.width-len(prompt)-2, 10))
	l.input = &input{in, held, done}
	return l.input.Focus()
}

// write handles a key in the line of input.
func (l *List) write(msg tea.KeyPressMsg) tea.Cmd {
	switch msg.String() {
	case "esc":
		l.input = nil
		return nil
	case "enter":
		in := l.input
		l.input = nil
		return in.done(in.Text(in.Value()))
	}
	var cmd tea.Cmd
	l.input.Model, cmd = l.input.Model.Update(msg)
	return cmd
}

func (l *List) editChange() tea.Cmd {
	c := l.selected()
	if c == nil {
		return nil
	}
	text, ok := c.Text()
	if !ok {
		l.Message = "this change is not a single piece of one line; e opens the whole file in your editor"
		return nil
	}
	key := c.Key
	return l.Ask("write instead: ", text, func(fresh string) tea.Cmd {
		l.answered(l.current().Edit(key, []byte(fresh)))
		return nil
	})
}

func (l *List) search() tea.Cmd {
	return l.Ask("look for: ", l.found, func(text string) tea.Cmd {
		if l.found = text; text != "" {
			l.lookFor(strings.ToLower(text))
		}
		return nil
	})
}

// lookFor selects the next change whose old or new text, or file path, contains text.
func (l *List) lookFor(text string) {
	for n := range l.Files {
		i := (l.file + n) % len(l.Files)
		f := l.Files[i]
		if err := f.Open(); err != nil {
			continue
		}
		for at := range f.Changes {
			if n == 0 && at <= l.change {
				continue
			}
			if strings.Contains(strings.ToLower(f.Path()+" "+wordsOf(&f.Changes[at])), text) {
				l.file, l.change = i, at
				return
			}
		}
	}
	l.Message = fmt.Sprintf("no change further on holds %q", text)
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
func (l *List) editFile() tea.Cmd {
	text, err := l.current().Proposed()
	if err != nil {
		l.Message = err.Error()
		return nil
	}
	path, err := forEditor(text)
	if err != nil {
		l.Message = err.Error()
		return nil
	}
	return tea.ExecProcess(editor.Open(path, 0), func(err error) tea.Msg { return written{path, err} })
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
func (l *List) edited(w written) {
	defer os.RemoveAll(filepath.Dir(w.file))
	if w.err != nil {
		l.Message = "the editor ended with: " + w.err.Error()
		return
	}
	text, err := os.ReadFile(w.file)
	if err == nil {
		err = l.current().Write(text)
	}
	l.answered(err)
}

// ruleOf returns the label of a change's rule.
func (l *List) ruleOf(p program.Proposal) string {
	if p.Rule < 0 {
		return "edited by hand"
	}
	return l.Rules[p.Rule]
}
