package report

import (
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
	line, counted := 1, 0
	for i, m := range f.Matches {
		line += bytes.Count(text[counted:m.Start], []byte("\n"))
		counted = m.Start
		start := bytes.LastIndexByte(text[:m.Start], '\n') + 1
		end := len(text)
		if n := bytes.IndexByte(text[m.Start:], '\n'); n >= 0 {
			end = m.Start + n + 1
		}
		content := lines.Content(text[start:end])
		from, to := m.Start-start, min(m.End-start, len(content))
		from = min(from, to)
		places[i] = Place{
			Line: line, Start: from, End: to, Text: string(content),
			Column: utf8.RuneCount(content[:from]) + 1,
		}
		places[i].EndColumn = places[i].Column + utf8.RuneCount(content[from:to])
	}
	return places
}

// Found shows the matches of a file: on a terminal the lines under the file's name,
// elsewhere path:line:column:text for each match.
func (p *Printer) Found(f *run.Found) error {
	places := Places(f)
	var b strings.Builder
	if !p.Terminal {
		for i, pl := range places {
			fmt.Fprintf(&b, "%s:%d:%d:%s%s\n", Path(f.At.Path), pl.Line, pl.Column, p.ruleOf(f.Matches[i]), pl.Text)
		}
	} else {
		fmt.Fprintf(&b, "%s  %s\n", p.Style.Strong(Path(f.At.Path)), p.Style.Soft(Count(len(places), "match")))
		p.foundLines(&b, f, places)
		b.WriteByte('\n')
	}
	_, err := p.Out.Write([]byte(b.String()))
	return err
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
