package outline

import (
	"bytes"
	"unicode/utf8"

	"github.com/rivo/uniseg"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"

	"frizzel/core/lines"
	"frizzel/core/markup"
	"frizzel/core/syntax"
)

// A Heading is where a section of a document begins.
type Heading struct {
	Line  int // the first line of the heading
	Level int // a section ends at the next heading of its level or a lower one
	Name  string
}

// fence is lines of a document in which nothing opens: [from, to).
type fence struct{ from, to int }

// allHeadings returns the headings in the order of their lines.
func (t *Text) allHeadings() []Heading {
	if t.headings == nil {
		t.headings, t.fences = t.readHeadings()
		if t.headings == nil {
			t.headings = []Heading{}
		}
	}
	return t.headings
}

func (t *Text) readHeadings() ([]Heading, []fence) {
	switch t.syntax {
	case syntax.Markdown:
		return t.markdown()
	case syntax.ReST:
		return t.reST(), nil
	case syntax.AsciiDoc:
		return t.asciiDoc()
	}
	return nil, nil
}

// markFences marks the lines in which nothing opens.
func (t *Text) markFences(nodes []node) {
	for _, f := range t.fences {
		nodes[f.from].flags |= fenceEdge
		for i := f.from + 1; i < f.to; i++ {
			nodes[i].flags |= raw
		}
	}
}

// markdown reads a Markdown text. Headings and fences in quotes and lists are none of the document's.
func (t *Text) markdown() (all []Heading, fences []fence) {
	from := t.frontMatter()
	body := t.Bytes[from:]
	document := goldmark.DefaultParser().Parse(text.NewReader(body))
	for n := document.FirstChild(); n != nil; n = n.NextSibling() {
		switch n := n.(type) {
		case *ast.Heading:
			at, name := n.Pos(), []byte(nil)
			if segments := n.Lines(); segments.Len() > 0 {
				at = segments.At(0).Start
				name = bytes.TrimSpace(body[at:segments.At(segments.Len()-1).Stop])
			}
			if at >= 0 {
				all = append(all, Heading{t.At(from + at), n.Level, string(name)})
			}
		case *ast.FencedCodeBlock:
			if f, ok := t.fenceOf(n, from); ok {
				fences = append(fences, f)
			}
		}
	}
	return all, fences
}

// fenceOf returns the lines of a code fence, its own lines included.
func (t *Text) fenceOf(n *ast.FencedCodeBlock, from int) (fence, bool) {
	segments := n.Lines()
	if segments.Len() == 0 {
		return fence{}, false
	}
	first := max(t.At(from+segments.At(0).Start)-1, 0)
	last := t.At(from + max(segments.At(segments.Len()-1).Stop-1, 0))
	return fence{first, min(last+2, t.Count())}, true
}

// frontMatter returns the start of a document after optional settings between two lines of ---.
func (t *Text) frontMatter() int {
	if t.Count() == 0 || string(t.Content(0)) != "---" {
		return 0
	}
	for at := t.Start(1); at < len(t.Bytes); {
		next := lines.Next(t.Bytes, at, len(t.Bytes))
		if string(lines.Content(t.Bytes[at:next])) == "---" {
			return next
		}
		at = next
	}
	return 0
}

// rule returns the punctuation character that a line repeats from its first column on; 0 if it does
// not.
func (t *Text) rule(i int) byte {
	if i < 0 || i >= t.Count() {
		return 0
	}
	line := bytes.TrimRight(t.Content(i), " \t")
	if len(line) == 0 || line[0] <= ' ' || line[0] >= 0x7f || markup.IsName(line[0]) && line[0] != '-' && line[0] != '.' && line[0] != '_' && line[0] != ':' {
		return 0
	}
	for _, c := range line {
		if c != line[0] {
			return 0
		}
	}
	return line[0]
}

func (t *Text) width(i int) int { return utf8.RuneCount(bytes.TrimRight(t.Content(i), " \t")) }

// ruledBy reports whether a line of n characters marks the title on line i: it is as long as that, in the columns of a
// terminal, or too long for text. Readers of reStructuredText warn of what is too short, and take it.
func (t *Text) ruledBy(n, i int) bool {
	const tooLong = 4
	return n >= tooLong || n >= uniseg.StringWidth(string(bytes.TrimRight(t.Content(i), " \t")))
}

