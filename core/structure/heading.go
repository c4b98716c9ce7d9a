package structure

import (
	"bytes"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/text"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Headings returns the sections of the name in a Markdown text (CommonMark): from the
// heading to before the next of its level or above, blank lines at the end left out; with
// direct to before the next heading of any level. A section within one of the same name is
// part of it, but with direct. Headings in quotes and lists are none of the document's.
func (t *Text) Headings(name string, direct bool) []edit.Span {
	return t.under(t.headings(), name, direct)
}

// Heading is a line, from 0, that is a heading, and its level, from 1.
type Heading struct{ Line, Level int }

// Under returns the sections of the name in a text whose headings are known, as Headings does.
func (t *Text) Under(all []Heading, name string, direct bool) []edit.Span {
	var known []heading
	for _, h := range all {
		if h.Line < t.Count() {
			known = append(known, heading{h.Line, h.Level, string(bytes.TrimSpace(t.Content(h.Line)))})
		}
	}
	return t.under(known, name, direct)
}

func (t *Text) under(all []heading, name string, direct bool) []edit.Span {
	var found []edit.Span
	open, level := -1, 0
	close := func(at int) {
		if open >= 0 {
			found = append(found, t.Lines(open, t.withoutBlankEnd(open, at)))
			open = -1
		}
	}
	for _, h := range all {
		if h.level <= level || direct {
			close(h.line)
		}
		if open < 0 && h.title == name {
			open, level = h.line, h.level
		}
	}
	close(t.Count())
	return found
}

// heading is one of a Markdown text.
type heading struct {
	line, level int // the line from 0
	title       string
}

// headings reads the headings of a Markdown text, in order.
func (t *Text) headings() (all []heading) {
	from := t.frontMatter()
	body := t.Bytes[from:]
	document := goldmark.DefaultParser().Parse(text.NewReader(body))
	for n := document.FirstChild(); n != nil; n = n.NextSibling() {
		h, ok := n.(*ast.Heading)
		if !ok {
			continue
		}
		at, title := h.Pos(), []byte(nil)
		if segments := h.Lines(); segments.Len() > 0 {
			at = segments.At(0).Start
			title = bytes.TrimSpace(body[at:segments.At(segments.Len()-1).Stop])
		}
		if at >= 0 {
			all = append(all, heading{t.At(from + at), h.Level, string(title)})
		}
	}
	return all
}

// frontMatter returns where a document begins after the settings that may stand before it,
// between two lines of ---.
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
