package script

import "slices"

// addressed parses an address and the statement or block that it applies to.
func (p *parser) addressed(h Head, opening string) Node {
	n := &Addressed{Head: h, Address: &Address{Pos: h.Pos, Outside: opening == "outside"}}
	return p.applied(n, func() { p.selector(n.Address, opening) })
}

// atPath parses a path and the statement or block that it applies to.
func (p *parser) atPath(h Head) Node {
	n := &Addressed{Head: h, Address: &Address{Pos: h.Pos}}
	return p.applied(n, func() { p.path(n.Address) })
}

// path reads what follows at.
func (p *parser) path(a *Address) {
	a.Form = &Values{p.text("a path")}
	p.having(a, true)
}

// applied calls read to parse an address, and parses the statement or block that it applies to.
func (p *parser) applied(n *Addressed, read func()) Node {
	h := n.Head
	if p.depth++; p.depth > maxDepth {
		p.depth--
		p.fail(h.Pos, "addresses and braces are nested too deep here", "")
	}
	defer func() { p.depth-- }()
	read()
	if t := p.owed(); t.kind == kindOpen {
		n.Braces = true
		p.at++
		n.Body, n.End = p.nodes(inAddress)
		p.closing(t)
		return n
	}
	if t := p.owed(); (t.kind == kindClose || t.kind == kindEnd) && !p.completing {
		p.fail(h.Pos, "this address has no statement", "say what is to be done there")
	}
	n.Body = []Node{p.statement(inAddress)}
	return n
}

// selector reads what follows on, in or outside.
func (p *parser) selector(a *Address, opening string) {
	known := addressWords("")
	if opening == "outside" {
		p.expect(known...)
	} else {
		p.expect(addressWords(opening)...)
	}
	t := p.owed()
	switch {
	case t.kind == kindWord && t.text == "at":
		p.fail(t.pos, "outside does not go with at", `say in the path what is left out, as in at '$.boards[?@.name != "platform-1"]'`)
	case t.kind == kindNumber && (opening == "in" || !p.nearFollows()):
		p.fail(t.pos, "expected an address, found "+t.describe(), "say line "+t.text+", or lines "+t.text+" to last")
	case t.kind == kindString, t.kind == kindWord && !slices.Contains(known, t.text) && didYouMean(t.text, known) == "":
		p.fail(t.pos, "expected an address, found "+t.describe(), `such as section "`+t.text+`", block with text "…", or lines with word "…"`)
	}
	r := addressRowOf(near)
	if t.kind != kindNumber {
		r = addressRowOf(p.pick("an address", known))
	}
	a.Form = r.parse(p)
	if _, named := a.Form.(*Names); named && a.Outside {
		p.fail(t.pos, "outside does not go with "+a.SubjectOf().Address(), "say what is replaced there, as in: in "+a.SubjectOf().Address()+" replace …")
	}
	_, byNumber := a.Form.(*Lines)
	_, single := a.Form.(*LinesWith)
	p.having(a, r.holding && !byNumber && !single)
	p.direct(a, r)
	a.Pos.Width = max(t.pos.Column+t.pos.Width-a.Pos.Column, 1)
	if t.pos.Line != a.Pos.Line {
		a.Pos.Width = 1
	}
}

// direct reads `directly`.
func (p *parser) direct(a *Address, r *addressRow) {
	if r.direct {
		p.expect("directly")
	}
	word := p.peek()
	if !p.accept("directly") {
		return
	}
	if !r.direct {
		p.fail(word.pos, "only blocks and sections have a level of their own", "")
	}
	a.Direct = true
	next := p.peek()
	switch {
	case next.kind == kindWord && (next.text == "having" || next.text == "lacking"):
		p.fail(next.pos, next.text+" comes before directly", "")
	case next.kind == kindWord && next.text == "directly":
		p.fail(next.pos, "directly is said twice", "say it once")
	}
}

