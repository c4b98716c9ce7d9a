package script

// Statements that put lines in order.
type (
	// Sort is `sort lines`.
	Sort struct {
		Head
		ByNumber   bool
		By         *Pattern // a regex; nil for the whole line
		Descending bool
		IgnoreCase bool
	}
	// DropRepeated is `drop repeated lines`.
	DropRepeated struct{ Head }
)

var sorting = []row{
	{"sort", anywhere, (*parser).sort, []Use{
		{"sort lines", "the addressed lines in the order of their texts; comments directly above a line move with it, blank lines stay", `in section "kiosks" sort lines`},
		{"sort lines by number", "in the order of the first number in each; lines without one come first", `in section "kiosks" sort lines by number`},
		{"sort lines by regex '…'", "in the order of what the expression matches in each, with `by number` of the first number in that", `in section "kiosks" sort lines by regex '\d+$' by number`},
		{"sort lines descending", "in the opposite order; also `ignoring case`", `in section "kiosks" sort lines descending ignoring case`},
	}},
	{"drop", anywhere, (*parser).drop, []Use{
		{"drop repeated lines", "of lines that are equal the first stays", `in section "kiosks" drop repeated lines`},
	}},
}

func (n *Sort) options() []option {
	by := option{words: []string{"by", "regex"}, what: "by regex", parse: func(p *parser) {
		n.By = &Pattern{Pos: p.owed().pos, Kind: Regex, Text: p.text("the expression to compare")}
	}}
	if n.By != nil {
		by.chunks = textChunks("by regex", n.By.Text)
	}
	return []option{
		by,
		flagged(&n.ByNumber, "by number", "by", "number"),
		flagged(&n.Descending, "descending", "descending"),
		flagged(&n.IgnoreCase, "ignoring case", "ignoring", "case"),
	}
}

func (n *Sort) chunks() []chunk         { return append(oneOf("sort lines"), optionChunks(n.options())...) }
func (n *DropRepeated) chunks() []chunk { return oneOf("drop repeated lines") }

func (p *parser) sort(h Head) Node {
	p.want("lines", "sort")
	n := &Sort{Head: h}
	o := p.options(n.options)
	o.read()
	return n
}

func (p *parser) drop(h Head) Node {
	p.want("repeated", "drop")
	p.want("lines", "repeated")
	return &DropRepeated{h}
}
