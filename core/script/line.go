package script

import "strconv"

// Statements about whole lines.
type (
	// Delete is `delete`.
	Delete struct{ Head }
	// Insert is the four inserts.
	Insert struct {
		Head
		Where         Edge
		Text          *Text
		UnlessPresent bool
	}
	// Rewrite is `rewrite as TEXT`.
	Rewrite struct {
		Head
		Text    *Text
		Literal bool // of a value: as the file writes it
	}
	// Rename is `rename to TEXT`.
	Rename struct {
		Head
		To *Text
	}
	// Comment is `comment out with "…"` and `uncomment "…"`.
	Comment struct {
		Head
		Out  bool
		Mark *Text
	}
	// Transfer is `copy DEST` and `move DEST`.
	Transfer struct {
		Head
		Move bool
		Dest Dest
	}
)

// An Edge is the position of an insert: above or below each span, or the top or the end of the file.
type Edge int

const (
	Above Edge = iota
	Below
	Top
	End
)

var edgeWords = [...]string{"above", "below", "at top", "at end"}

func (e Edge) String() string { return edgeWords[e] }

// Dest is where copied and moved lines go: above or below a line, a section or a block.
type Dest struct {
	Below bool
	Line  int  // from 1, 0 for none
	Form  Form // *EdgeLines with the count 1, *Section or *Block; nil with a Line, or for a member
	// Member says where a member goes among its siblings.
	Member *Place
}

var lining = []row{
	{"delete", anywhere, func(_ *parser, h Head) Node { return &Delete{h} }, []Use{
		{"delete", "the addressed lines, or the members that a path selects", `on lines with word "depot-3" delete`},
	}},
	{"insert", anywhere, (*parser).insert, []Use{
		{"insert above TEXT", "lines above what is addressed", `on first line insert above "# kiosk" unless present`},
		{"insert below TEXT", "lines below it", `on lines with word "depot-3" insert below "moved" unless present`},
		{"insert at top TEXT", "lines at the top of the file, below a #! line or an XML declaration", `insert at top "# kiosk" unless present`},
		{"insert at end TEXT", "lines at the end of the file", `insert at end "moved" unless present`},
		{"insert … unless present", "not if the section, block, paragraph or range around, else the file, has the lines", `insert at end "moved" unless present`},
	}},
	{"rewrite", anywhere, (*parser).rewrite, []Use{
		{"rewrite as TEXT", "the addressed lines become TEXT", `on lines with word "depot-3" rewrite as "moved"`},
		{"rewrite as literal TEXT", "the value that a path selects becomes a number, a list and the like", `at '$.boards[*].port' rewrite as literal "8415"`},
	}},
	{"comment", anywhere, (*parser).commentOut, []Use{
		{`comment out with "…"`, "the mark goes before each addressed line", `on lines with word "depot-3" comment out with "# "`},
	}},
	{"uncomment", anywhere, func(p *parser, h Head) Node { return &Comment{Head: h, Mark: p.text("the comment mark")} }, []Use{
		{`uncomment "…"`, "the mark goes from each addressed line, with one space behind it", `on lines with word "depot-4" uncomment "#"`},
	}},
	{"copy", anywhere, func(p *parser, h Head) Node { return p.transfer(h, false) }, []Use{
		{"copy below DEST", "the addressed lines once more; DEST is `line N`, `first line` or `last line`, either also `with PATTERN`, `section NAME` or `block with PATTERN`; also `above`",
			`on line 3 copy below last line`},
	}},
	{"move", anywhere, func(p *parser, h Head) Node { return p.transfer(h, true) }, []Use{
		{"move above DEST", "the addressed lines, to above or below one that stays", `on lines with word "depot-3" move above first line`},
		{"move at top", "the member or item that a path selects, before its siblings; also `move at end`, `move above PATH` and `move below PATH`", `at '$.boards[?@.name == "oak"]' move at top`},
	}},
	{"rename", anywhere, (*parser).rename, []Use{
		{"rename to TEXT", "the members that a path selects get another name", `at '$.boards' rename to "signs"`},
	}},
}

