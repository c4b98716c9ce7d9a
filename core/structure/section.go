package structure

import (
	"bytes"
	"regexp"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// header is a line of its own in brackets, single or double, and perhaps a comment
// behind it.
var header = regexp.MustCompile(`^[ \t]*\[(\[?)[ \t]*([^\[\]]+?)[ \t]*\]?\][ \t]*([#;].*)?$`)

// Sections returns the sections of the name: from `[name]`, or `[[name]]`, to
// before the next header, blank lines at the end left out.
func (t *Text) Sections(name string) []edit.Span {
	var found []edit.Span
	open := -1
	for i := range t.Count() {
		line := t.Content(i)
		if bytes.IndexByte(line, '[') < 0 {
			continue
		}
		m := header.FindSubmatch(line)
		if m == nil {
			continue
		}
		if open >= 0 {
			found = append(found, t.Lines(open, t.withoutBlankEnd(open, i)))
			open = -1
		}
		if string(m[2]) == name {
			open = i
		}
	}
	if open >= 0 {
		found = append(found, t.Lines(open, t.withoutBlankEnd(open, t.Count())))
	}
	return found
}

// Headings returns the sections of the name in a Markdown text: from the heading
// to before the next of its level or above, code fences passed over, blank lines
// at the end left out. A section within one of the same name is part of it.
func (t *Text) Headings(name string) []edit.Span {
	var found []edit.Span
	open, level := -1, 0
	m := markdown{text: t}
	m.first = m.frontMatter()
	for i := m.first; i < t.Count(); i++ {
		title, l := m.heading(i)
		if l == 0 {
			continue
		}
		if open >= 0 && l <= level {
			found = append(found, t.Lines(open, t.withoutBlankEnd(open, i)))
			open = -1
		}
		if open < 0 && title == name {
			open, level = i, l
		}
	}
	if open >= 0 {
		found = append(found, t.Lines(open, t.withoutBlankEnd(open, t.Count())))
	}
	return found
}

// markdown reads headings, keeping track of code fences.
type markdown struct {
	text  *Text
	first int    // the first line of the document proper
	fence string // the open fence, "" outside one
}

// frontMatter returns the first line after the settings that a document may begin
// with, between two lines of ---.
func (m *markdown) frontMatter() int {
	if m.text.Count() == 0 || string(m.text.Content(0)) != "---" {
		return 0
	}
	for i := 1; i < m.text.Count(); i++ {
		if string(m.text.Content(i)) == "---" {
			return i + 1
		}
	}
	return 0
}

var (
	fence      = regexp.MustCompile("^ {0,3}(```+|~~~+)(.*)$")
	hashes     = regexp.MustCompile(`^ {0,3}(#{1,6})(?:[ \t]+(.*?))?(?:[ \t]+#+)?[ \t]*$`)
	underline  = regexp.MustCompile(`^ {0,3}(=+|-{2,})[ \t]*$`)
	titleStart = regexp.MustCompile(`^ {0,3}[^ \t#>|\-*+=]`)
)

// heading returns the title and the level of line i, level 0 where it is none.
func (m *markdown) heading(i int) (title string, level int) {
	line := m.text.Content(i)
	if f := fence.FindSubmatch(line); f != nil {
		mark := string(f[1])
		switch {
		case m.fence == "":
			m.fence = mark
		case strings.HasPrefix(mark, m.fence) && lines.Blank(f[2]):
			m.fence = ""
		}
		return "", 0
	}
	if m.fence != "" {
		return "", 0
	}
	if h := hashes.FindSubmatch(line); h != nil {
		return string(h[2]), len(h[1])
	}
	if i+1 < m.text.Count() && titleStart.Match(line) && (i == m.first || lines.Blank(m.text.Content(i-1))) {
		if u := underline.FindSubmatch(m.text.Content(i + 1)); u != nil {
			if u[1][0] == '=' {
				return strings.TrimSpace(string(line)), 1
			}
			return strings.TrimSpace(string(line)), 2
		}
	}
	return "", 0
}
