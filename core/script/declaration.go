package script

import (
	"strconv"
)

// Declarations.
type (
	// Version is `frizzel 1`.
	Version struct {
		Head
		Number int
	}
	// Title is `title "…"`.
	Title struct {
		Head
		Text *Text
	}
	// Param declares a parameter, the source of its value, and the allowed values.
	Param struct {
		Head
		Name     string
		Default  *Text // nil without one
		Env      *Text // the environment variable's name, or nil
		Matching *Pattern
		About    *Text
	}
	// Files is `files GLOB …` or `not files GLOB …`.
	Files struct {
		Head
		Not   bool
		Globs []*Text
	}
	// Joiners is `joiners "…"`.
	Joiners struct {
		Head
		Text *Text
	}
	// Encoding is `encoding "…"`, of the files read.
	Encoding struct {
		Head
		Name *Text
	}
	// Syntax is `syntax "…"`, of files whose name does not tell.
	Syntax struct {
		Head
		Name *Text
	}
	// UseScript is `use "other.friz"`.
	UseScript struct {
		Head
		Path *Text
	}
	// NamedTable is `table NAME`: texts and what stands beside them.
	NamedTable struct {
		Head
		Name  string
		Table *Table // nil if the pairs are written out
		Pairs []Pair
		End   []string
	}
	// Rule is a named rule.
	Rule struct {
		Head
		Name  string
		About *Text // nil without a description
		Body  []Node
		End   []string
	}
	// Example is a text and the script's expected result for it.
	Example struct {
		Head
		Name *Text  // nil without one
		Of   string // the one rule to run, or ""
		Sets []Set
		File *Text // what file the text would be, or nil
		// Becomes is the path that the file has afterwards, or nil. Given may be nil then.
		Becomes *Text
		Given   *Text
		Gives   *Text // nil for `gives the same`
	}
	// Set gives a parameter its value in an example.
	Set struct {
		Pos   Pos
		Name  string
		Value *Text
	}
)

var declarations = []row{
	{"frizzel", atTop, (*parser).version, []Use{
		{"frizzel 1", "the version of the language that the script is written in", "frizzel 1"},
	}},
	{"title", atTop, func(p *parser, h Head) Node { return &Title{h, p.plain("a title")} }, []Use{
		{"title TEXT", "what the script is called in reports and histories", `title "Move depot 3"`},
	}},
	{"param", atTop, (*parser).param, []Use{
		{`param NAME = "…"`, "a parameter and its default value; without one it must be given", `param host = "depot-4"`},
		{`param NAME from env "VARIABLE"`, "a value from the environment", `param key from env "KIOSK_KEY"`},
		{"param NAME matching PATTERN", "what its value must match as a whole", `param port matching regex '\d{2,5}'`},
		{`param NAME about "…"`, "a description", `param port about "the board's port"`},
	}},
	{"table", atTop | inRule, (*parser).namedTable, []Use{
		{"table NAME { … }", "texts and what stands beside them, for the filter `by` and `replace each`",
			"table platforms {\n    \"oak\" \"3\"\n    \"ash\" \"4\"\n}\n\nreplace regex 'depot-(\\w+)' with \"platform {=1 by platforms}\""},
		{`table NAME from "…"`, "the same from a CSV file of two columns, or `columns \"OLD\" \"NEW\"` of one with a header", `table platforms from "platforms.csv"`},
	}},
	{"rule", atTop, (*parser).rule, []Use{
		{`rule NAME "…" { … }`, "statements under one name, with files, guards and expectations of their own",
			"rule host \"Host names\" {\n    replace word \"depot-3\" with \"depot-4\"\n}"},
	}},
	{"example", atTop, (*parser).example, []Use{
		{`example "…" of RULE { … }`, "a text and what the script, or one rule, makes of it; `set NAME = \"…\"` and `file \"…\"` may come first",
			"replace word \"depot-3\" with \"depot-4\"\n\nexample \"a host\" {\n    given \"ntp depot-3\"\n    gives \"ntp depot-4\"\n}"},
		{`file "…" becomes "…"`, "in an example: what the file is called, and what it is called then; `given` and `gives` may be left out",
			"in file name replace word \"depot-3\" with \"depot-4\"\n\nexample {\n    file \"depot-3.conf\" becomes \"depot-4.conf\"\n}"},
		{"gives the same", "the text stays as it is", "replace word \"depot-3\" with \"depot-4\"\n\nexample {\n    given \"depot-30\"\n    gives the same\n}"},
	}},
	{"files", atTop | inRule, func(p *parser, h Head) Node { return p.files(h, false) }, []Use{
		{"files GLOB …", "only these files, for the script or the rule", `files "*.ini" "conf/**"`},
	}},
	{"not", atTop | inRule, (*parser).notFiles, []Use{
		{"not files GLOB …", "all but these files", `not files "docs/archive/**"`},
	}},
	{"joiners", atTop | inRule, func(p *parser, h Head) Node { return &Joiners{h, p.plain("the joining characters")} }, []Use{
		{`joiners "…"`, "characters that belong to a word between two of its characters", `joiners "-."`},
	}},
	{"encoding", atTop | inRule, func(p *parser, h Head) Node { return &Encoding{h, p.plain("an encoding's name")} }, []Use{
		{`encoding "…"`, "the encoding of the files read", `encoding "iso-8859-1"`},
	}},
	{"syntax", atTop | inRule, func(p *parser, h Head) Node { return &Syntax{h, p.plain("a syntax's name")} }, []Use{
		{`syntax "…"`, "the syntax of files whose name does not tell", `syntax "yaml"`},
	}},
}