func (*Delete) chunks() []chunk { return oneOf("delete") }

func (n *Insert) options() []option {
	return []option{flagged(&n.UnlessPresent, "unless present", "unless", "present")}
}

func (n *Insert) chunks() []chunk {
	return append(textChunks("insert "+n.Where.String(), n.Text), optionChunks(n.options())...)
}

func (n *Rewrite) chunks() []chunk {
	if n.Literal {
		return textChunks("rewrite as literal", n.Text)
	}
	return textChunks("rewrite as", n.Text)
}

func (n *Rename) chunks() []chunk { return textChunks("rename to", n.To) }

func (n *Comment) chunks() []chunk {
	if n.Out {
		return textChunks("comment out with", n.Mark)
	}
	return textChunks("uncomment", n.Mark)
}

func (n *Transfer) chunks() []chunk {
	head := "copy"
	if n.Move {
		head = "move"
	}
	if m := n.Dest.Member; m != nil && m.Near == nil {
		edge := " at end"
		if m.Top {
			edge = " at top"
		}
		return oneOf(head + edge)
	}
	if n.Dest.Below {
		head += " below"
	} else {
		head += " above"
	}
	if n.Dest.Line > 0 {
		return oneOf(head + " line " + strconv.Itoa(n.Dest.Line))
	}
	if n.Dest.Member != nil {
		return pathChunks(head, n.Dest.Member.Near)
	}
	return n.Dest.Form.chunks(head)
}

func (p *parser) insert(h Head) Node {
	n := &Insert{Head: h}
	switch p.choice("where to insert", "above", "below", "at") {
	case "above":
		n.Where = Above
	case "below":
		n.Where = Below
	default:
		n.Where = Top
		if p.choice("which end of the file", "top", "end") == "end" {
			n.Where = End
		}
	}
	n.Text = p.content("the lines to insert")
	o := p.options(n.options)
	o.read()
	return n
}

func (p *parser) rewrite(h Head) Node {
	p.want("as", "rewrite")
	n := &Rewrite{Head: h}
	p.expect("literal")
	n.Literal = p.accept("literal")
	n.Text = p.content("what the lines become")
	return n
}

func (p *parser) rename(h Head) Node {
	p.want("to", "rename")
	return &Rename{h, p.text("the new name")}
}

func (p *parser) commentOut(h Head) Node {
	p.want("out", "comment")
	p.want("with", "out")
	return &Comment{Head: h, Out: true, Mark: p.text("the comment mark")}
}

// transfer reads where copied or moved lines go.
func (p *parser) transfer(h Head, move bool) Node {
	what := "copy"
	if move {
		what = "move"
	}
	words := []string{"above", "below"}
	if move {
		words = append(words, "at")
	}
	word := p.choice("where to "+what+" the lines", words...)
	if word == "at" {
		top := p.choice("which end", "top", "end") == "top"
		return &Transfer{Head: h, Move: move, Dest: Dest{Member: &Place{Top: top}}}
	}
	d := Dest{Below: word == "below"}
	if t := p.owed(); move && t.kind == kindString {
		d.Member = &Place{Below: d.Below, Near: p.text("a path to a sibling")}
		return &Transfer{Head: h, Move: move, Dest: d}
	}
	switch word := p.choice("a line", "line", "first", "last", "section", "block"); word {
	case "line":
		d.Line = p.number("a line number", 1)
	case "section":
		d.Form = p.section()
	case "block":
		d.Form = &Block{p.with("block")}
	default:
		p.want("line", word)
		a := &EdgeLines{Last: word == "last", Count: 1}
		if p.expect("with"); p.accept("with") {
			a.Pattern = p.pattern()
		}
		d.Form = a
	}
	return &Transfer{Head: h, Move: move, Dest: d}
}
