package review

import (
	"fmt"
	"slices"
	"strings"

	"frizzel/core/diff"
	"frizzel/internal/report"
	"frizzel/internal/terminal"
)

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
func (l *List) files(height int) []string {
	l.top = min(max(l.top, l.file-height+1), l.file)
	var lines []string
	for i := l.top; i < len(l.Files) && len(lines) < height; i++ {
		f := l.Files[i]
		count := fmt.Sprintf("%d/%d", f.Count(), f.All())
		room := listWidth - len(count) - 7
		name := cutPath(report.Path(f.Path()), room)
		state := box(f.Count(), f.All())
		if f.Broken() { // the last page shows the reason
			state = "[!]"
		}
		text := fmt.Sprintf(" %s %s%s %s ", state, name, strings.Repeat(" ", room-report.Width(name)), count)
		if i == l.file {
			text = l.Style.Selected(text)
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

// A spot is a change in the list, or a file whose changes are not read.
type spot struct{ file, change int }

// changes draws the changes of the selected file around the selected one, which is completely in view.
func (l *List) changes(width, height int) []string {
	f := l.current()
	if len(f.Changes) == 0 {
		return []string{l.Style.Soft("no changes are left in this file")}
	}
	lines, _ := l.around(height, func(s spot) []string { return l.card(s.change, width) }, func(s spot, by int) (spot, bool) {
		s.change += by
		return s, 0 <= s.change && s.change < len(f.Changes)
	})
	return lines
}

// around draws spots around the selected one: it goes back from that while it stays in view, up to half of the screen.
// near returns the next spot, or with -1 the one before. The spots drawn are returned too.
func (l *List) around(height int, draw func(spot) []string, near func(spot, int) (spot, bool)) (lines []string, drawn []spot) {
	at := spot{l.file, l.change}
	block, above := draw(at), 0
	var before [][]string
	for s, ok := near(at, -1); ok; s, ok = near(s, -1) {
		b := draw(s)
		if above+len(b) > height/3 && above+len(b)+len(block) > height || above+len(b) > height/2 {
			break
		}
		above += len(b)
		before, drawn = append(before, b), append(drawn, s)
	}
	for _, b := range slices.Backward(before) {
		lines = append(lines, b...)
	}
	lines, drawn = append(lines, block...), append(drawn, at)
	for s, ok := near(at, 1); ok && len(lines) < height; s, ok = near(s, 1) {
		lines, drawn = append(lines, draw(s)...), append(drawn, s)
	}
	return lines[:min(len(lines), height)], drawn
}

// card draws a change: whether it is accepted, its place, its rule, the old and the new lines.
func (l *List) card(i, width int) []string {
	f := l.current()
	c := &f.Changes[i]
	state := "[x]"
	if c.Left || f.left {
		state = "[ ]"
	}
	head := fmt.Sprintf("%s %d/%d  %s", state, i+1, len(f.Changes), c.Place())
	if rule := l.ruleOf(c.Proposal); rule != "" {
		head += "  " + rule
	}
	if value := f.Value(c); value != "" {
		head += "  " + terminal.Visible([]byte(value))
	}
	if c.Left || f.left {
		head += "  left out"
	}
	head = report.Cut(" "+head, width)
	if i == l.change {
		head = l.Style.Selected(head + strings.Repeat(" ", max(width-report.Width(head), 0)))
	} else {
		head = l.Style.Strong(head)
	}
	lines := []string{head}
	for _, h := range diff.Hunks(c.Proposal.Text, c.Edits, l.context) {
		for _, l := range l.Style.Lines(h, width-2, c.Left || f.left) {
			lines = append(lines, "  "+l)
		}
		if len(lines) > 2*l.height { // more than fits on the screen
			break
		}
	}
	return append(lines, "")
}
