package try

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"frizzel/core/script"
	"frizzel/internal/oneoff"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/terminal"
)

// The minimum size of the screen, in columns and rows.
const (
	MinWidth  = 40
	MinHeight = 12
)

// labelWidth is the width in columns of the names of fields.
const labelWidth = 14

// maxOthers is the number of lines of other rules that are shown.
const maxOthers = 4

// layout draws the list and notes which files are in view.
func (m *screen) layout() {
	m.lines, m.inView = nil, nil
	if m.width < MinWidth || m.height < MinHeight {
		return
	}
	room := m.height - len(m.form()) - 4
	m.lines, m.inView = m.list.Flow(m.width, room)
	if more := m.news.files - len(m.list.Files); more > 0 && m.news.over && len(m.lines) > 0 && len(m.lines)+1 < room {
		m.lines = append(m.lines, "", m.Style.Soft(" and "+report.Count(more, "more file")+", which the review shows"))
	}
	if m.mistake != nil { // it stays, faint
		was := m.list.Style
		m.list.Style = report.Style{}
		m.lines, _ = m.list.Flow(m.width, room)
		m.list.Style = was
		for i, l := range m.lines {
			m.lines[i] = m.Style.Soft(l)
		}
	}
	if len(m.list.Files) == 0 {
		m.lines = m.empty(room)
	}
}

// View draws the screen.
func (m *screen) View() tea.View {
	v := tea.NewView("")
	v.AltScreen = true
	if m.width < MinWidth || m.height < MinHeight {
		v.SetContent(fmt.Sprintf("This needs %d columns and %d lines.\nEnlarge the window, or press Ctrl-C\nto leave; nothing is written.", MinWidth, MinHeight))
		return v
	}
	line := m.Style.Soft(strings.Repeat("─", m.width))
	form := m.form()
	lines := slices.Concat([]string{m.header()}, form, []string{line}, m.lines)
	if m.help {
		lines = append([]string{m.Style.Strong(" What the keys do"), line}, m.helpLines()...)
	}
	for len(lines) < m.height-2 {
		lines = append(lines, "")
	}
	lines = append(lines[:m.height-2], line)
	shown := terminal.Render(strings.Join(lines, "\n")) + "\n"
	if m.list.Typing() { // it draws itself
		v.SetContent(shown + m.list.Input())
		return v
	}
	v.SetContent(shown + terminal.Render(m.footer()))
	if m.fields.focus != onList && !m.help {
		_, x := m.input(m.fields.focus)
		v.Cursor = tea.NewCursor(labelWidth+1+x, m.rowOf(m.fields.focus))
	}
	return v
}

// rowOf returns the row of a field.
func (m *screen) rowOf(field int) int {
	row := 1 + field
	if at, _ := m.wrong(); at >= 0 && at < field {
		row++
	}
	return row
}

// header draws the counts, of what is found so far.
func (m *screen) header() string {
	left, right := "Try a rule", m.counts()
	gap := m.width - report.Width(left) - report.Width(right) - 2
	if gap < 1 {
		return " " + report.Cut(right, m.width-2)
	}
	return " " + m.Style.Strong(left) + strings.Repeat(" ", gap) + right
}

func (m *screen) counts() string {
	n := m.news
	more := ""
	if !m.fresh || !n.over {
		more = "…"
	}
	switch {
	case m.mistake != nil:
		return "the last result without a mistake"
	case m.drafted == nil || !m.fresh && n.number == 0:
		return "looking…"
	case m.drafted.Plan == nil:
		return report.Count(n.files, "file") + " here" + more
	}
	thing := "change"
	if m.list.Looking {
		thing = "match"
	}
	changes, files := n.changes, n.files
	if n.first || n.files == 0 { // only the files on the screen are counted
		_, files, changes = m.list.Count()
	}
	text := fmt.Sprintf("%s in %s", report.Count(changes, thing), report.Count(files, "file"))
	if n.over && n.summary != nil {
		of := report.Number(n.summary.Read)
		if n.summary.Named > 0 {
			of = report.Read(n.summary)
		}
		text += " of " + of
		if unread := len(n.summary.Unreadable()); unread > 0 {
			text += fmt.Sprintf(", %d unreadable", unread)
		}
	}
	if taken, _, all := m.list.Count(); taken < all {
		text = fmt.Sprintf("%d left out, ", all-taken) + text
	}
	return text + more
}

