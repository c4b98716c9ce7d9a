package script

// PatternKind is how a pattern's text is meant.
type PatternKind int

const (
	PlainText PatternKind = iota
	WholeWord
	Regex
	WholeLines // a margin block
)

var patternKinds = []string{"text", "word", "regex"}

func (k PatternKind) String() string { return [...]string{"text", "word", "regex", ""}[k] }

// A Pattern is a pattern of a script.
type Pattern struct {
	Pos        Pos
	Kind       PatternKind
	Text       *Text
	Whole      bool // of a regex: at whole-word boundaries
	IgnoreCase bool
	Guards     []Guard
}

// A Guard is a pattern that must, or must not, touch a match.
type Guard struct {
	Pos      Pos
	Not      bool
	Preceded bool // else followed
	Kind     PatternKind
	Text     *Text
}

var patternUses = []Use{
	{`text "…"`, "the characters as they stand", `remove text "a.b"`},
	{`word "…"`, "the same at whole-word boundaries", `remove word "depot-3"`},
	{`regex '…'`, "a regular expression", `remove regex '\d+'`},
	{`regex '…' whole`, "a regular expression, its match at whole-word boundaries", `remove regex 'depot-\d' whole`},
	{"| LINES", "a margin block: these whole lines", "remove\n    | platform: 1\n    | side: left"},
	{"PATTERN ignoring case", "capitals do not count, in its guards either", `remove word "depot" ignoring case`},
	{"PATTERN preceded by PATTERN", "only right behind that", `remove regex '\d+' preceded by text "port "`},
	{"PATTERN not preceded by PATTERN", "not right behind that", `remove word "box" not preceded by text "ticket "`},
	{"PATTERN followed by PATTERN", "only right before that", `remove regex '\d+' followed by text " ms"`},
	{"PATTERN not followed by PATTERN", "not right before that", `remove word "box" not followed by text " 3"`},
}

// guardWords are the guards: whether they are denied, whether they precede, and their words.
var guardWords = []struct {
	not, preceded bool
	words         []string
}{
	{false, true, []string{"preceded", "by"}}, {true, true, []string{"not", "preceded", "by"}},
	{false, false, []string{"followed", "by"}}, {true, false, []string{"not", "followed", "by"}},
}

// options returns what may follow the pattern's text.
func (n *Pattern) options() []option {
	all := make([]option, 0, 6)
	if n.Kind == Regex {
		all = append(all, flagged(&n.Whole, "whole", "whole"))
	}
	all = append(all, option{words: []string{"ignoring", "case"}, what: "ignoring case", flag: &n.IgnoreCase})
	for _, g := range guardWords {
		all = append(all, option{words: g.words, what: join(g.words), many: true, parse: func(p *parser) { p.guard(n, Guard{Not: g.not, Preceded: g.preceded}) }})
	}
	return all
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
	o := p.options(n.options)
	o.read()
	return n
}

// guard reads what follows the words of a guard.
func (p *parser) guard(n *Pattern, g Guard) {
	g.Pos = p.tokens[p.at-2].pos
	g.Kind, g.Text = p.kindAndText()
	for _, o := range n.Guards {
		if o.Preceded != g.Preceded || o.Kind != g.Kind || o.Text.Raw != g.Text.Raw {
			continue
		}
		if o.Not != g.Not {
			p.fail(g.Pos, "this guard says the opposite of another one", "keep one of them")
		}
		p.fail(g.Pos, "this guard is said twice", "say it once")
	}
	n.Guards = append(n.Guards, g)
}

// The problem of a pattern without its kind.
const (
	noKind     = "what kind of pattern is this?"
	otherKinds = "; word for whole words, regex for an expression"
)

// kindAndText reads `word "…"` and its like.
func (p *parser) kindAndText() (PatternKind, *Text) {
	p.expect(patternKinds...)
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
		p.fail(t.pos, noKind,
			"say text for the characters as they stand"+otherKinds)
	default:
		p.fail(t.pos, "expected a pattern, found "+t.describe(), `such as word "depot-3"`)
	}
	kind := map[string]PatternKind{"text": PlainText, "word": WholeWord, "regex": Regex}[t.text]
	return kind, p.text("what to match")
}

// patternChunks returns a pattern behind the words head.
func patternChunks(head string, n *Pattern) []chunk {
	ps := barePattern(head, n)
	if n.IgnoreCase {
		ps = append(ps, chunk{words: "ignoring case"})
	}
	return ps
}

// barePattern returns a pattern without `ignoring case`, which then follows at the statement's end.
func barePattern(head string, n *Pattern) []chunk {
	kind := n.Kind.String()
	if kind != "" {
		kind = " " + kind
	}
	ps := append(textChunks(head+kind, n.Text), when(n.Whole, "whole")...)
	for _, g := range n.Guards {
		for _, w := range guardWords {
			if w.not == g.Not && w.preceded == g.Preceded {
				ps = append(ps, textChunks(join(w.words)+" "+g.Kind.String(), g.Text)...)
			}
		}
	}
	return ps
}
