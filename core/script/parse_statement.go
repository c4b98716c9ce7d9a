package script

// replace reads what follows `replace`.
func (p *parser) replace(h Head) Node {
	if p.accept("each") {
		return p.replaceEach(h)
	}
	n := &Replace{Head: h, Pattern: p.pattern()}
	p.options(n)
	p.want("with", "the pattern")
	n.With = p.text("the replacement")
	p.options(n)
	return n
}

func (p *parser) remove(h Head) Node {
	n := &Replace{Head: h, Pattern: p.pattern()}
	p.options(n)
	if n.KeepCase {
		p.fail(h.Pos, "remove writes nothing whose case could be kept", "say ignoring case where capitals are meant as well")
	}
	return n
}

// options reads the options of a replace or a remove, in any order.
func (p *parser) options(n *Replace) {
	for {
		at := p.at
		if which, ok := p.which(); ok {
			if n.Which != (Which{}) {
				p.fail(p.tokens[at].pos, "which matches is said twice", "say it once")
			}
			n.Which = which
			continue
		}
		switch {
		case p.accept("in", "file"):
			n.InFile = true
		case p.accept("keeping"):
			p.want("case", "keeping")
			n.KeepCase = true
		case p.accept("ignoring"):
			p.want("case", "ignoring")
			n.Pattern.IgnoreCase = true
		case p.accept("across"):
			p.want("lines", "across")
			n.AcrossLines = true
		default:
			return
		}
	}
}

// which reads which of the matches are meant, where that is said.
func (p *parser) which() (which Which, said bool) {
	switch {
	case p.accept("first"):
		return Which{From: 1, To: 1}, true
	case p.accept("last"):
		return Which{Last: true}, true
	case p.accept("occurrence"):
		i := p.number("an occurrence", 1)
		return Which{From: i, To: i}, true
	case p.accept("occurrences"):
		which.From, which.To = p.interval("an occurrence")
		return which, true
	}
	return which, false
}

// interval reads `N to M` or `N to last`, which is 0.
func (p *parser) interval(what string) (from, to int) {
	from = p.number(what, 1)
	p.want("to", "the first number")
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

func (p *parser) replaceEach(h Head) Node {
	n := &ReplaceEach{Head: h, Word: p.oneOf("what each one is", "word", "text") == "word"}
	p.eachOptions(n)
	if t := p.owed(); t.kind == kindWord && t.text == "from" {
		p.at++
		n.Table = p.table()
	} else {
		open := p.brace("each " + map[bool]string{true: "word", false: "text"}[n.Word])
		n.Pairs, n.End = p.pairs()
		p.closing(open)
		if len(n.Pairs) == 0 {
			p.fail(open.pos, "there is nothing to replace between these braces", `write lines such as "old" with "new"`)
		}
	}
	p.eachOptions(n)
	return n
}

func (p *parser) eachOptions(n *ReplaceEach) {
	for {
		switch {
		case p.accept("ignoring"):
			p.want("case", "ignoring")
			n.IgnoreCase = true
		case p.accept("keeping"):
			p.want("case", "keeping")
			n.KeepCase = true
		default:
			return
		}
	}
}

// pairs reads lines of `"old" with "new"` up to the closing brace.
func (p *parser) pairs() (pairs []Pair, end []string) {
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
		pair := Pair{Head: Head{Pos: t.pos, Above: above}, Old: p.text("the old text")}
		p.want("with", "the old text")
		pair.With = p.text("the new text")
		if c := p.tokens[p.at]; c.kind == kindComment {
			pair.After = c.text
			p.at++
		}
		pairs = append(pairs, pair)
	}
}

func (p *parser) table() *Table {
	p.want("table", "from")
	t := &Table{Path: p.text("the table's path")}
	if p.accept("columns") {
		t.Old = p.plain("the column of old texts")
		t.New = p.plain("the column of new texts")
	}
	return t
}

