package script

import "strconv"

// Statements that replace.
type (
	// Replace is `replace PATTERN with TEXT`, and `remove PATTERN` if With is nil.
	Replace struct {
		Head
		Pattern     *Pattern
		With        *Text
		Which       Which
		InFile      bool // occurrences are counted through the selection in the file
		KeepCase    bool
		AcrossLines bool
	}
	// ReplaceEach is `replace each word { … }` and its like from a table.
	ReplaceEach struct {
		Head
		Word       bool // else text
		IgnoreCase bool
		KeepCase   bool
		Pairs      []Pair
		End        []string
		Table      *Table // nil if pairs are written out
	}
)

// Which says which occurrences a replace acts on, counted from 1: From to To, To being 0 for the last
// one; every occurrence if From is 0.
type Which struct {
	From, To int
	Last     bool // only the last one
}

// Pair is one line of a `replace each`.
type Pair struct {
	Head
	Old  *Text
	With *Text
}

// Table is a CSV file of pairs, or a named table.
type Table struct {
	Name     string // of a table of the script; "" for a file
	Pos      Pos    // of the name
	Path     *Text
	Old, New *Text // column names, nil for two columns without a header
}

var replacing = []row{
	{"replace", anywhere, (*parser).replace, []Use{
		{"replace PATTERN with TEXT", "each match becomes TEXT", `replace word "depot-3" with "depot-4"`},
		{"replace … first", "only the first match in each line; also `last`, `occurrence N`, `occurrences N to N` and `occurrences N to last`",
			`replace text "," with ";" occurrences 2 to last`},
		{"replace … first in file", "occurrences are counted through the selection in the file", `replace word "depot-3" with "depot-4" first in file`},
		{"replace … ignoring case", "capitals do not count", `replace word "depot-3" with "depot-4" ignoring case`},
		{"replace … keeping case", "matched in any case; capitals of the match pass to the new text", `replace word "gage" with "gauge" keeping case`},
		{"replace … across lines", "the pattern may span lines", `replace regex 'a\s+b' with "a b" across lines`},
		{"replace each word { … }", "many at once, in one pass, so that names can be swapped; also `each text`, and `ignoring case` or `keeping case`",
			"replace each word {\n    \"oak\" with \"ash\"\n    \"ash\" with \"oak\"\n}"},
		{`replace each word from table "…"`, "the same from a CSV file of two columns, or `columns \"OLD\" \"NEW\"` of one with a header",
			`replace each word from table "hosts.csv" columns "old" "new"`},
		{"replace each word from table NAME", "the same from a table that the script names", "table moved {\n    \"depot-3\" \"depot-4\"\n}\n\nreplace each word from table moved"},
	}},
	{"remove", anywhere, (*parser).remove, []Use{
		{"remove PATTERN", "each match goes; a margin block's lines go with their endings. Options as for replace", `remove text " # old" last`},
	}},
}

// options returns the options of a replace or a remove.
func (n *Replace) options() []option {
	which := func(what string, read func(p *parser) Which, words ...string) option {
		return option{words: words, what: what, group: "which", parse: func(p *parser) { n.Which = read(p) }}
	}
	all := []option{
		which("first", func(*parser) Which { return Which{From: 1, To: 1} }, "first"),
		which("last", func(*parser) Which { return Which{Last: true} }, "last"),
		which("occurrence", func(p *parser) Which {
			i := p.number("an occurrence", 1)
			return Which{From: i, To: i}
		}, "occurrence"),
		which("occurrences", func(p *parser) (w Which) {
			w.From, w.To = p.interval("an occurrence")
			return w
		}, "occurrences"),
		flagged(&n.InFile, "in file", "in", "file"),
		{words: []string{"ignoring", "case"}, what: "ignoring case", group: "case", flag: &n.Pattern.IgnoreCase, chunks: when(n.Pattern.IgnoreCase, "ignoring case")},
	}
	if n.Which != (Which{}) {
		all[0].chunks = oneOf(n.Which.String())
	}
	keeping := flagged(&n.KeepCase, "keeping case", "keeping", "case")
	keeping.group = "case"
	return append(all, keeping, flagged(&n.AcrossLines, "across lines", "across", "lines"))
}

func (w Which) String() string {
	switch {
	case w.Last:
		return "last"
	case w.From == 1 && w.To == 1:
		return "first"
	case w.To == w.From:
		return "occurrence " + strconv.Itoa(w.From)
	case w.To == 0:
		return "occurrences " + strconv.Itoa(w.From) + " to last"
	}
	return "occurrences " + strconv.Itoa(w.From) + " to " + strconv.Itoa(w.To)
}

func (n *Replace) chunks() []chunk {
	if n.With == nil {
		return append(barePattern("remove", n.Pattern), optionChunks(n.options())...)
	}
	ps := append(barePattern("replace", n.Pattern), textChunks("with", n.With)...)
	return append(ps, optionChunks(n.options())...)
}

