package report

import (
	"bufio"
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/structure"
	"frizzel/internal/run"
	"frizzel/internal/terminal"
)

// Place is where a match stands: line and columns from 1, columns in characters.
type Place struct {
	Line, Column, EndColumn int
	Start, End              int    // bytes of the line that the match takes
	Text                    string // the line, without its ending
}

// Places returns where the matches of a file stand. A match over several lines ends
// with its first one.
func Places(f *run.Found) []Place {
	text := f.File.Text
	places := make([]Place, len(f.Matches))
	line, counted := 1, 0 // lines up to a byte
	start, next := 0, -1  // of the line at hand
	var content string
	column, measured := 1, 0 // columns up to a byte of it
	for i, m := range f.Matches {
		line += bytes.Count(text[counted:m.Start], []byte("\n"))
		counted = m.Start
		if m.Start >= next {
			start = lines.Start(text, max(next, 0), m.Start)
			next = lines.Next(text, m.Start, len(text))
			content = string(lines.Content(text[start:next]))
			column, measured = 1, 0
		}
		from, to := m.Start-start, min(m.End-start, len(content))
		from = min(from, to)
		if from < measured {
			column, measured = 1, 0
		}
		column += utf8.RuneCountInString(content[measured:from])
		measured = from
		places[i] = Place{
			Line: line, Start: from, End: to, Text: content,
			Column: column, EndColumn: column + utf8.RuneCountInString(content[from:to]),
		}
	}
	return places
}

// Found shows the matches of a file: on a terminal the lines under the file's name,
// elsewhere path:line:column:text for each match.
func (p *Printer) Found(f *run.Found) error {
	places := Places(f)
	if !p.Terminal {
		b := bufio.NewWriterSize(p.Out, 64<<10)
		for i, pl := range places {
			_, err := fmt.Fprintf(b, "%s:%d:%d:%s%s\n", Path(f.At.Path), pl.Line, pl.Column, p.ruleOf(f.Matches[i]), pl.Near())
			if err != nil {
				return err
			}
		}
		return b.Flush()
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s\n", p.Style.Strong(Path(f.At.Path)), p.Style.Soft(Count(len(places), "match")))
	p.foundLines(&b, f, places)
	b.WriteByte('\n')
	_, err := p.Out.Write([]byte(b.String()))
	return err
}

// A line that is longer than longLine bytes is not written once for each of its matches:
// what stands within nearMatch bytes of one is.
const (
	longLine  = 64 << 10
	nearMatch = 500
)

// Near returns the line of a place; of a very long one what stands around the match, with
// … for the rest.
func (pl *Place) Near() string {
	if len(pl.Text) <= longLine {
		return pl.Text
	}
	from, to := max(pl.Start-nearMatch, 0), min(pl.End+nearMatch, len(pl.Text))
	for from > 0 && !utf8.RuneStart(pl.Text[from]) {
		from--
	}
	for to < len(pl.Text) && !utf8.RuneStart(pl.Text[to]) {
		to++
	}
	return "…" + pl.Text[from:to] + "…"
}

// ruleOf names the rule of a match, with what separates it from the text.
func (p *Printer) ruleOf(m program.Match) string {
	if name := p.Rules[m.Rule]; name != "" {
		return name + ": "
	}
	return ""
}

// foundLines shows each line that holds a match once, with its neighbours.
func (p *Printer) foundLines(b *strings.Builder, f *run.Found, places []Place) {
	t := structure.New(f.File.Text, structure.Plain)
	last := places[len(places)-1].Line
	digits := len(fmt.Sprint(last + p.Context))
	shown := 0 // lines
	for i := 0; i < len(places); {
		n := i + 1
		for n < len(places) && places[n].Line == places[i].Line {
			n++
		}
		line := places[i].Line
		from := max(shown+1, line-p.Context)
		if p.Context > 0 && shown > 0 && from > shown+1 {
			b.WriteString(p.Style.Soft(strings.Repeat(" ", digits)+"  …") + "\n")
		}
		for l := from; l < line; l++ {
			p.foundLine(b, l, digits, string(t.Content(l-1)), nil, "")
		}
		p.foundLine(b, line, digits, places[i].Text, places[i:n], p.rulesOf(f.Matches[i:n]))
		shown = line
		until := min(line+p.Context, t.Count())
		if n < len(places) {
			until = min(until, places[n].Line-1)
		}
		for l := line + 1; l <= until; l++ {
			p.foundLine(b, l, digits, string(t.Content(l-1)), nil, "")
			shown = l
		}
		i = n
	}
}

func (p *Printer) rulesOf(matches []program.Match) string {
	var names []string
	for _, m := range matches {
		if name := p.Rules[m.Rule]; name != "" && !strings.Contains(strings.Join(names, ", "), name) {
			names = append(names, name)
		}
	}
	return strings.Join(names, ", ")
}

// foundLine shows one line, cut to the terminal's width around its first match.
func (p *Printer) foundLine(b *strings.Builder, line, digits int, text string, places []Place, rules string) {
	number := fmt.Sprintf("%*d", digits, line)
	room := p.Width - digits - 2
	if rules != "" {
		rules = "  " + rules
		room -= Width(rules)
	}
	if len(places) == 0 {
		before, _, after := window(text, 0, 0, room)
		fmt.Fprintf(b, "%s  %s\n", p.Style.Soft(number), p.Style.Soft(before+after))
		return
	}
	fmt.Fprintf(b, "%s  %s%s\n", p.Style.place(number), p.marked(text, places, room), p.Style.rule(rules))
}

// marked returns a line with its matches standing out, cut around the first where
// it is too wide.
func (p *Printer) marked(text string, places []Place, room int) string {
	if p.Width == 0 || Width(text) <= room {
		var b strings.Builder
		at := 0
		for _, pl := range places {
			if pl.Start < at {
				continue
			}
			b.WriteString(terminal.Visible([]byte(text[at:pl.Start])))
			b.WriteString(p.Style.match(terminal.Visible([]byte(text[pl.Start:pl.End]))))
			at = pl.End
		}
		return b.String() + terminal.Visible([]byte(text[at:]))
	}
	before, match, after := window(text, places[0].Start, places[0].End, room)
	return before + p.Style.match(match) + after
}
