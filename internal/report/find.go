package report

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/internal/run"
	"frizzel/internal/terminal"
)

// A Position is the 1-based line and columns of a match; columns count characters.
type Position struct {
	Line, Column, EndColumn int
	Start, End              int    // bytes of the line that the match takes
	Text                    []byte // the line, without its ending
}

// A placer computes the positions of the matches of a text in order.
type placer struct {
	text             []byte
	line, counted    int // lines up to a byte
	start, next      int // range of the current line
	content          []byte
	column, measured int // columns up to a byte of it
}

func placesOf(f *run.Sight) *placer { return &placer{text: f.File.Text, line: f.Line + 1, next: -1} }

// place returns the position of the next match. A match over several lines is cut at the end of the first one.
func (p *placer) place(m *program.Match) Position {
	p.line += bytes.Count(p.text[p.counted:m.Start], []byte("\n"))
	p.counted = m.Start
	if m.Start >= p.next {
		p.start = lines.Start(p.text, max(p.next, 0), m.Start)
		p.next = lines.Next(p.text, m.Start, len(p.text))
		p.content = lines.Content(p.text[p.start:p.next])
		p.column, p.measured = 1, 0
	}
	from, to := m.Start-p.start, min(m.End-p.start, len(p.content))
	from = min(from, to)
	if from < p.measured {
		p.column, p.measured = 1, 0
	}
	p.column += utf8.RuneCount(p.content[p.measured:from])
	p.measured = from
	return Position{
		Line: p.line, Start: from, End: to, Text: p.content,
		Column: p.column, EndColumn: p.column + utf8.RuneCount(p.content[from:to]),
	}
}

// Places returns the positions of all matches.
func Places(f *run.Sight) []Position {
	places, of := make([]Position, len(f.Matches)), placesOf(f)
	for i := range f.Matches {
		places[i] = of.place(&f.Matches[i])
	}
	return places
}

// Found shows the matches of a file: on a terminal the lines under the file's name,
// elsewhere path:line:column:text for each match.
func (p *Printer) Found(f *run.Found) error {
	b := p.buffered()
	if !p.Terminal {
		path := Path(f.At.Path)
		err := f.Each(0, func(s *run.Sight) error {
			of := placesOf(s)
			for i := range s.Matches {
				pl := of.place(&s.Matches[i])
				p.foundPlain(b, path, &pl, s.Matches[i])
			}
			return nil
		})
		return errors.Join(err, b.Flush())
	}
	n, err := f.Count()
	if err != nil {
		return err
	}
	fmt.Fprintf(b, "%s  %s\n", p.Style.Strong(Path(f.At.Path)), p.Style.Soft(Count(n, "match")))
	l := lister{Printer: p, out: b}
	if n := f.Lines(); n > 0 {
		l.digits = len(fmt.Sprint(n))
	}
	if err := f.Each(p.Context, l.sight); err != nil {
		return err
	}
	b.WriteByte('\n')
	return b.Flush()
}

// foundPlain writes one match for other programs.
func (p *Printer) foundPlain(b *bufio.Writer, path string, pl *Position, m program.Match) {
	b.WriteString(path)
	var number [24]byte
	b.Write(append(strconv.AppendInt(append(number[:0], ':'), int64(pl.Line), 10), ':'))
	b.Write(append(strconv.AppendInt(number[:0], int64(pl.Column), 10), ':'))
	b.WriteString(p.ruleOf(m))
	if m.Whole {
		b.WriteString(oneLine(m.Value) + "\n")
		return
	}
	before, near, after := pl.near()
	b.WriteString(before)
	b.Write(near)
	b.WriteString(after + "\n")
}

// oneLine writes a value as one line.
func oneLine(value []byte) string {
	return strings.NewReplacer("\r", `\r`, "\n", `\n`).Replace(strings.TrimSuffix(string(value), "\n"))
}

// For a match in a line longer than longLine bytes, only nearMatch bytes to each side are written, not the whole
// line.
const (
	longLine  = 64 << 10
	nearMatch = 500
)

// near returns the line of a position. Of a very long line it returns the part around the match, with … for the
// rest.
func (pl *Position) near() (before string, text []byte, after string) {
	if len(pl.Text) <= longLine {
		return "", pl.Text, ""
	}
	from, to := max(pl.Start-nearMatch, 0), min(pl.End+nearMatch, len(pl.Text))
	for from > 0 && !utf8.RuneStart(pl.Text[from]) {
		from--
	}
	for to < len(pl.Text) && !utf8.RuneStart(pl.Text[to]) {
		to++
	}
	return "…", pl.Text[from:to], "…"
}

