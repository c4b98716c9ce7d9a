package assist

import (
	"regexp"
	"slices"
	"strings"
	"sync"

	"frizzel/core/script"
)

// An ItemKind is what a completion is.
type ItemKind int

const (
	WordItem ItemKind = iota
	NameItem
	FilterItem
)

// An Item is a completion.
type Item struct {
	Kind  ItemKind
	Label string
	Help  string
}

var (
	openHole   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\{=([a-z0-9-]*)$`) })
	openFilter = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\{=[a-z0-9-]+(?: [^{}]*)? ([a-z]*)$`) })
	wordPart   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[A-Za-z_][A-Za-z0-9_-]*$`) })
)

// Complete returns what may come at an offset, and the offset from which it replaces what is typed there.
func (d *Document) Complete(offset int, load Loader) (items []Item, from int) {
	n := d.lineOf(offset)
	line := d.Text[d.starts[n]:offset]
	if d.inText(offset) {
		if m := openHole().FindStringSubmatch(line); m != nil {
			return d.placeholders(load), offset - len(m[1])
		}
		if m := openFilter().FindStringSubmatch(line); m != nil {
			return filters(), offset - len(m[1])
		}
		return nil, offset
	}
	part := wordPart().FindString(line)
	from = offset - len(part)
	before := lexemesBefore(d.lines[n].read(), from-d.starts[n])
	if kind, ok := wantsName(before); ok {
		return d.named(kind, load), from
	}
	for _, w := range script.CompleteScript(d.Text[d.begin(n):from]) {
		items = append(items, Item{WordItem, w, helpOf(before, w)})
	}
	return items, from
}

// inText reports whether an offset is in a string, in a margin block or in a comment.
func (d *Document) inText(offset int) bool {
	c, i := d.at(offset)
	if i < 0 {
		return false
	}
	at := offset - d.starts[d.lineOf(offset)]
	switch l := c.lexemes[i]; l.Kind {
	case script.LexString:
		return l.Start < at && at < l.End
	case script.LexMargin, script.LexComment, script.LexMistake:
		return l.Start < at
	}
	return false
}

// lexemesBefore returns the lexemes of a line before a byte of it.
func lexemesBefore(c *content, at int) []script.Lexeme {
	n, _ := slices.BinarySearchFunc(c.lexemes, at, func(l script.Lexeme, at int) int { return l.Start - at })
	return c.lexemes[:n]
}

// wantsName returns the kind of name that comes behind lexemes of a line, if one does.
func wantsName(before []script.Lexeme) (NameKind, bool) {
	word := func(back int, text string) bool {
		i := len(before) - back
		return i >= 0 && before[i].Kind == script.LexWord && before[i].Text == text
	}
	switch {
	case word(1, "by") && word(2, "changed"):
		return RuleName, true
	case word(1, "table") && word(2, "from"):
		return TableName, true
	case word(1, "set") && before[len(before)-1].Begins:
		return ParamName, true
	case word(1, "of"):
		return RuleName, before[0].Text == "example"
	}
	return 0, false
}

// begin returns the offset of a line before which nothing matters for what may come on line n: a few lines outside any
// braces before it.
func (d *Document) begin(n int) int {
	const few = 6
	starts := []int{0}
	depth := 0
	for i, l := range d.lines[:n] {
		c := l.read()
		if depth == 0 && len(c.lexemes) > 0 {
			starts = append(starts, d.starts[i])
		}
		depth = max(depth+c.opens, 0)
	}
	return starts[max(len(starts)-few, 0)]
}

// named returns the names of a kind that are declared in the document and in those that it uses.
func (d *Document) named(kind NameKind, load Loader) (items []Item) {
	for _, u := range d.Used(load) {
		for _, l := range u.lines {
			for _, n := range l.read().names {
				if n.Declares && n.Kind == kind {
					items = append(items, Item{NameItem, n.Text, strings.TrimSpace(l.text)})
				}
			}
		}
	}
	return items
}

// placeholders returns what a placeholder may name.
func (d *Document) placeholders(load Loader) []Item {
	items := d.named(ParamName, load)
	var groups []string
	for _, l := range d.lines {
		groups = append(groups, l.read().groups...)
	}
	slices.Sort(groups)
	for _, name := range slices.Compact(groups) {
		items = append(items, Item{NameItem, name, "a group of an expression in this script"})
	}
	items = append(items, Item{NameItem, "0", "the whole match"}, Item{NameItem, "1", "the first group of the expression"})
	for _, use := range script.Placeholders() {
		items = append(items, Item{WordItem, use.Name, use.Help})
	}
	return items
}

func filters() (items []Item) {
	for _, use := range script.Filters() {
		items = append(items, Item{FilterItem, use.Name, use.Form + ": " + use.Help})
	}
	return items
}
