package script

import (
	"slices"
	"strings"
)

// Statements that settle.
type (
	// Settle is `settle PATTERN as TEXT`.
	Settle struct {
		Head
		Pattern   *Pattern
		Text      *Text
		Commented []*Text // the comment marks
		// KeepComment keeps a comment at the end of the line. The line continues on the next one if it ends with
		// Continued, or, with ByIndentation, on lines below it that are indented deeper.
		KeepComment   bool
		Continued     *Text // nil for none
		ByIndentation bool
		Added         Added
	}
	// Added says where a settle adds its lines if nothing matches: at the end of the span, or at its top, or next to
	// what a pattern finds.
	Added struct {
		Top     bool
		Below   bool     // else above
		Pattern *Pattern // nil for none
	}
	// SettleSection is `settle section "…"`.
	SettleSection struct {
		Head
		Name *Text
	}
	// SettleValue is `settle value PATH as TEXT`, and `settle item` if Item is set.
	SettleValue struct {
		Head
		Path    *Text
		Item    bool
		Literal bool
		Text    *Text
		Where   Place
	}
	// Place is where a new member goes among its siblings: at the top, or next to the one that the path Near, from their
	// parent, names; otherwise at the end.
	Place struct {
		Top   bool
		Below bool  // else above
		Near  *Text // nil for none
	}
)

var settling = []row{
	{"settle", anywhere, (*parser).settle, []Use{
		{"settle PATTERN as TEXT", "exactly one line: the first that matches becomes TEXT, further ones go; without any, TEXT is added", `settle regex '^port\s*=' as "port = 8415"`},
		{`settle … commented by "…" "…"`, "a line that would match without one of these comment marks is taken before one is added", `settle regex '^port\s*=' as "port = 8415" commented by "#" ";"`},
		{"settle … added below PATTERN", "where it is added: behind the last line that matches, before the first with `above`, else at the end", `settle regex '^port\s*=' as "port = 8415" added below regex '^host\s*='`},
		{"settle … added at top", "at the top of the file, the section or the block", `in section "board" settle regex '^port\s*=' as "port = 8415" added at top`},
		{"settle PATTERN as LINES", "several lines that stand together, in the place of all that match", "settle regex '^server\\s*=' as\n    | server = 192.0.2.40\n    | server = 192.0.2.41"},
		{"settle … keeping comment", "a comment at the line's end stays", `settle regex '^port\s*=' as "port = 8415" keeping comment`},
		{`settle … continued by "…"`, "the line takes its continuation lines with it, which the mark at a line's end continues", `settle regex '^hosts' as "hosts = depot-4" continued by "\"`},
		{"settle … continued by indentation", "the same of deeper-indented lines below it", `settle regex '^hosts' as "hosts = depot-4" continued by indentation`},
		{`settle section "…"`, "that section exists: its header is added at the file's end if it does not", `settle section "clock"`},
		{"settle value PATH as TEXT", "that member has this value, and is added if it is missing; `as literal` for a number, a list and the like", `settle value '$.port' as literal "8415"`},
		{"settle value PATH[?@.NAME == VALUE]… as TEXT", "of the item that holds that, and else of a new one", `settle value '$.env[?@.name == "DEBUG"].value' as "1"`},
		{"settle item PATH as TEXT", "that list holds this item", `settle item '$.hosts' as "depot-4"`},
		{"settle value … added below PATH", "what is new goes below that sibling; also `added above PATH` and `added at top`", `settle value '$.port' as literal "8415" added below '@.host'`},
	}},
}

func (n *Settle) options() []option {
	indentation := option{words: []string{"continued", "by"}, what: "how the line is continued", parse: func(p *parser) {
		p.expect("indentation")
		if t := p.owed(); t.kind == kindWord {
			p.want("indentation", "by")
			n.ByIndentation = true
		} else {
			n.Continued = p.plain("the mark that continues a line")
		}
	}}
	switch {
	case n.ByIndentation:
		indentation.chunks = oneOf("continued by indentation")
	case n.Continued != nil:
		indentation.chunks = textChunks("continued by", n.Continued)
	}
	return append(n.Added.options(), []option{
		n.marks(),
		flagged(&n.KeepComment, "keeping comment", "keeping", "comment"),
		indentation,
		{words: []string{"ignoring", "case"}, what: "ignoring case", flag: &n.Pattern.IgnoreCase},
	}...)
}