// Near returns near as one text.
func (pl *Position) Near() string {
	before, text, after := pl.near()
	return before + string(text) + after
}

// ruleOf names the rule of a match, with what separates it from the text.
func (p *Printer) ruleOf(m program.Match) string {
	if name := p.Rules[m.Rule]; name != "" {
		return name + ": "
	}
	return ""
}

// lister shows each line that holds a match once, with its neighbours.
type lister struct {
	*Printer
	out    *bufio.Writer
	digits int      // width of line numbers; 0 to derive it from the matches
	shown  int      // the last line that was shown
	due    int      // up to which line those below a match are to be shown
	tail   [][]byte // the last lines of the window before
}

// sight shows the lines of one window.
func (p *lister) sight(f *run.Sight) error {
	places := Places(f)
	if f.Of != script.Content {
		word := labelled(f.Of)
		fmt.Fprintf(p.out, "%s  %s%s\n", p.Style.place(word), p.marked(places[0].Text, places, p.Width-len(word)-2), p.Style.rule(about(p.rulesOf(f.Matches))))
		return nil
	}
	if p.digits == 0 && len(places) > 0 { // of a file that is not large
		p.digits = len(fmt.Sprint(places[len(places)-1].Line + p.Context))
	}
	if f.Apart {
		p.tail = nil
	}
	t := outline.New(f.File.Text, syntax.None)
	content := func(line int) []byte {
		if line > f.Line {
			return t.Content(line - 1 - f.Line)
		}
		return p.tail[len(p.tail)-1-f.Line+line]
	}
	for i := 0; i < len(places); {
		n := i + 1
		for n < len(places) && places[n].Line == places[i].Line {
			n++
		}
		line := places[i].Line
		p.below(min(p.due, line-1), content)
		from := max(p.shown+1, line-p.Context, f.Line+1-len(p.tail))
		if p.Context > 0 && p.shown > 0 && from > p.shown+1 {
			fmt.Fprintln(p.out, p.Style.Soft(strings.Repeat(" ", p.digits)+"  …"))
		}
		for l := from; l < line; l++ {
			p.foundLine(p.out, l, p.digits, content(l), nil, "")
		}
		about := p.rulesOf(f.Matches[i:n])
		if d := f.File.Document; d != nil {
			about = strings.TrimSuffix(d.Place(line)+", "+about, ", ")
			if p.Width > 0 { // of many cells
				about = Cut(about, p.Width/2)
			}
		}
		p.foundLine(p.out, line, p.digits, places[i].Text, places[i:n], about)
		p.shown, p.due = line, line+p.Context
		i = n
	}
	if p.Context == 0 {
		return nil
	}
	last := f.Line + t.Count()
	p.below(min(p.due, last), content)
	tail := p.tail
	p.tail = nil
	for l := max(last-p.Context, f.Line-len(tail)) + 1; l <= last; l++ {
		if l > f.Line {
			p.tail = append(p.tail, slices.Clone(t.Content(l-1-f.Line)))
		} else {
			p.tail = append(p.tail, tail[len(tail)-1-f.Line+l])
		}
	}
	return nil
}

// about returns words behind a line.
func about(words string) string {
	if words == "" {
		return ""
	}
	return "  " + words
}

// below shows the lines below a match, up to the one given.
func (p *lister) below(to int, content func(int) []byte) {
	for p.shown > 0 && p.shown < to {
		p.shown++
		p.foundLine(p.out, p.shown, p.digits, content(p.shown), nil, "")
	}
}

func (p *Printer) rulesOf(matches []program.Match) string {
	var names []string
	for _, m := range matches {
		if m.ValuePath != nil {
			if path := m.ValuePath(); !slices.Contains(names, path) {
				names = append(names, path)
			}
		}
		if name := p.Rules[m.Rule]; name != "" && !strings.Contains(strings.Join(names, ", "), name) {
			names = append(names, name)
		}
	}
	return strings.Join(names, ", ")
}

// foundLine shows one line, cut to the terminal's width around its first match.
func (p *Printer) foundLine(b io.Writer, line, digits int, text []byte, places []Position, rules string) {
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
func (p *Printer) marked(text []byte, places []Position, room int) string {
	if p.Width == 0 || len(text) <= longLine && Width(string(text)) <= room {
		var b strings.Builder
		at := 0
		for _, pl := range places {
			if pl.Start < at {
				continue
			}
			b.WriteString(terminal.Visible(text[at:pl.Start]))
			b.WriteString(p.Style.match(terminal.Visible(text[pl.Start:pl.End])))
			at = pl.End
		}
		return b.String() + terminal.Visible(text[at:])
	}
	before, match, after := window(text, places[0].Start, places[0].End, room)
	return before + p.Style.match(match) + after
}
