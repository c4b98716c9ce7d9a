package review

import (
	"context"
	"errors"
	"io"
	"os"

	tea "charm.land/bubbletea/v2"

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
	*List
	page     page
	refused  []string // reasons why the accepted changes would not be written
	noted    []string // what else there is to know of them
	scrolled int      // first line of the help in view
	verdict  bool     // write the accepted changes
	err      error
}

// Screen runs a review on the whole screen. It reports whether to write the accepted changes.
func Screen(ctx context.Context, s *Session, in *os.File, out io.Writer, style report.Style) (bool, error) {
	m := &screen{List: NewList(s, style)}
	m.open()
	p := tea.NewProgram(m, tea.WithContext(ctx), tea.WithInput(in), tea.WithOutput(out), tea.WithoutSignalHandler())
	if err := RunProgram(ctx, p); err != nil {
		return false, err
	}
	return m.verdict && m.err == nil, m.err
}

// RunProgram runs a program until it quits. The error is ErrInterrupted if ctx ends.
func RunProgram(ctx context.Context, p *tea.Program) error {
	_, err := p.Run()
	if errors.Is(err, tea.ErrProgramPanic) { // it was shown already
		return errors.New("the screen ended by an error in frizzel; nothing was written")
	}
	if errors.Is(err, tea.ErrProgramKilled) || errors.Is(err, tea.ErrInterrupted) || ctx.Err() != nil {
		return ErrInterrupted
	}
	return err
}

func (m *screen) Init() tea.Cmd { return nil }

func (m *screen) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	key, pressed := msg.(tea.KeyPressMsg)
	if pressed && key.String() == "ctrl+c" {
		m.err = ErrInterrupted
		return m, tea.Quit
	}
	if size, ok := msg.(tea.WindowSizeMsg); ok {
		m.SetSize(size.Width, size.Height)
	}
	if pressed {
		m.Message = ""
	}
	if cmd, done := m.List.Update(msg); done {
		return m, cmd
	}
	if pressed {
		return m, m.key(key.String())
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
	switch key {
	case "enter", "w":
		m.last()
	case "?":
		m.page, m.scrolled = pageHelp, 0
	case "x", "esc":
		m.page = pageLeaving
	default:
		cmd, done := m.Key(key)
		if !done {
			m.Message = "press ? for what the keys do"
		}
		return cmd
	}
	return nil
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
	m.page, m.refused, m.noted = pageLast, nil, nil
	if m.Refused != nil {
		m.refused = m.Refused()
	}
	if m.Noted != nil {
		m.noted = m.Noted()
	}
}
