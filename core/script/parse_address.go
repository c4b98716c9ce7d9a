package script

import (
	"slices"
	"unicode/utf8"
)

// addressed reads an address and what it applies to: a statement or a block.
func (p *parser) addressed(h Head, outside bool) Node {
	n := &Addressed{Head: h, Address: &Address{Pos: h.Pos, Outside: outside}}
	return p.applied(n, func() { p.selector(n.Address) })
}

// atPath is addressed for values that a path selects.
func (p *parser) atPath(h Head) Node {
	n := &Addressed{Head: h, Address: &Address{Pos: h.Pos, Kind: At}}
	return p.applied(n, func() {
		n.Address.Path = p.text("a path")
		p.having(n.Address)
	})
}

// applied reads an address, as read does, and what it applies to.
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
	if t := p.owed(); t.kind == kindClose || t.kind == kindEnd {
		p.fail(h.Pos, "this address has no statement", "say what is to be done there")
	}
	n.Body = []Node{p.statement(inAddress)}
	return n
}

// CheckAddress parses what follows on, in or outside, alone; name is what messages call it.
func CheckAddress(name, opening, text string) Problems {
	before := opening + " "
	_, problems := Parse(name, before+text+" delete")
	source := &Source{Name: name, Text: text}
	for i := range problems {
		problems[i].Source = source
		problems[i].Pos.Column = min(max(problems[i].Pos.Column-len(before), 1), utf8.RuneCountInString(text)+1)
	}
	return problems
}

// addressWords are those that an address begins with, after on, in or outside.
var addressWords = []string{"line", "lines", "first", "last", "section", "block", "paragraph"}

func (p *parser) selector(a *Address) {
	t := p.owed()
	switch {
	case t.kind == kindWord && t.text == "at":
		p.fail(t.pos, "outside does not go with at", `say in the path what is left out, as in at '$.boards[?@.name != "platform-1"]'`)
	case t.kind == kindNumber:
		p.fail(t.pos, "expected an address, found "+t.describe(), "say line "+t.text+", or lines "+t.text+" to last")
	case t.kind == kindString, t.kind == kindWord && !slices.Contains(addressWords, t.text) && didYouMean(t.text, addressWords) == "":
		p.fail(t.pos, "expected an address, found "+t.describe(), `such as section "`+t.text+`", block with text "…", or lines with word "…"`)
	}
	switch p.oneOf("an address", addressWords...) {
	case "line":
		a.Kind = Line
		a.From = p.number("a line number", 1)
		a.To = a.From
	case "lines":
		p.lines(a)
	case "first":
		a.Kind = FirstLines
		a.From = p.lineCount()
	case "last":
		a.Kind = LastLines
		a.From = p.lineCount()
	case "section":
		a.Kind, a.Section = Section, p.text("a section's name")
	case "block":
		p.want("with", "block")
		a.Kind, a.Pattern = Block, p.pattern()
	default:
		p.want("with", "paragraph")
		a.Kind, a.Pattern = Paragraph, p.pattern()
	}
	p.having(a)
	if word := p.peek(); p.accept("directly") {
		if a.Kind != Block && a.Kind != Section {
			p.fail(word.pos, "only blocks and sections have a level of their own", "")
		}
		a.Direct = true
		if next := p.peek(); next.kind == kindWord && (next.text == "having" || next.text == "lacking") {
			p.fail(next.pos, next.text+" comes before directly", "")
		}
	}
	a.Pos.Width = max(t.pos.Column+t.pos.Width-a.Pos.Column, 1)
	if t.pos.Line != a.Pos.Line {
		a.Pos.Width = 1
	}
}

// having reads what the parts must hold, or must lack.
func (p *parser) having(a *Address) {
	for {
		word := p.peek()
		holding := Holding{Lacking: word.text == "lacking"}
		if !p.accept("having") && !p.accept("lacking") {
			break
		}
		if !a.Kind.Takes() {
			p.fail(word.pos, "only sections, blocks, paragraphs and ranges are chosen by what they hold",
				"narrow the lines one address at a time: on lines with … { on lines without … … }")
		}
		holding.Pattern = p.pattern()
		a.Having = append(a.Having, holding)
	}
}

// lineCount reads the rest of `first line` or `first 2 lines`.
func (p *parser) lineCount() int {
	if p.accept("line") {
		return 1
	}
	n := p.number("how many lines", 1)
	p.oneOf("lines", "lines", "line")
	return n
}