// having parses the patterns that the parts must contain or lack.
func (p *parser) having(a *Address, takes bool) {
	for {
		if takes {
			p.expect("having", "lacking")
		}
		word := p.peek()
		holding := Holding{Lacking: word.text == "lacking"}
		if !p.accept("having") && !p.accept("lacking") {
			break
		}
		if !takes {
			p.fail(word.pos, "only sections, blocks, paragraphs and ranges are chosen by what they hold",
				"narrow the lines one address at a time: on lines with … { on lines without … … }")
		}
		holding.Pattern = p.pattern()
		a.Having = append(a.Having, holding)
	}
}

// with reads `with PATTERN`.
func (p *parser) with(after string) *Pattern {
	p.want("with", after)
	return p.pattern()
}

func (p *parser) oneLine() Form {
	n := p.number("a line number", 1)
	return &Lines{From: n, To: n, Single: true}
}

// edgeLines reads what follows `first` or `last`.
func (p *parser) edgeLines(last bool) Form {
	a := &EdgeLines{Last: last, Count: p.lineCount()}
	p.expect("with")
	if p.accept("with") {
		a.Pattern = p.pattern()
	}
	return a
}

// nearFollows reports whether `lines` or `line` follows a number.
func (p *parser) nearFollows() bool {
	if p.completing && p.at+1 >= p.cursor {
		return true
	}
	next := p.tokens[min(p.at+1, len(p.tokens)-1)]
	return next.kind == kindWord && (next.text == "lines" || next.text == "line")
}

// linesNear reads `2 lines below PATTERN`.
func (p *parser) linesNear() Form {
	a := &LinesNear{Count: p.number("how many lines", 1)}
	p.choice("lines", "lines", "line")
	a.Below = p.choice("where these lines are", "above", "below") == "below"
	a.Pattern = p.pattern()
	return a
}

// section reads what follows `section`.
func (p *parser) section() Form {
	p.expect("with")
	if t := p.owed(); t.kind == kindWord && t.text == "with" {
		p.at++
		return &Section{Pattern: p.pattern()}
	}
	a := &Section{Name: p.text("a section's name")}
	p.expect("ignoring case")
	a.IgnoreCase = p.accept("ignoring", "case")
	return a
}

// lineCount reads the rest of `first line` or `first 2 lines`.
func (p *parser) lineCount() int {
	p.expect("line")
	if p.accept("line") {
		return 1
	}
	n := p.number("how many lines", 1)
	p.choice("lines", "lines", "line")
	return n
}

// lines reads what follows `lines`.
func (p *parser) lines() Form {
	if p.owed().kind == kindNumber {
		a := &Lines{}
		a.From, a.To = p.interval("a line number")
		return a
	}
	switch p.choice("which lines", "with", "without", "from", "between") {
	case "with":
		a := &LinesWith{Pattern: p.pattern()}
		p.neighbours(a)
		return a
	case "without":
		return &LinesWith{Without: true, Pattern: p.pattern()}
	case "between":
		a := &Range{Form: Between, Open: p.mark()}
		p.want("and", "the opening mark")
		a.Close = p.closingMark()
		return a
	}
	a := &Range{Open: p.mark()}
	if p.choice("to or until", "to", "until") == "until" {
		a.Form = Until
	}
	a.Close = p.closingMark()
	return a
}

// neighbours reads `and 1 above and 2 below`.
func (p *parser) neighbours(a *LinesWith) {
	for {
		p.expect("and")
		if !p.accept("and") {
			return
		}
		pos := p.owed().pos
		n := p.number("how many neighbours", 1)
		side := &a.Below
		if p.choice("where the neighbours are", "above", "below") == "above" {
			side = &a.Above
		}
		p.once(pos, *side == 0, "how many neighbours there are on that side")
		*side = n
	}
}

// mark reads a pattern that bounds a range.
func (p *parser) mark() *Pattern {
	if t := p.owed(); t.kind == kindWord && (t.text == "line" || t.text == "lines" || t.text == "first" || t.text == "last") {
		p.fail(t.pos, "a range begins at a pattern", "for numbers say on lines 3 to 10, or on lines 3 to last")
	}
	return p.pattern()
}

// closingMark reads the pattern that closes a range, or `last line`, for which it returns nil.
func (p *parser) closingMark() *Pattern {
	p.expect("last")
	if t := p.owed(); t.kind == kindWord && t.text == "last" {
		p.at++
		p.want("line", "last")
		return nil
	}
	return p.mark()
}
