package script

import (
	"slices"
	"strconv"

	"frizzel/core/bound"
)

// context is where a node stands.
type context int

const (
	atTop     context = 1 << iota // of a script
	inRule                        // directly
	inAddress                     // in an address's braces, or behind it
	anywhere  = atTop | inRule | inAddress
)

// form is how a node that begins with a certain word is read, and where it may
// stand. The parse function finds the word consumed already.
type form struct {
	where context
	parse func(*parser, Head) Node
}

var forms map[string]form

var formWords []string

func init() { // the forms refer to functions that refer to the forms
	forms = map[string]form{
		"frizzel":  {atTop, (*parser).version},
		"title":    {atTop, func(p *parser, h Head) Node { return &Title{h, p.plain("a title")} }},
		"param":    {atTop, (*parser).param},
		"rule":     {atTop, (*parser).rule},
		"example":  {atTop, (*parser).example},
		"files":    {atTop | inRule, func(p *parser, h Head) Node { return p.files(h, false) }},
		"not":      {atTop | inRule, (*parser).notFiles},
		"joiners":  {atTop | inRule, func(p *parser, h Head) Node { return &Joiners{h, p.plain("the joining characters")} }},
		"encoding": {atTop | inRule, func(p *parser, h Head) Node { return &Encoding{h, p.plain("an encoding's name")} }},
		"syntax":   {atTop | inRule, func(p *parser, h Head) Node { return &Syntax{h, p.plain("a syntax's name")} }},
		"when":     {inRule, (*parser).when},
		"expect":   {inRule, (*parser).expect},
		"forbid":   {anywhere, func(p *parser, h Head) Node { return p.assert(h, true) }},
		"require":  {anywhere, func(p *parser, h Head) Node { return p.assert(h, false) }},
		"use":      {anywhere, (*parser).use},
		"replace":  {anywhere, (*parser).replace},
		"remove":   {anywhere, (*parser).remove},
		"delete":   {anywhere, func(_ *parser, h Head) Node { return &Delete{h} }},
		"insert":   {anywhere, (*parser).insert},
		"rewrite":  {anywhere, (*parser).rewrite},
		"settle":   {anywhere, (*parser).settle},
		"comment":  {anywhere, (*parser).commentOut},
		"uncomment": {anywhere, func(p *parser, h Head) Node {
			return &Comment{Head: h, Mark: p.text("the comment mark")}
		}},
		"copy":    {anywhere, func(p *parser, h Head) Node { return &Transfer{Head: h, Dest: p.dest("copy")} }},
		"move":    {anywhere, func(p *parser, h Head) Node { return &Transfer{Head: h, Move: true, Dest: p.dest("move")} }},
		"squeeze": {anywhere, (*parser).squeeze},
		"trim":    {anywhere, (*parser).trim},
		"on":      {anywhere, func(p *parser, h Head) Node { return p.addressed(h, false) }},
		"in":      {anywhere, func(p *parser, h Head) Node { return p.addressed(h, false) }},
		"at":      {anywhere, (*parser).atPath},
		"rename":  {anywhere, (*parser).rename},
		"outside": {anywhere, func(p *parser, h Head) Node { return p.addressed(h, true) }},
	}
	for w := range forms {
		formWords = append(formWords, w)
	}
	slices.Sort(formWords)
}

// noStatement is what is said of a line that begins as none does.
const noStatement = "no statement begins with "

const statementWords = "statements begin with words such as replace, remove, insert, delete or settle"