// reST reads the headings of a reStructuredText: a line that is underlined by punctuation, perhaps overlined too. The
// levels are those of the styles in the order in which they first occur.
func (t *Text) reST() (all []Heading) {
	type style struct {
		mark byte
		over bool
	}
	var styles []style
	behind := 0 // the last heading
	for i := 0; i+1 < t.Count(); i++ {
		if t.blank(i) || i > behind && !t.blank(i-1) && !bytes.HasPrefix(t.Content(i-1), []byte(".. ")) {
			continue
		}
		title, s := i, style{mark: t.rule(i)}
		if s.mark != 0 && t.rule(i+2) == s.mark && !t.blank(i+1) && t.ruledBy(t.width(i), i+1) && t.width(i+2) == t.width(i) {
			title, s.over = i+1, true
		} else {
			s.mark = t.rule(i + 1)
			if s.mark == 0 || isSpace(t.Content(i)[0]) || !t.ruledBy(t.width(i+1), i) {
				continue
			}
		}
		level := 0
		for level < len(styles) && styles[level] != s {
			level++
		}
		if level == len(styles) {
			styles = append(styles, s)
		}
		all = append(all, Heading{i, level + 1, string(bytes.TrimSpace(t.Content(title)))})
		i = title + 1
		behind = i + 1
	}
	return all
}

// asciiDoc reads the headings of an AsciiDoc text, = Title or a line that is underlined, outside its
// delimited blocks.
func (t *Text) asciiDoc() (all []Heading, fences []fence) {
	for i := 0; i < t.Count(); i++ {
		if level, name := asciiTitle(t.Content(i)); level > 0 {
			all = append(all, Heading{i, level, name})
			continue
		}
		if level := t.underlined(i); level > 0 {
			all = append(all, Heading{i, level, string(bytes.TrimSpace(t.Content(i)))})
			i++
			continue
		}
		if end, ok := t.delimited(i); ok {
			fences = append(fences, fence{i, end})
			i = end - 1
		}
	}
	return all, fences
}

// asciiTitle returns the level, from 1, and the name of a title of one line; 0 if it is none.
func asciiTitle(line []byte) (int, string) {
	n := 0
	for n < len(line) && n < 6 && line[n] == '=' {
		n++
	}
	if n == 0 || n == len(line) || line[n] != ' ' {
		return 0, ""
	}
	name := bytes.TrimSpace(line[n:])
	if end := bytes.TrimSuffix(name, bytes.Repeat([]byte("="), n)); len(end) < len(name) && bytes.HasSuffix(end, []byte(" ")) {
		name = bytes.TrimSpace(end)
	}
	return n, string(name)
}

// underlined returns the level of a title that the next line underlines; 0 if it is none.
func (t *Text) underlined(i int) int {
	if i > 0 && !t.blank(i-1) || t.blank(i) || isSpace(t.Content(i)[0]) {
		return 0
	}
	if line := bytes.TrimRight(t.Content(i), " \t"); line[0] == '.' || line[0] == '[' && line[len(line)-1] == ']' {
		return 0 // a title or the attributes of the block below
	}
	mark := t.rule(i + 1)
	level := bytes.IndexByte([]byte("=-~^+"), mark) + 1
	if mark == 0 || level == 0 || t.rule(i) != 0 {
		return 0
	}
	if gap := t.width(i+1) - t.width(i); gap < -1 || gap > 1 || t.width(i+1) < 2 {
		return 0
	}
	return level
}

// delimited returns the line behind the listing, literal, comment or passthrough block that begins on
// line i, if one does.
func (t *Text) delimited(i int) (int, bool) {
	line := bytes.TrimRight(t.Content(i), " \t")
	mark := t.rule(i)
	if len(line) < 4 && !bytes.HasPrefix(line, []byte("```")) || bytes.IndexByte([]byte("-./+`"), mark) < 0 && !bytes.HasPrefix(line, []byte("```")) {
		return 0, false
	}
	end := line
	if bytes.HasPrefix(line, []byte("```")) {
		end = line[:3]
	}
	if t.failed[string(end)] {
		return 0, false
	}
	for k := i + 1; k < t.Count(); k++ {
		if bytes.Equal(bytes.TrimRight(t.Content(k), " \t"), end) {
			return k + 1, true
		}
	}
	if t.failed == nil {
		t.failed = map[string]bool{}
	}
	t.failed[string(end)] = true
	return 0, false
}
