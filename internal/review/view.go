package review

import (
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"frizzel/core/diff"
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
func (m *screen) rule() string { return m.style.Soft(strings.Repeat("─", m.width)) }

func (m *screen) header() string {
	changes, files, all := m.Count()
	taken := fmt.Sprintf("%d of %s taken, in %s of %d", changes, report.Count(all, "change"), report.Count(files, "file"), len(m.Files))
	left := "Review"
	if room := m.width - report.Width(taken) - 2; room > 10 {
		kind := ""
		if m.current().IsDocument() && room > 40 {
			kind = "  (document)"
		}
		left = "Review  " + cutPath(report.Path(m.current().Path()), room-8-len(kind)) + kind
	}
	gap := max(m.width-report.Width(left)-report.Width(taken), 1)
	return m.style.Strong(left) + strings.Repeat(" ", gap) + taken
}

// keys formats pairs of a key and its action, as many as fit.
func (m *screen) keys(pairs ...string) string {
	var b strings.Builder
	width := 0
	for p := range slices.Chunk(pairs, 2) {
		if width += report.Width(p[0]) + report.Width(p[1]) + 3; width > m.width+2 {
			break
		}
		b.WriteString(m.style.Key(p[0]) + " " + p[1] + "  ")
	}
	return b.String()
}

func (m *screen) changesFooter() string {
	if m.input != nil {
		return m.input.shown(m.input.View())
	}
	if m.message != "" {
		return m.style.Strong(report.Cut(m.message, m.width))
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
		lines[i] = left + m.style.Soft(" │ ") + right
	}
	return lines
}

// box draws whether all, some or none of the changes are accepted.
func box(taken, all int) string {
	switch taken {
	case 0:
		return "[ ]"
	case all:
		return "[x]"
	}
	return "[~]"
}

// files draws the list of files around the selected one.
func (m *screen) files(height int) []string {
	m.top = min(max(m.top, m.file-height+1), m.file)
	var lines []string
	for i := m.top; i < len(m.Files) && len(lines) < height; i++ {
		f := m.Files[i]
		count := fmt.Sprintf("%d/%d", f.Count(), f.All())
		room := listWidth - len(count) - 7
		name := cutPath(report.Path(f.Path()), room)
		state := box(f.Count(), f.All())
		if f.Broken() { // the last page shows the reason
			state = "[!]"
		}
		text := fmt.Sprintf(" %s %s%s %s ", state, name, strings.Repeat(" ", room-report.Width(name)), count)
		if i == m.file {
			text = m.style.Selected(text)
		}
		lines = append(lines, text)
	}
	return lines
}

// cutPath shortens a path at its start, since the end is more specific.
func cutPath(path string, room int) string {
	if report.Width(path) <= room {
		return path
	}
	runes := []rune(path)
	for len(runes) > 0 && report.Width(string(runes))+1 > room {
		runes = runes[1:]
	}
	return "…" + string(runes)
}

// changes draws the changes around the selected one, which is completely in view.
func (m *screen) changes(width, height int) []string {
	f := m.current()
	if len(f.Changes) == 0 {
		return []string{m.style.Soft("no changes are left in this file")}
	}
	// Go back from the selected change while it stays in view, up to a third of the screen.
	block := m.card(m.change, width)
	first, above := m.change, 0
	var before [][]string
	for first > 0 {
		b := m.card(first-1, width)
		if above+len(b) > height/3 && above+len(b)+len(block) > height || above+len(b) > height/2 {
			break
		}
		above += len(b)
		before = append(before, b)
		first--
	}
	var lines []string
	for _, b := range slices.Backward(before) {
		lines = append(lines, b...)
	}
	lines = append(lines, block...)
	for i := m.change + 1; i < len(f.Changes) && len(lines) < height; i++ {
		lines = append(lines, m.card(i, width)...)
	}
	return lines[:min(len(lines), height)]
}

// card draws a change: whether it is accepted, its place, its rule, the old and the new lines.
func (m *screen) card(i, width int) []string {
	f := m.current()
	c := &f.Changes[i]
	state := "[x]"
	if c.Left || f.left {
		state = "[ ]"
	}
	head := fmt.Sprintf("%s %d/%d  line %d", state, i+1, len(f.Changes), c.Line)
	if rule := m.ruleOf(c.Proposal); rule != "" {
		head += "  " + rule
	}
	if value := f.Value(c); value != "" {
		head += "  " + terminal.Visible([]byte(value))
	}
	if c.Left || f.left {
		head += "  left out"
	}
	head = report.Cut(" "+head, width)
	if i == m.change {
		head = m.style.Selected(head + strings.Repeat(" ", max(width-report.Width(head), 0)))
	} else {
		head = m.style.Strong(head)
	}
	lines := []string{head}
	for _, h := range diff.Hunks(c.Proposal.Text, c.Edits, m.context) {
		for _, l := range m.style.Lines(h, width-2, c.Left || f.left) {
			lines = append(lines, "  "+l)
		}
		if len(lines) > 2*m.height { // more than fits on the screen
			break
		}
	}
	return append(lines, "")
}

// helpLines returns the lines of the help.
func (m *screen) helpLines() []string {
	lines := []string{m.style.Strong(" What the keys do"), ""}
	for _, b := range bindings {
		if b.shown != "" {
			lines = append(lines, fmt.Sprintf("  %s%s  %s", strings.Repeat(" ", max(10-report.Width(b.shown), 0)), m.style.Key(b.shown), b.help))
		}
	}
	return append(lines,
		fmt.Sprintf("  %s%s  %s", "    ", m.style.Key("Ctrl-C"), "break off; nothing is written"),
		"", "  Nothing is written before the last page says so.",
		"  What is left out is left out for the rules that come after it.")
}

// lastPage draws the summary of the changes to write.
func (m *screen) lastPage() []string {
	changes, files, all := m.Count()
	if len(m.refused) > 0 {
		lines := []string{"", m.style.Strong("  Nothing can be written, since this does not hold:"), ""}
		for _, r := range m.refused {
			for line := range strings.SplitSeq(ansi.Wrap(terminal.Visible([]byte(r)), m.width-4, " "), "\n") {
				lines = append(lines, "  "+line)
			}
		}
		return lines
	}
	lines := []string{"", m.style.Strong(fmt.Sprintf("  %s in %s will be written.", report.Count(changes, "change"), report.Count(files, "file")))}
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
		lines = append(lines, fmt.Sprintf("  %9s  %s", count, report.Cut(report.Path(f.Path()), m.width-14)))
	}
	if skipped > 0 {
		lines = append(lines, m.style.Soft(fmt.Sprintf("             and %s more", report.Count(skipped, "file"))))
	}
	return lines
}

func (m *screen) leavingPage() []string {
	changes, _, _ := m.Count()
	return []string{"", m.style.Strong("  Leave without writing?"), "",
		fmt.Sprintf("  %s taken so far would not be written. The files are as they were.", report.Count(changes, "change"))}
}
