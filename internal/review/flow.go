package review

import (
	"fmt"
	"strings"

	"frizzel/core/diff"
	"frizzel/core/lines"
	"frizzel/core/script"
	"frizzel/internal/report"
	"frizzel/internal/terminal"
)

// NewFlow returns a list that is drawn by [List.Flow], at first without lines around the changes.
func NewFlow(s *Session, style report.Style) *List { return &List{Session: s, Style: style} }

// Continue takes over the line that is being typed, the message and the lines around changes from another list.
func (l *List) Continue(from *List) {
	l.input, l.Message, l.context, l.found = from.input, from.Message, from.context, from.found
}

// Selected returns the selected file and change, nil if there are none.
func (l *List) Selected() (*File, *Change) {
	if len(l.Files) == 0 {
		return nil, nil
	}
	return l.current(), l.selected()
}

// Keep makes a file the selected one again after files were added, if it still is in the list; else the first file is.
func (l *List) Keep(f *File, change int) {
	l.file, l.change = 0, 0
	for i, g := range l.Files {
		if g == f {
			l.file, l.change = i, min(change, max(len(f.Changes)-1, 0))
		}
	}
}

// Place returns the index of the selected change in its file.
func (l *List) Place() int { return l.change }

// Flow draws the changes of all files, each under its file's name, around the selected one. It returns the files in
// view.
func (l *List) Flow(width, height int) (lines []string, inView []*File) {
	if len(l.Files) == 0 {
		return nil, nil
	}
	lines, drawn := l.around(height, func(s spot) []string { return l.entry(s, width) }, l.near)
	for _, s := range drawn {
		if f := l.Files[s.file]; len(inView) == 0 || inView[len(inView)-1] != f {
			inView = append(inView, f)
		}
	}
	return lines, inView
}

// near returns the change before or behind a spot, across files.
func (l *List) near(s spot, by int) (spot, bool) {
	last := len(l.Files[s.file].Changes) - 1
	switch {
	case by > 0 && s.change < last:
		return spot{s.file, s.change + 1}, true
	case by > 0:
		return spot{s.file + 1, 0}, s.file+1 < len(l.Files)
	case s.change > 0:
		return spot{s.file, s.change - 1}, true
	case s.file == 0:
		return s, false
	}
	return spot{s.file - 1, max(len(l.Files[s.file-1].Changes)-1, 0)}, true
}

// entry draws a change, under its file's name if it is the file's first one.
func (l *List) entry(s spot, width int) (lines []string) {
	f := l.Files[s.file]
	if s.change == 0 {
		if s.file > 0 {
			lines = append(lines, "")
		}
		lines = append(lines, l.title(f, s, width))
	}
	if s.change >= len(f.Changes) {
		return lines
	}
	c := &f.Changes[s.change]
	left := c.Left || f.left
	lines = append(lines, l.about(f, c, width)...)
	lines = append(lines, l.numbered(c, left, s, width)...)
	if more := f.all - len(f.Changes); more > 0 && s.change == len(f.Changes)-1 {
		lines = append(lines, l.Style.Soft(fmt.Sprintf("         and %s more in this file", report.Number(more))))
	}
	return lines
}

// title draws a file's name and its counts.
func (l *List) title(f *File, s spot, width int) string {
	count := report.Count(f.All(), "change")
	switch n := f.Count(); {
	case l.Looking:
		count = report.Count(f.All(), "match")
	case n != f.All():
		count = fmt.Sprintf("%s of %s taken", report.Number(n), count)
	}
	if f.IsDocument() {
		count += "  (document)"
	}
	if f.Broken() {
		count += "  would be refused"
	}
	name := " " + cutPath(report.Moved(f.Path(), f.NewPath()), max(width-report.Width(count)-3, 8)) + " "
	if s.file == l.file && len(f.Changes) == 0 {
		return l.Style.Selected(name) + " " + l.Style.Soft(count)
	}
	return l.Style.Strong(name) + " " + l.Style.Soft(count)
}

// about draws the rule of a change and the path of its value, if there are any.
func (l *List) about(f *File, c *Change, width int) []string {
	var words []string
	if rule := l.ruleOf(c.Proposal); rule != "" {
		words = append(words, rule)
	}
	if value := f.Value(c); value != "" {
		words = append(words, terminal.Visible([]byte(value)))
	}
	if len(words) == 0 {
		return nil
	}
	return []string{"         " + l.Style.Rule(report.Cut(strings.Join(words, "  "), width-9))}
}

// numbered draws the lines of a change behind the number of the first one.
func (l *List) numbered(c *Change, left bool, s spot, width int) (lines []string) {
	box := "[x]"
	switch {
	case l.Looking:
		box = "   "
	case left:
		box = "[ ]"
	}
	first, drawn := l.drawn(c, left, max(width-10, 10))
	for i, line := range drawn[:min(len(drawn), 2*l.height)] {
		begin := "         "
		if i == 0 {
			begin = fmt.Sprintf(" %s%5d", box, first)
			if c.Of != script.Content {
				begin = fmt.Sprintf(" %s %4s", box, named(c.Of))
			}
			if s.file == l.file && s.change == l.change {
				begin = l.Style.Selected(begin)
			} else {
				begin = l.Style.Soft(begin)
			}
		}
		lines = append(lines, begin+" "+line)
	}
	return lines
}

// named names what a change is of, in four letters.
func named(of script.Subject) string {
	return map[script.Subject]string{script.FileName: "name", script.DirectoryName: "dir", script.LinkTarget: "link"}[of]
}

// drawn returns the lines of a change or a match, with those around it, and the number of the first one.
func (l *List) drawn(c *Change, left bool, width int) (first int, drawn []string) {
	if l.Looking {
		return l.hit(c, width)
	}
	first = c.Line
	for i, h := range diff.Hunks(c.Proposal.Text, c.Edits, l.context) {
		if i == 0 {
			first -= leading(h)
		}
		drawn = append(drawn, l.Style.Lines(h, width, left)...)
	}
	return first, drawn
}

// leading returns the number of lines before the first changed one of a hunk.
func leading(h diff.Hunk) int {
	for i, l := range h.Lines {
		if l.Op != diff.Keep {
			return i
		}
	}
	return 0
}

// hit draws the first line of a match, and those around it.
func (l *List) hit(c *Change, width int) (first int, drawn []string) {
	e, text := c.Edits[0], c.Proposal.Text
	start := lines.Start(text, 0, e.Start)
	from, to := lines.Above(text, start, l.context), lines.Below(text, start, l.context+1)
	first = c.Line
	for at := from; at < to; {
		next := lines.Next(text, at, len(text))
		line := lines.Content(text[at:next])
		if at == start {
			a := min(e.Start-at, len(line))
			drawn = append(drawn, " "+l.Style.Hit(line, a, min(e.End-at, len(line)), width-1))
		} else {
			drawn = append(drawn, " "+l.Style.Soft(report.Cut(terminal.Visible(line), width-1)))
		}
		if at < start {
			first--
		}
		at = next
	}
	return first, drawn
}