// form draws the fields and the switches.
func (m *screen) form() (lines []string) {
	wrongAt, wrong := m.wrong()
	mistaken := func(at int) {
		if at == wrongAt {
			lines = append(lines, strings.Repeat(" ", labelWidth+1)+m.Style.Wrong(report.Cut(wrong, m.width-labelWidth-2)))
		}
	}
	lines = append(lines, m.field(oldField, "Look for", m.turning(kinds, m.fields.kind, "Ctrl-K")))
	mistaken(oldField)
	lines = append(lines, m.field(newField, "Replace with", m.turning([]string{"remove"}, map[bool]string{true: "remove"}[m.fields.remove], "Ctrl-R")))
	mistaken(newField)
	lines = append(lines, m.field(whereField, "Where", ""))
	mistaken(whereField)
	lines = append(lines, m.label("Case", false)+m.turning(cases, m.fields.cases, "Ctrl-T"))
	mistaken(onList)
	if m.height < 20 {
		return lines
	}
	if m.drafted != nil && m.drafted.Statement != "" {
		lines = append(lines, m.label("Rule", false)+m.Style.Rule(report.Cut(terminal.Visible([]byte(m.drafted.Statement)), m.width-labelWidth-2)))
	}
	lines = append(lines, m.others()...)
	if n := m.news; m.fresh && n.over && n.summary != nil && !m.list.Looking {
		if unmet := n.summary.Tally.Unmet(); len(unmet) > 0 {
			lines = append(lines, m.label("Refused", false)+m.Style.Wrong(report.Cut(terminal.Visible([]byte(unmet[0])), m.width-labelWidth-2)))
		}
	}
	return lines
}

// others draws the first lines of the other rules that run.
func (m *screen) others() (lines []string) {
	if m.drafted == nil {
		return nil
	}
	all := m.drafted.Others
	if m.drafted.What == run.Assertions && len(all) > 0 {
		return []string{m.label("Other rules", false) + m.Style.Soft("do not run as long as nothing is replaced")}
	}
	for i, l := range all {
		label := "Other rules"
		if i > 0 {
			label = ""
		}
		if i == maxOthers-1 && len(all) > maxOthers {
			l = fmt.Sprintf("and %d more lines", len(all)-i)
		}
		lines = append(lines, m.label(label, false)+m.Style.Soft(report.Cut(terminal.Visible([]byte(l)), m.width-labelWidth-2)))
		if i == maxOthers-1 {
			break
		}
	}
	return lines
}

func (m *screen) label(text string, focus bool) string {
	text = " " + text + strings.Repeat(" ", labelWidth-report.Width(text))
	if focus {
		return m.Style.Selected(text[:labelWidth]) + text[labelWidth:]
	}
	return m.Style.Strong(text)
}

// placeholders are shown in empty fields.
var placeholders = [onList]string{
	"type a text, and see where it is",
	"nothing yet: matches are only shown",
	`everywhere, or such as: section "clock"   lines 1 to 20   at '$.port'`,
}

// field draws a field with its label, and with its switch at the right end if there is room.
func (m *screen) field(i int, label, turning string) string {
	shown, _ := m.input(i)
	if shown == "" {
		text := placeholders[i]
		if i == newField && m.fields.remove {
			text = "nothing: what is found is removed"
		}
		shown = m.Style.Soft(report.Cut(text, m.room(i)))
		return m.label(label, m.fields.focus == i) + pad(shown, report.Width(report.Cut(text, m.room(i))), m.room(i)) + turning
	}
	return m.label(label, m.fields.focus == i) + pad(shown, report.Width(shown), m.room(i)) + turning
}

func pad(text string, width, room int) string { return text + strings.Repeat(" ", max(room-width, 0)) }

// room returns the width in columns of a field's text.
func (m *screen) room(i int) int {
	room := m.width - labelWidth - 2
	switch i {
	case oldField:
		room -= m.turnWidth(kinds)
	case newField:
		room -= m.turnWidth([]string{"remove"})
	}
	return max(room, 8)
}

// input returns the part of a field's text around the cursor, and the column of the cursor in it.
func (m *screen) input(i int) (shown string, x int) {
	in := &m.fields.inputs[i]
	runes, at, room := []rune(in.Value()), in.Position(), m.room(i)-2
	from := 0
	width := func(a, b int) int { return report.Width(in.Shown(string(runes[a:b]))) }
	for from < at && width(from, at) > room {
		from++
	}
	return report.Cut(in.Shown(string(runes[from:])), room+1), width(from, at)
}

// wide reports whether switches are drawn with all their positions.
func (m *screen) wide() bool { return m.width >= 90 }

// turning draws a switch: its positions, the current one marked, and its key.
func (m *screen) turning(words []string, now, key string) string {
	if !m.wide() {
		return m.Style.Key(key) + " " + map[bool]string{true: now, false: words[0]}[now != ""]
	}
	var b strings.Builder
	for _, w := range words {
		if w == now {
			b.WriteString(m.Style.Strong("[" + w + "]"))
		} else {
			b.WriteString(" " + m.Style.Soft(w) + " ")
		}
	}
	return b.String() + " " + m.Style.Key(key)
}