func (n *Version) chunks() []chunk   { return oneOf("frizzel " + strconv.Itoa(n.Number)) }
func (n *Title) chunks() []chunk     { return textChunks("title", n.Text) }
func (n *Joiners) chunks() []chunk   { return textChunks("joiners", n.Text) }
func (n *Encoding) chunks() []chunk  { return textChunks("encoding", n.Name) }
func (n *Syntax) chunks() []chunk    { return textChunks("syntax", n.Name) }
func (n *UseScript) chunks() []chunk { return textChunks("use", n.Path) }

func (n *NamedTable) chunks() []chunk {
	words := "table " + n.Name
	if n.Table != nil {
		words += " from " + n.Table.words()
	}
	return oneOf(words)
}

func (n *Files) chunks() []chunk {
	s := "files"
	if n.Not {
		s = "not files"
	}
	for _, g := range n.Globs {
		s += " " + quote(g)
	}
	return oneOf(s)
}

func (n *Param) chunks() []chunk {
	ps := oneOf("param " + n.Name)
	if n.Default != nil {
		if n.Default.Block {
			ps = textChunks(ps[0].words+" =", n.Default)
		} else {
			ps[0].words += " = " + quote(n.Default)
		}
	}
	return append(ps, optionChunks(n.options())...)
}

func (n *Rule) chunks() []chunk {
	if n.About == nil {
		return oneOf("rule " + n.Name)
	}
	return textChunks("rule "+n.Name, n.About)
}

func (n *Example) chunks() []chunk {
	head := "example"
	if n.Name != nil {
		head += " " + quote(n.Name)
	}
	if n.Of != "" {
		head += " of " + n.Of
	}
	return oneOf(head)
}

func (p *parser) version(h Head) Node {
	t := p.owed()
	n := p.number("the language's version", 1)
	if n > LanguageVersion {
		p.fail(t.pos, "this script wants version "+strconv.Itoa(n)+" of the language; this program reads version "+
			strconv.Itoa(LanguageVersion), "install a newer frizzel")
	}
	return &Version{h, n}
}