// replace reads what follows `replace`.
func (p *parser) replace(h Head) Node {
	p.expect("each")
	if p.accept("each") {
		return p.replaceEach(h)
	}
	n := &Replace{Head: h, Pattern: p.pattern()}
	o := p.options(n.options)
	o.read()
	p.want("with", "the pattern")
	n.With = p.content("the replacement")
	o.read()
	p.counted(n)
	return n
}

func (p *parser) remove(h Head) Node {
	n := &Replace{Head: h, Pattern: p.pattern()}
	o := p.options(n.options)
	o.read()
	if n.KeepCase {
		p.fail(h.Pos, "remove writes nothing whose case could be kept", "say ignoring case if capitals are meant as well")
	}
	p.counted(n)
	return n
}

// counted reports options that say the opposite of each other, or nothing.
func (p *parser) counted(n *Replace) {
	if n.InFile && n.Which == (Which{}) {
		p.fail(n.Pos, "in file says how occurrences are counted, and none are", "say which, as in: first in file")
	}
	if n.KeepCase && n.Pattern.IgnoreCase {
		p.fail(n.Pos, "ignoring case and keeping case contradict each other", "keeping case matches in any case; keep that")
	}
}

// interval parses `N to M` or `N to last`. to is 0 for last.
func (p *parser) interval(what string) (from, to int) {
	from = p.number(what, 1)
	p.want("to", "the first number")
	p.expect("last")
	t := p.owed()
	if t.kind == kindWord && t.text == "last" {
		p.at++
		return from, 0
	}
	to = p.number(what, 1)
	if to < from {
		p.fail(t.pos, "this range ends before it begins", "write the smaller number first")
	}
	return from, to
}

// options returns the options of a `replace each`.
func (n *ReplaceEach) options() []option {
	ignoring, keeping := flagged(&n.IgnoreCase, "ignoring case", "ignoring", "case"), flagged(&n.KeepCase, "keeping case", "keeping", "case")
	ignoring.group, keeping.group = "case", "case"
	return []option{ignoring, keeping}
}

func (n *ReplaceEach) word() string { return map[bool]string{true: "word", false: "text"}[n.Word] }

// chunks returns all but pairs that are written out.
func (n *ReplaceEach) chunks() []chunk {
	words := "replace each " + n.word()
	for _, o := range optionChunks(n.options()) {
		words += " " + o.words
	}
	if n.Table != nil {
		words += " from table " + n.Table.words()
	}
	return oneOf(words)
}

func (t *Table) words() string {
	switch {
	case t.Name != "":
		return t.Name
	case t.Old != nil:
		return quote(t.Path) + " columns " + quote(t.Old) + " " + quote(t.New)
	}
	return quote(t.Path)
}

func (p *parser) replaceEach(h Head) Node {
	n := &ReplaceEach{Head: h, Word: p.choice("what each one is", "word", "text") == "word"}
	o := p.options(n.options)
	o.read()
	p.expect("from")
	if t := p.owed(); t.kind == kindWord && t.text == "from" {
		p.at++
		p.want("table", "from")
		n.Table = p.table(true)
	} else {
		open := p.brace("each " + n.word())
		n.Pairs, n.End = p.pairs(true)
		p.closing(open)
		if len(n.Pairs) == 0 {
			p.fail(open.pos, "there is nothing to replace between these braces", `write lines such as "old" with "new"`)
		}
	}
	o.read()
	return n
}

// pairs reads lines of `"old" with "new"` up to the closing brace, or of `"old" "new"`.
func (p *parser) pairs(with bool) (pairs []Pair, end []string) {
	for {
		hoisted := p.hoisted
		p.hoisted = nil
		for p.owed().kind == kindSemicolon {
			p.at++
		}
		t := p.owed()
		above := p.hoisted
		p.hoisted = hoisted
		if t.kind != kindString && t.kind != kindMargin {
			return pairs, above
		}
		pair := Pair{Head: Head{Pos: t.pos, Above: above}}
		if with {
			pair.Old = p.text("the old text")
			p.want("with", "the old text")
			pair.With = p.text("the new text")
		} else {
			pair.Old, pair.With = p.plain("a table's text"), p.plain("what stands beside it")
		}
		if c := p.tokens[p.at]; c.kind == kindComment {
			pair.After = c.text
			p.at++
		}
		pairs = append(pairs, pair)
	}
}

// table reads a table's path and columns, or, if named is set, a table's name.
func (p *parser) table(named bool) *Table {
	if t := p.owed(); named && t.kind == kindWord {
		return &Table{Pos: t.pos, Name: p.name("a table's name")}
	}
	t := &Table{Path: p.plain("the table's path")}
	p.expect("columns")
	if p.accept("columns") {
		t.Old = p.plain("the column of old texts")
		t.New = p.plain("the column of new texts")
	}
	return t
}