// statement reads one node of any kind.
func (p *parser) statement(where context) Node {
	t := p.owed()
	p.readable(t)
	f, ok := forms[t.text]
	if t.kind != kindWord || !ok {
		reason, remedy := noStatement+t.describe(), ""
		if t.kind == kindWord {
			remedy = didYouMean(t.text, formWords)
		}
		switch {
		case slices.Contains(addressWords[:4], t.text):
			remedy = "an address begins with on, as in: on " + t.text + " …"
		case slices.Contains(addressWords[4:], t.text):
			remedy = "an address begins with in, as in: in " + t.text + " …"
		case t.kind == kindWord && remedy == "":
			remedy = statementWords
		}
		if t.kind == kindMargin {
			reason = "this margin block belongs to no statement"
			remedy = "a block's lines stand together, right after what they complete"
		}
		p.fail(t.pos, reason, remedy)
	}
	if f.where&where == 0 {
		remedy := "it stands at the top of a script or in a rule"
		switch f.where {
		case atTop:
			remedy = "it stands at the top of a script, outside any braces"
		case inRule:
			remedy = "it stands directly in a rule"
		}
		p.fail(t.pos, strconv.Quote(t.text)+" cannot stand here", remedy)
	}
	p.at++
	return f.parse(p, Head{Pos: t.pos})
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

func (p *parser) param(h Head) Node {
	n := &Param{Head: h, Name: p.name("a parameter's name")}
	for {
		pos := p.peek().pos
		switch {
		case p.peek().kind == kindEqual:
			p.once(pos, n.Default == nil, "the default value")
			p.at++
			n.Default = p.plain("a default value")
		case p.accept("from"):
			p.once(pos, n.Env == nil, "the environment variable")
			p.want("env", "from")
			n.Env = p.plain("an environment variable's name")
		case p.accept("matching"):
			p.once(pos, n.Matching == nil, "what the value matches")
			n.Matching = p.pattern()
		case p.accept("about"):
			p.once(pos, n.About == nil, "the description")
			n.About = p.plain("a description")
		default:
			return n
		}
	}
}

// once reports what is said a second time, where first is not set.
func (p *parser) once(pos Pos, first bool, what string) {
	if !first {
		p.fail(pos, what+" is said twice", "say it once")
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

func (p *parser) notFiles(h Head) Node {
	p.want("files", "not")
	return p.files(h, true)
}

func (p *parser) when(h Head) Node {
	p.want("file", "when")
	n := &When{Head: h}
	switch p.oneOf("what the file must be", "has", "lacks", "changed") {
	case "has":
		n.Pattern = p.pattern()
	case "lacks":
		n.Lacks, n.Pattern = true, p.pattern()
	default:
		if p.accept("by") {
			n.By = p.name("a rule's name")
		}
	}
	return n
}

func (p *parser) expect(h Head) Node {
	n := &Expect{Head: h, Bound: p.bound("the number of changes")}
	p.oneOf("what is counted", "changes", "change")
	n.PerFile = p.accept("per", "file")
	return n
}

// bound reads `3`, `at least 3` or `at most 3`.
func (p *parser) bound(what string) bound.Bound {
	b := bound.Bound{}
	if p.accept("at") {
		if p.oneOf("how the number binds", "least", "most") == "least" {
			b.Kind = bound.AtLeast
		} else {
			b.Kind = bound.AtMost
		}
	}
	b.Count = p.number(what, 0)
	return b
}

func (p *parser) assert(h Head, forbid bool) Node {
	n := &Assert{Head: h, Forbid: forbid, Bound: bound.Bound{Kind: bound.AtLeast, Count: 1}, Plain: true}
	if t := p.owed(); !forbid && (t.kind == kindNumber || t.kind == kindWord && t.text == "at") {
		n.Bound, n.Plain = p.bound("the number of matches"), false
		p.want("of", "the number")
	}
	n.Pattern = p.pattern()
	n.PerFile = !forbid && p.accept("per", "file")
	return n
}

func (p *parser) example(h Head) Node {
	n := &Example{Head: h}
	if p.owed().kind == kindString {
		n.Name = p.plain("an example's name")
	}
	if p.owed().text == "of" {
		p.at++
		n.Of = p.name("a rule's name")
	}
	open := p.brace("example")
	gives := false
	for {
		if p.owed().kind == kindSemicolon {
			p.at++
			continue
		}
		if p.owed().kind != kindWord {
			break
		}
		t := p.take()
		switch t.text {
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
		case "given":
			p.once(t.pos, n.Given == nil, "what is given")
			n.Given = p.text("the example's text")
		case "gives":
			p.once(t.pos, !gives, "what it gives")
			gives = true
			if !p.accept("the", "same") {
				n.Gives = p.text("what the text becomes, or the same")
			}
		default:
			p.fail(t.pos, "an example holds no "+t.describe(), didYouMean(t.text, []string{"set", "file", "given", "gives"}))
		}
	}
	p.closing(open)
	if n.Given == nil || !gives {
		p.fail(h.Pos, "an example says what is given and what it gives", "")
	}
	return n
}