// options returns the options that may follow a parameter's name, except the default value.
func (n *Param) options() []option {
	env := texted(&n.Env, true, "the environment variable", "an environment variable's name", "from", "env")
	for i := range env.chunks {
		env.chunks[i].joined = true
	}
	all := []option{env, {words: []string{"matching"}, what: "what the value matches", parse: func(p *parser) { n.Matching = p.pattern() }}}
	if n.Matching != nil {
		all[1].chunks = patternChunks("matching", n.Matching)
	}
	return append(all, texted(&n.About, true, "the description", "a description", "about"))
}

func (p *parser) param(h Head) Node {
	n := &Param{Head: h, Name: p.name("a parameter's name")}
	o := p.options(n.options)
	for {
		if t := p.peek(); t.kind == kindEqual {
			p.once(t.pos, n.Default == nil, "the default value")
			p.at++
			n.Default = p.plain("a default value")
		} else if !o.one() {
			return n
		}
	}
}

func (p *parser) rule(h Head) Node {
	n := &Rule{Head: h, Name: p.name("a rule's name")}
	if p.owed().kind == kindString {
		n.About = p.plain("a description")
	}
	open := p.brace("the rule's name")
	n.Body, n.End = p.nodes(inRule)
	p.closing(open)
	return n
}

func (p *parser) files(h Head, not bool) Node {
	n := &Files{Head: h, Not: not, Globs: []*Text{p.text("a glob such as \"conf/**\"")}}
	for p.peek().kind == kindString {
		n.Globs = append(n.Globs, p.text("a glob"))
	}
	return n
}

func (p *parser) namedTable(h Head) Node {
	n := &NamedTable{Head: h, Name: p.name("a table's name")}
	p.expect("from")
	if t := p.owed(); t.kind == kindWord {
		p.want("from", "the table's name")
		n.Table = p.table(false)
		return n
	}
	open := p.brace("the table's name")
	n.Pairs, n.End = p.pairs(false)
	p.closing(open)
	return n
}

func (p *parser) notFiles(h Head) Node {
	p.want("files", "not")
	return p.files(h, true)
}

func (p *parser) example(h Head) Node {
	n := &Example{Head: h}
	if p.owed().kind == kindString {
		n.Name = p.plain("an example's name")
	}
	p.expect("of")
	if p.owed().text == "of" {
		p.at++
		n.Of = p.name("a rule's name")
	}
	open := p.brace("example")
	gives := false
	for {
		p.expect(exampleWords...)
		if p.owed().kind == kindSemicolon {
			p.at++
			continue
		}
		if p.owed().kind != kindWord {
			break
		}
		p.exampleItem(n, &gives)
	}
	p.closing(open)
	if n.Becomes != nil && n.Given == nil && !gives { // it is about the name alone
		return n
	}
	if n.Given == nil || !gives {
		p.fail(h.Pos, "an example says what is given and what it gives", "")
	}
	return n
}

// exampleWords begin the lines of an example.
var exampleWords = []string{"set", "file", "given", "gives"}

// exampleItem reads one line of an example.
func (p *parser) exampleItem(n *Example, gives *bool) {
	switch t := p.take(); t.text {
	case "set":
		s := Set{Pos: p.owed().pos, Name: p.name("a parameter's name")}
		if e := p.owed(); e.kind != kindEqual {
			p.fail(e.pos, "expected = after the parameter's name, found "+e.describe(), "")
		}
		p.at++
		s.Value = p.plain("a value")
		n.Sets = append(n.Sets, s)
	case "file":
		p.once(t.pos, n.File == nil, "the file")
		n.File = p.plain("a file's name")
		p.expect("becomes")
		if p.accept("becomes") {
			n.Becomes = p.plain("what the file is called then")
		}
	case "given":
		p.once(t.pos, n.Given == nil, "what is given")
		n.Given = p.text("the example's text")
	case "gives":
		p.once(t.pos, !*gives, "what it gives")
		*gives = true
		p.expect("the same")
		if !p.accept("the", "same") {
			n.Gives = p.text("what the text becomes, or the same")
		}
	default:
		p.fail(t.pos, "an example holds no "+t.describe(), didYouMean(t.text, exampleWords))
	}
}
