package review

import (
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"frizzel/internal/report"
	"frizzel/internal/terminal"
)

// listWidth is the width in columns of the list of files. Narrow screens do not show the list.
const listWidth = 34

// View draws the screen.
func (m *screen) View() tea.View {
	v := tea.NewView(m.text())
	v.AltScreen = true
	return v
}

func (m *screen) text() string {
	if m.width < MinWidth || m.height < MinHeight {
		return fmt.Sprintf("The review needs %d columns and %d lines.\nEnlarge the window, or press Ctrl-C to leave; nothing is written.", MinWidth, MinHeight)
	}
	var body []string
	footer := ""
	switch m.page {
	case pageHelp:
		body, footer = m.helpLines(), m.keys("any key", "back")
		if len(body) > m.height-4 {
			body, footer = body[m.scrolled:], m.keys("↓↑", "more", "any other key", "back")
		}
	case pageLast:
		body, footer = m.lastPage(), m.keys("w", "write", "b", "back to the changes", "x", "leave without writing")
		if len(m.refused) > 0 {
			footer = m.keys("b", "back to the changes", "x", "leave without writing")
		}
	case pageLeaving:
		body, footer = m.leavingPage(), m.keys("y", "yes, leave", "n", "no, back")
	default:
		body, footer = m.changesPage(), m.changesFooter()
	}
	lines := append([]string{m.header(), m.rule()}, body...)
	for len(lines) < m.height-2 {
		lines = append(lines, "")
	}
	lines = append(lines[:m.height-2], m.rule())
	shown := terminal.Render(strings.Join(lines, "\n")) + "\n"
	if m.input != nil && m.page == pageChanges { // the input draws itself
		return shown + footer
	}
	return shown + terminal.Render(footer)
}

// rule returns a line across the screen.
func (m *screen) rule() string { return m.Style.Soft(strings.Repeat("─", m.width)) }

func (m *screen) header() string {
	changes, files, all := m.Count()
	taken := fmt.Sprintf("%d of %s taken, in %s of %d", changes, report.Count(all, "change"), report.Count(files, "file"), len(m.Files))
	left := "Review"
	if room := m.width - report.Width(taken) - 2; room > 10 {
		kind := ""
		if m.current().IsDocument() && room > 40 {
			kind = "  (document)"
		}
		f := m.current()
		left = "Review  " + cutPath(report.Moved(f.Path(), f.NewPath()), room-8-len(kind)) + kind
	}
	gap := max(m.width-report.Width(left)-report.Width(taken), 1)
	return m.Style.Strong(left) + strings.Repeat(" ", gap) + taken
}

// keys formats pairs of a key and its action, as many as fit.
func (m *screen) keys(pairs ...string) string { return m.Keys(m.width, pairs...) }

// Keys formats pairs of a key and its action, as many as fit into width columns.
func (l *List) Keys(width int, pairs ...string) string {
	var b strings.Builder
	used := 0
	for p := range slices.Chunk(pairs, 2) {
		if used += report.Width(p[0]) + report.Width(p[1]) + 3; used > width+2 {
			break
		}
		b.WriteString(l.Style.Key(p[0]) + " " + p[1] + "  ")
	}
	return b.String()
}

func (m *screen) changesFooter() string {
	if m.input != nil {
		return m.Input()
	}
	if m.Message != "" {
		return m.Style.Strong(report.Cut(m.Message, m.width))
	}
	verb := "take"
	if c := m.selected(); c != nil && !c.Left {
		verb = "leave"
	}
	return m.keys("space", verb+" it", "w", "write…", "?", "help", "x", "exit", "f", "its file", "r", "its rule", "a", "all",
		"↑↓", "move", "←→", "files", "c", "reword", "e", "edit", "+-", "context", "/", "look")
}

// changesPage draws the changes of the selected file, and the list of files if there is room.
func (m *screen) changesPage() []string {
	height := m.height - 4
	if m.width < 3*listWidth {
		return m.changes(m.width, height)
	}
	list, changes := m.files(height), m.changes(m.width-listWidth-3, height)
	lines := make([]string, height)
	for i := range lines {
		left, right := strings.Repeat(" ", listWidth), ""
		if i < len(list) {
			left = list[i]
		}
		if i < len(changes) {
			right = changes[i]
		}
		lines[i] = left + m.Style.Soft(" │ ") + right
	}
	return lines
}

// helpLines returns the lines of the help.
func (m *screen) helpLines() []string {
	lines := []string{m.Style.Strong(" What the keys do"), ""}
	lines = append(lines, m.Help()...)
	for _, k := range [][2]string{
		{"w", "go on to the last page, then write"}, {"?", "this help"}, {"x", "leave without writing"}, {"Ctrl-C", "break off; nothing is written"},
	} {
		lines = append(lines, HelpLine(m.Style, k[0], k[1]))
	}
	return append(lines,
		"", "  Nothing is written before the last page says so.",
		"  What is left out is left out for the rules that come after it.")
}

// lastPage draws the summary of the changes to write.
func (m *screen) lastPage() []string {
	changes, files, all := m.Count()
	if len(m.refused) > 0 {
		lines := []string{"", m.Style.Strong("  Nothing can be written, since this does not hold:"), ""}
		for _, r := range m.refused {
			lines = append(lines, m.wrapped(r)...)
		}
		return lines
	}
	lines := []string{"", m.Style.Strong(fmt.Sprintf("  %s in %s will be written.", report.Count(changes, "change"), report.Count(files, "file")))}
	if left := all - changes; left > 0 {
		lines = append(lines, fmt.Sprintf("  %s left out.", report.Count(left, "change")))
	}
	if changes == 0 {
		return append(lines, "", "  Nothing is taken, so nothing is written.")
	}
	moved := 0
	for _, f := range m.Files {
		if f.Moved() && f.Count() > 0 {
			moved++
		}
	}
	if moved > 0 {
		lines = append(lines, fmt.Sprintf("  %s changed on disk meanwhile; the changes are those to what is there now.", report.Count(moved, "file")))
	}
	lines = append(lines, "  The old contents are kept; frizzel undo puts them back.", "")
	for _, n := range m.noted[:min(len(m.noted), maxNoted)] {
		lines = append(lines, m.wrapped("note: "+n)...)
	}
	room := m.height - 4 - len(lines)
	var skipped int
	for _, f := range m.Files {
		if f.Count() == 0 {
			continue
		}
		if room--; room < 2 {
			skipped++
			continue
		}
		count := fmt.Sprintf("%d/%d", f.Count(), f.All())
		lines = append(lines, fmt.Sprintf("  %9s  %s", count, report.Cut(report.Moved(f.Path(), f.NewPath()), m.width-14)))
	}
	if skipped > 0 {
		lines = append(lines, m.Style.Soft(fmt.Sprintf("             and %s more", report.Count(skipped, "file"))))
	}
	return lines
}

// maxNoted is the number of notes on the last page.
const maxNoted = 3

// wrapped returns a text as lines of the page.
func (m *screen) wrapped(text string) (lines []string) {
	for line := range strings.SplitSeq(ansi.Wrap(terminal.Visible([]byte(text)), m.width-4, " "), "\n") {
		lines = append(lines, "  "+line)
	}
	return lines
}

func (m *screen) leavingPage() []string {
	changes, _, _ := m.Count()
	return []string{"", m.Style.Strong("  Leave without writing?"), "",
		fmt.Sprintf("  %s taken so far would not be written. The files are as they were.", report.Count(changes, "change"))}
}