// placing returns the options that say where something is added: `added at top`, and `added below` or `added above` what
// read reads. near returns how the latter is written behind words, nil if it is not said.
func placing(top *bool, read func(p *parser, below bool), near func(words string, below bool) []chunk) []option {
	beside := func(word string, below bool) option {
		words := "added " + word
		return option{words: []string{"added", word}, what: words, group: "added", chunks: near(words, below), parse: func(p *parser) { read(p, below) }}
	}
	const words = "added at top"
	return []option{beside("below", true), beside("above", false), {words: strings.Fields(words), what: words, group: "added", flag: top, chunks: when(*top, words)}}
}

// options returns the options of the place.
func (n *Added) options() []option {
	return placing(&n.Top, func(p *parser, below bool) { n.Below, n.Pattern = below, p.pattern() }, func(words string, below bool) []chunk {
		if n.Pattern == nil || n.Below != below {
			return nil
		}
		return patternChunks(words, n.Pattern)
	})
}

// marks returns the option `commented by`.
func (n *Settle) marks() option {
	o := option{words: []string{"commented", "by"}, what: "how lines are commented", parse: func(p *parser) {
		n.Commented = append(n.Commented, p.plain("a comment mark"))
		for p.peek().kind == kindString {
			n.Commented = append(n.Commented, p.plain("a comment mark"))
		}
	}}
	if len(n.Commented) == 0 {
		return o
	}
	words := "commented by"
	for _, mark := range n.Commented {
		words += " " + quote(mark)
	}
	o.chunks = oneOf(words)
	return o
}

func (n *Settle) chunks() []chunk {
	ps := append(patternChunks("settle", n.Pattern), textChunks("as", n.Text)...)
	return append(ps, optionChunks(n.options())...)
}

func (n *SettleSection) chunks() []chunk { return textChunks("settle section", n.Name) }

func (n *SettleValue) chunks() []chunk {
	head, as := "settle value", "as"
	if n.Item {
		head = "settle item"
	}
	if n.Literal {
		as = "as literal"
	}
	return slices.Concat(pathChunks(head, n.Path), textChunks(as, n.Text), optionChunks(n.Where.options()))
}

// options returns the options of the place.
func (n *Place) options() []option {
	return placing(&n.Top, func(p *parser, below bool) { n.Below, n.Near = below, p.text("a path to a sibling") }, func(words string, below bool) []chunk {
		if n.Near == nil || n.Below != below {
			return nil
		}
		return pathChunks(words, n.Near)
	})
}

func (p *parser) settle(h Head) Node {
	p.expect("section", "value", "item")
	switch t := p.owed(); {
	case t.kind != kindWord:
	case t.text == "section":
		p.at++
		return &SettleSection{h, p.text("a section's name")}
	case t.text == "value" || t.text == "item":
		p.at++
		return p.settleValue(h, t.text == "item")
	}
	n := &Settle{Head: h, Pattern: p.pattern()}
	p.want("as", "the pattern")
	n.Text = p.content("the one line")
	o := p.options(n.options)
	o.read()
	return n
}

// settleValue reads what follows `settle value` and `settle item`.
func (p *parser) settleValue(h Head, item bool) Node {
	n := &SettleValue{Head: h, Item: item, Path: p.text("a path")}
	p.want("as", "the path")
	p.expect("literal")
	if t := p.owed(); t.kind == kindWord {
		p.want("literal", "as")
		n.Literal = true
	}
	n.Text = p.content("the value")
	o := p.options(n.Where.options)
	o.read()
	return n
}