func (m *screen) turnWidth(words []string) int {
	width := len(" Ctrl-K")
	if !m.wide() {
		longest := 0
		for _, w := range words {
			longest = max(longest, len(w))
		}
		return width + longest
	}
	for _, w := range words {
		width += len(w) + 2
	}
	return width
}

// wrong returns the field whose text has a mistake, and what is wrong; onList if it is none of theirs, -1 without one.
func (m *screen) wrong() (field int, text string) {
	if m.mistake == nil {
		return -1, ""
	}
	var problems script.Problems
	if !errors.As(m.mistake, &problems) {
		return onList, terminal.Visible([]byte(strings.ReplaceAll(m.mistake.Error(), "\n", " ")))
	}
	p := problems.Errors()[0]
	field, text = onList, p.Reason
	if p.Source != nil {
		switch p.Source.Name {
		case "--text", "--word", "--regex":
			field = oldField
		case "--with":
			field = newField
		case oneoff.WhereName:
			field = whereField
		default:
			text = p.Error()
		}
	}
	if p.Remedy != "" {
		text += "; " + p.Remedy
	}
	return field, terminal.Visible([]byte(strings.ReplaceAll(text, "\n", " ")))
}

// empty draws what there is instead of a list.
func (m *screen) empty(room int) (lines []string) {
	switch {
	case m.mistake != nil || m.drafted == nil || !m.fresh:
		return nil
	case m.drafted.Plan == nil && m.news.over && m.news.files == 0:
		return []string{"", m.Style.Soft("  There are no files here.")}
	case m.drafted.Plan == nil:
		for _, f := range m.names[:min(len(m.names), room)] {
			lines = append(lines, m.Style.Soft("  "+report.Cut(report.Path(f.Path), m.width-3)))
		}
		return lines
	case !m.news.over:
		return []string{"", m.Style.Soft("  looking…")}
	case m.news.err != nil:
		return []string{"", "  " + report.Cut(terminal.Visible([]byte(m.news.err.Error())), m.width-3)}
	}
	lines = []string{"", fmt.Sprintf("  Nothing in %s.", report.Read(m.news.summary))}
	if m.fields.kind == "word" {
		lines = append(lines, m.Style.Soft("  It may be part of a longer word: Ctrl-K, twice, looks for text."))
	}
	if m.fields.cases == cases[0] {
		lines = append(lines, m.Style.Soft("  It may be there in another case: Ctrl-T looks for any."))
	}
	return lines
}

func (m *screen) footer() string {
	if m.list.Message != "" {
		return m.Style.Strong(report.Cut(m.list.Message, m.width))
	}
	if m.help {
		return m.list.Keys(m.width, "any key", "back")
	}
	if m.fields.focus != onList {
		return m.list.Keys(m.width, "Tab", "next field", "Enter", "to the list", "Ctrl-K", "text, word or regex", "Ctrl-T", "case", "Ctrl-S", "keep", "Ctrl-C", "leave")
	}
	if m.list.Looking || len(m.list.Files) == 0 {
		return m.list.Keys(m.width, "Tab", "to the fields", "↑↓", "move", "o", "open", "x", "leave", "?", "help", "←→", "files", "+-", "context", "/", "look")
	}
	verb := "take"
	if _, c := m.list.Selected(); c != nil && !c.Left {
		verb = "leave"
	}
	return m.list.Keys(m.width, "Tab", "to the fields", "space", verb+" it", "w", "review, write…", "s", "keep", "x", "exit", "?", "help", "o", "open", "↑↓", "move", "←→", "files", "f", "its file", "a", "all", "+-", "context")
}

func (m *screen) helpLines() (lines []string) {
	for _, k := range [][2]string{
		{"Tab", "the next field, and then the list; Shift-Tab goes back"}, {"Esc Enter", "from a field to the list"},
		{"Ctrl-K", "look for text as it is, for a whole word, or for a regex"}, {"Ctrl-R", "remove what is found, or not"},
		{"Ctrl-T", "case as written, any case, or keep the case that was found"}, {"Ctrl-S", "keep the rule as a script"}, {"", ""},
	} {
		lines = append(lines, review.HelpLine(m.Style, k[0], k[1]))
	}
	lines = append(lines, m.list.Help()...)
	for _, k := range [][2]string{
		{"o", "open the file in your editor, at this line"}, {"s", "keep the rule as a script"},
		{"w", "go on to the review, then write"}, {"x", "leave; nothing is written"},
	} {
		lines = append(lines, review.HelpLine(m.Style, k[0], k[1]))
	}
	return lines
}