// lines reads what follows `on lines`.
func (p *parser) lines(a *Address) {
	if p.owed().kind == kindNumber {
		a.Kind = Lines
		a.From, a.To = p.interval("a line number")
		return
	}
	switch p.oneOf("which lines", "with", "without", "from", "between") {
	case "with":
		a.Kind, a.Pattern = LinesWith, p.pattern()
		p.neighbours(a)
	case "without":
		a.Kind, a.Pattern = LinesWithout, p.pattern()
	case "between":
		a.Kind, a.Open = Between, p.mark()
		p.want("and", "the opening mark")
		a.Close = p.mark()
	default:
		a.Open = p.mark()
		a.Kind = Range
		if p.oneOf("to or until", "to", "until") == "until" {
			a.Kind = Until
		}
		a.Close = p.mark()
	}
	if o, c := a.Open, a.Close; o != nil && o.Line > 0 && c.Line > 0 && c.Line < o.Line {
		p.fail(c.Pos, "this range ends before it begins", "write the smaller number first")
	}
}

// neighbours reads `and 1 above and 2 below`.
func (p *parser) neighbours(a *Address) {
	for p.accept("and") {
		pos := p.owed().pos
		n := p.number("how many neighbours", 1)
		side := &a.Below
		if p.oneOf("where the neighbours are", "above", "below") == "above" {
			side = &a.Above
		}
		p.once(pos, *side == 0, "how many neighbours there are on that side")
		*side = n
	}
}

func (p *parser) mark() *Mark {
	t := p.owed()
	m := &Mark{Pos: t.pos}
	switch {
	case t.kind == kindWord && t.text == "line":
		p.at++
		m.Line = p.number("a line number", 1)
	case t.kind == kindWord && t.text == "last":
		p.at++
		p.want("line", "last")
		m.Last = true
	default:
		m.Pattern = p.pattern()
	}
	return m
}

// pattern reads a kind, its text and what may follow them.
func (p *parser) pattern() *Pattern {
	t := p.owed()
	n := &Pattern{Pos: t.pos}
	if t.kind == kindMargin {
		n.Kind, n.Text = WholeLines, p.text("the lines to match")
	} else {
		n.Kind, n.Text = p.kindAndText()
	}
	if n.Kind != Regex && n.Text.Raw == "" {
		p.fail(n.Text.Pos, "an empty pattern matches nothing that could be meant", "say what to look for")
	}
	if n.Kind == Regex && p.accept("whole") {
		n.Whole = true
	}
	for {
		g := Guard{Pos: p.peek().pos}
		switch {
		case p.accept("ignoring"):
			p.want("case", "ignoring")
			n.IgnoreCase = true
			continue
		case p.accept("not"):
			g.Not = true
			g.Preceded = p.oneOf("a guard", "preceded", "followed") == "preceded"
		case p.accept("preceded"):
			g.Preceded = true
		case p.accept("followed"):
		default:
			return n
		}
		p.want("by", "the guard")
		g.Kind, g.Text = p.kindAndText()
		for _, o := range n.Guards {
			if o.Not != g.Not && o.Preceded == g.Preceded && o.Kind == g.Kind && o.Text.Raw == g.Text.Raw {
				p.fail(g.Pos, "this guard says the opposite of another one", "keep one of them")
			}
		}
		n.Guards = append(n.Guards, g)
	}
}

// kindAndText reads `word "…"` and its like.
func (p *parser) kindAndText() (PatternKind, *Text) {
	t := p.owed()
	switch {
	case t.kind == kindBad:
		p.readable(t)
	case t.kind == kindWord && (t.text == "text" || t.text == "word" || t.text == "regex"):
		p.at++
	case t.kind == kindWord:
		remedy := didYouMean(t.text, patternKinds)
		if remedy == "" {
			remedy = `a pattern says its kind, as in: text "` + t.text + `"`
		}
		p.fail(t.pos, "unknown pattern kind "+t.describe(), remedy)
	case t.kind == kindString:
		p.fail(t.pos, "what kind of pattern is this?",
			"say text for the characters as they stand, word for whole words, regex for an expression")
	default:
		p.fail(t.pos, "expected a pattern, found "+t.describe(), `such as word "depot-3"`)
	}
	kind := map[string]PatternKind{"text": PlainText, "word": WholeWord, "regex": Regex}[t.text]
	return kind, p.text("what to match")
}
