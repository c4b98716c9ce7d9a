// Package assist answers an editor's questions about a rule script: what may come next, what something means, where a
// name is declared and used, how the script is laid out.
//
// The central type is [Document], one version of a script. It is read into lexemes line by line, so questions are answered
// while parts of the script have mistakes, and [Document.Edited] reads only the lines that changed. Words, their help and
// their order come from the table of the language in package script. Offsets are bytes of the script.
package assist

import (
	"path"
	"slices"
	"sort"
	"strings"
	"sync"

	"frizzel/core/script"
)

// A Document is one version of a script. It is not changed, and safe for use by several goroutines at once.
type Document struct {
	Name string // the path that `use` is relative to
	Text string

	lines []*line // shared with other versions
	// starts are the offsets of the lines.
	starts []int
	parsed func() (*script.Script, script.Problems)
}

// A line is a line of the script. What it holds is read only when somebody asks for it; places in it are in bytes.
type line struct {
	text string
	read func() *content
}

type content struct {
	lexemes []script.Lexeme
	names   []Name
	groups  []string // of its expressions
	opens   int      // braces that it opens, less those that it closes
}

// Read returns a document.
func Read(name, text string) *Document {
	d := &Document{Name: name, Text: text}
	for l := range strings.SplitAfterSeq(text, "\n") {
		d.lines = append(d.lines, newLine(l))
	}
	d.place()
	return d
}

func newLine(text string) *line {
	return &line{text, sync.OnceValue(func() *content { return contentOf(strings.TrimRight(text, "\r\n")) })}
}

// place computes where the lines begin.
func (d *Document) place() {
	d.parsed = sync.OnceValues(func() (*script.Script, script.Problems) { return script.Parse(d.Name, d.Text) })
	d.starts = make([]int, len(d.lines))
	at := 0
	for i, l := range d.lines {
		d.starts[i] = at
		at += len(l.text)
	}
}

// Edited returns the document with the bytes from start to end replaced.
func (d *Document) Edited(start, end int, fresh string) *Document {
	first, last := d.lineOf(start), d.lineOf(end)
	text := d.Text[d.starts[first]:start] + fresh + d.Text[end:d.starts[last]+len(d.lines[last].text)]
	e := &Document{Name: d.Name, Text: d.Text[:start] + fresh + d.Text[end:]}
	var between []*line
	for l := range strings.SplitAfterSeq(text, "\n") {
		between = append(between, newLine(l))
	}
	if last+1 < len(d.lines) && between[len(between)-1].text == "" { // the split of a text that ends a line
		between = between[:len(between)-1]
	}
	e.lines = slices.Concat(d.lines[:first], between, d.lines[last+1:])
	e.place()
	return e
}

// Parsed returns the script and its mistakes, as script.Parse does.
func (d *Document) Parsed() (*script.Script, script.Problems) { return d.parsed() }

// Lines returns the number of lines. A text that ends a line has an empty one behind it.
func (d *Document) Lines() int { return len(d.lines) }

// Line returns a line, from 0, without its ending, and its offset. Lines beyond the last are empty.
func (d *Document) Line(n int) (text string, start int) {
	if n >= len(d.lines) {
		return "", len(d.Text)
	}
	return strings.TrimRight(d.lines[n].text, "\r\n"), d.starts[n]
}

// LineOf returns the number, from 0, of the line that has the byte at an offset.
func (d *Document) LineOf(offset int) int { return d.lineOf(offset) }

func (d *Document) lineOf(offset int) int { return sort.SearchInts(d.starts, offset+1) - 1 }

// at returns the lexeme of a line that has the byte at an offset, or ends there, and its index; -1 if there is none.
func (d *Document) at(offset int) (c *content, i int) {
	n := d.lineOf(offset)
	c, at := d.lines[n].read(), offset-d.starts[n]
	for i, l := range c.lexemes {
		if l.Start <= at && (at < l.End || at == l.End && (l.Kind != script.LexPunctuation || i+1 == len(c.lexemes) || c.lexemes[i+1].Start > at)) {
			return c, i
		}
	}
	return c, -1
}

// A NameKind is what a name names.
type NameKind int

const (
	RuleName NameKind = iota
	ParamName
	TableName
	ScriptName // the path of another script
)

// A Name is a place where something is named.
type Name struct {
	Kind       NameKind
	Text       string
	Start, End int
	Declares   bool
}

// Names returns all names of the document, in order.
func (d *Document) Names() (all []Name) {
	for i, l := range d.lines {
		for _, n := range l.read().names {
			n.Start, n.End = n.Start+d.starts[i], n.End+d.starts[i]
			all = append(all, n)
		}
	}
	return all
}

// NameAt returns the name at an offset.
func (d *Document) NameAt(offset int) (Name, bool) {
	i := d.lineOf(offset)
	for _, n := range d.lines[i].read().names {
		n.Start, n.End = n.Start+d.starts[i], n.End+d.starts[i]
		if n.Start <= offset && offset <= n.End {
			return n, true
		}
	}
	return Name{}, false
}

// Declared returns the declaration of a name in this document.
func (d *Document) Declared(kind NameKind, text string) (Name, bool) {
	for i, l := range d.lines {
		for _, n := range l.read().names {
			if n.Declares && n.Kind == kind && n.Text == text {
				n.Start, n.End = n.Start+d.starts[i], n.End+d.starts[i]
				return n, true
			}
		}
	}
	return Name{}, false
}

// hasGroup reports whether a group of an expression has a name.
func (d *Document) hasGroup(name string) bool {
	return slices.ContainsFunc(d.lines, func(l *line) bool { return slices.Contains(l.read().groups, name) })
}

// A Loader returns the document that a path names, nil if it cannot be read.
type Loader func(name string) *Document

// maxUsed is the number of scripts that are followed through `use`.
const maxUsed = 1000

// Used returns the document and those that it uses, directly or through others, each once.
func (d *Document) Used(load Loader) (all []*Document) {
	seen := map[string]bool{path.Clean(d.Name): true}
	all = []*Document{d}
	for i := 0; i < len(all) && i < maxUsed; i++ {
		for _, l := range all[i].lines {
			for _, n := range l.read().names {
				if n.Kind != ScriptName {
					continue
				}
				to := all[i].Beside(n.Text)
				if seen[to] {
					continue
				}
				seen[to] = true
				if used := load(to); used != nil {
					all = append(all, used)
				}
			}
		}
	}
	return all
}

// Beside returns a path that the document names, as `use` does.
func (d *Document) Beside(name string) string { return script.Beside(d.Name, name) }

// lineAt returns the whole line of an offset.
func (d *Document) lineAt(offset int) string {
	text, _ := d.Line(d.lineOf(offset))
	return text
}
