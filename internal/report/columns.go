package report

import (
	"strings"
	"unicode/utf8"

	"github.com/rivo/uniseg"

	"frizzel/core/diff"
	"frizzel/internal/terminal"
)

// tabWidth is the width of a tab in columns in a text that is cut.
const tabWidth = 8

// Width returns the width of a text on a terminal in columns.
func Width(text string) int {
	return uniseg.StringWidth(strings.ReplaceAll(text, "\t", strings.Repeat(" ", tabWidth)))
}

// Cut returns the start of a text, at most room columns, with … for the rest.
func Cut(text string, room int) string {
	if len(text) <= room && !strings.ContainsFunc(text, func(r rune) bool { return r < ' ' || r > '~' }) || Width(text) <= room {
		return text
	}
	if room <= 0 {
		return ""
	}
	return firstColumns(text, room-1) + "…"
}

// firstColumns returns as much of a text as room columns hold.
func firstColumns(text string, room int) string {
	at, state := 0, -1
	for rest := text; rest != ""; {
		cluster, next, w, s := uniseg.FirstGraphemeClusterInString(rest, state)
		if cluster == "\t" {
			w = tabWidth
		}
		if room -= w; room < 0 {
			break
		}
		at += len(cluster)
		rest, state = next, s
	}
	return text[:at]
}

// cutStart returns the end of a text, at most room columns, with … for the rest.
func cutStart(text string, room int) string {
	if Width(text) <= room {
		return text
	}
	if room <= 0 {
		return ""
	}
	drop := Width(text) - room + 1
	start := len(firstColumns(text, drop))
	if Width(text[start:]) > room-1 && start < len(text) { // a wide character at the cut
		_, size := utf8.DecodeRuneInString(text[start:])
		start += size
	}
	return "…" + text[start:]
}

// window cuts a line around text[start:end] to room columns; 0 for no bound.
func window(text []byte, start, end, room int) (before, match, after string) {
	if room > 0 { // show the part of a very long line that is near the match
		near := 8 * room
		if from := start - near; from > 0 {
			for from < start && !utf8.RuneStart(text[from]) {
				from++
			}
			text, start, end = text[from:], start-from, end-from
		}
		if to := min(end, start+near) + near; to < len(text) {
			text = text[:to]
			end = min(end, to)
		}
	}
	before, match, after = terminal.Visible(text[:start]), terminal.Visible(text[start:end]), terminal.Visible(text[end:])
	if room <= 0 || Width(before+match+after) <= room {
		return before, match, after
	}
	match = Cut(match, room)
	rest := max(room-Width(match), 0)
	left := min(Width(before), rest/3)
	if right := Width(after); right < rest-left {
		left = rest - right
	}
	before = cutStart(before, left)
	after = Cut(after, rest-Width(before))
	// A cut within characters that are drawn as one may make the rest wider.
	for {
		over := Width(before+match+after) - room
		if over <= 0 {
			return before, match, after
		}
		switch {
		case after != "":
			after = Cut(after, Width(after)-over)
		case before != "":
			before = cutStart(before, Width(before)-over)
		default:
			match = Cut(match, Width(match)-over)
		}
	}
}

// Lines shows the lines of a hunk, each cut to width columns around its change. If left is true they are
// drawn faint, because the change is declined.
func (s Style) Lines(h diff.Hunk, width int, left bool) []string {
	lines := make([]string, len(h.Lines))
	returns := mixedEndings(h)
	for i, l := range h.Lines {
		text := shownLine(l.Text, returns)
		paint, strong := s.keep, s.keep
		switch {
		case left:
			paint, strong = s.Soft, s.Soft
		case l.Op == diff.Remove:
			paint, strong = s.remove, s.removed
		case l.Op == diff.Add:
			paint, strong = s.add, s.added
		}
		from, to := 0, 0
		if len(l.Marks) > 0 {
			from, to = min(l.Marks[0][0], len(text)), min(l.Marks[0][1], len(text))
		}
		if from == 0 && to == len(text) {
			strong = paint
		}
		before, mark, after := window(text, from, to, max(width-1, 0))
		lines[i] = paint(string(l.Op)+detab(before)) + strong(detab(mark)) + paint(detab(after))
	}
	return lines
}

// Hit shows a line with a match at some bytes of it, cut to width columns around that.
func (s Style) Hit(line []byte, start, end, width int) string {
	before, match, after := window(line, start, end, width)
	return detab(before) + s.match(detab(match)) + detab(after)
}

// detab writes tabs as the columns they are counted for.
func detab(text string) string { return strings.ReplaceAll(text, "\t", strings.Repeat(" ", tabWidth)) }