func (p *parser) insert(h Head) Node {
	n := &Insert{Head: h}
	switch p.oneOf("where to insert", "above", "below", "at") {
	case "above":
		n.Where = Above
	case "below":
		n.Where = Below
	default:
		n.Where = Top
		if p.oneOf("which end of the file", "top", "end") == "end" {
			n.Where = End
		}
	}
	n.Text = p.text("the lines to insert")
	if p.accept("unless") {
		p.want("present", "unless")
		n.UnlessPresent = true
	}
	return n
}

func (p *parser) rewrite(h Head) Node {
	p.want("as", "rewrite")
	return &Rewrite{h, p.text("what the lines become")}
}

func (p *parser) settle(h Head) Node {
	if t := p.owed(); t.kind == kindWord && t.text == "section" {
		p.at++
		return &SettleSection{h, p.text("a section's name")}
	}
	if t := p.owed(); t.kind == kindWord && (t.text == "value" || t.text == "item") {
		p.at++
		return p.settleValue(h, t.text == "item")
	}
	n := &Settle{Head: h, Pattern: p.pattern()}
	p.want("as", "the pattern")
	n.Text = p.text("the one line")
	for {
		pos := p.peek().pos
		switch {
		case p.accept("keeping"):
			p.want("comment", "keeping")
			n.KeepComment = true
		case p.accept("continued"):
			p.once(pos, n.Continued == nil && !n.ByIndentation, "how the line is continued")
			p.want("by", "continued")
			if t := p.owed(); t.kind == kindWord {
				p.want("indentation", "by")
				n.ByIndentation = true
			} else {
				n.Continued = p.plain("the mark that continues a line")
			}
		case p.accept("commented"):
			p.once(pos, n.Commented == nil, "how lines are commented")
			p.want("by", "commented")
			n.Commented = p.plain("the comment marks")
		case p.accept("ignoring"):
			p.want("case", "ignoring")
			n.Pattern.IgnoreCase = true
		default:
			return n
		}
	}
}

// settleValue reads what follows `settle value` and `settle item`.
func (p *parser) settleValue(h Head, item bool) Node {
	n := &SettleValue{Head: h, Item: item, Path: p.text("a path")}
	p.want("as", "the path")
	if t := p.owed(); t.kind == kindWord {
		p.want("literal", "as")
		n.Literal = true
	}
	n.Text = p.text("the value")
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

// dest reads where copied or moved lines go.
func (p *parser) dest(what string) Dest {
	d := Dest{Below: p.oneOf("where to "+what+" the lines", "above", "below") == "below"}
	switch p.oneOf("a line", "line", "first", "last", "lines") {
	case "line":
		d.Line = p.number("a line number", 1)
	case "first":
		p.want("line", "first")
		d.First = true
	case "last":
		p.want("line", "last")
		d.Last = true
	default:
		p.want("with", "lines")
		d.Pattern = p.pattern()
	}
	return d
}

func (p *parser) squeeze(h Head) Node {
	p.want("blank", "squeeze")
	p.want("lines", "blank")
	n := &Squeeze{Head: h, To: 1}
	if p.accept("to") {
		n.To, n.Written = p.number("the number of blank lines to keep", 0), true
	}
	return n
}

func (p *parser) trim(h Head) Node {
	p.want("line", "trim")
	p.want("ends", "line")
	return &TrimEnds{h}
}

// use reads `use "script"` and the statements that begin with `use`.
func (p *parser) use(h Head) Node {
	if p.owed().kind == kindString {
		return &UseScript{h, p.plain("a script's path")}
	}
	switch p.oneOf("what to use", "line", "final", "encoding") {
	case "line":
		p.want("endings", "line")
		return &UseEndings{h, p.oneOf("the line ending", "lf", "crlf") == "crlf"}
	case "final":
		p.want("line", "final")
		p.want("ending", "line")
		return &UseFinalEnding{h}
	default:
		return &UseEncoding{h, p.plain("an encoding's name")}
	}
}
