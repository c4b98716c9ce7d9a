package script

import (
	"slices"
	"strings"
)

// LanguageVersion is the version of the language that this package reads.
const LanguageVersion = 1

// A parser turns tokens into a tree. It reports a mistake at its position and panics with bailout to leave the
// statement; parsing continues with the next statement.
type parser struct {
	source   *Source
	tokens   []token
	at       int
	problems Problems
	hoisted  []string        // comments found inside the statement being read
	depth    int             // how many braces and addresses are open
	advising bool            // this is the text of an advice
	advised  map[int]advised // for problems of tokens, by line

	// For a completion: the token at the cursor, and the words that may be there.
	completing bool
	cursor     int
	expected   []string
	fresh      bool // a statement may begin at the cursor
	broken     bool // the last statement has a mistake
}

// A context is the position of a node: in a script, a rule, or an address.
type context int

const (
	atTop     context = 1 << iota // of a script
	inRule                        // directly
	inAddress                     // in an address's braces, or behind it
	anywhere  = atTop | inRule | inAddress
)

// maxDepth bounds how deep braces and addresses nest.
const maxDepth = 100

type bailout struct{}

// Parse parses a script. If problems contains an error, the tree lacks the statements with mistakes.
func Parse(name, text string) (*Script, Problems) {
	source := &Source{Name: name, Text: text}
	tokens, problems := lex(source)
	p := &parser{source: source, tokens: tokens, advised: map[int]advised{}}
	s := &Script{Source: source}
	s.Items, s.End = p.nodes(atTop)
	if t := p.tokens[p.at]; t.kind == kindClose {
		p.report(t.pos, "this } closes nothing", "")
	}
	p.merge(problems)
	if p.problems.Sort(); len(s.Items) == 0 && p.isForeign() {
		first := p.problems[0]
		return s, Problems{first, {Source: &Source{Name: name}, Pos: first.Pos, Reason: "nothing in this file reads as a rule; is it a script?"}}
	}
	return s, p.problems
}

// merge adds the lexer's problems, except those after another problem on the same line.
func (p *parser) merge(problems Problems) {
	first := map[int]int{} // column, by line
	for _, q := range p.problems {
		if c, ok := first[q.Pos.Line]; !ok || q.Pos.Column < c {
			first[q.Pos.Line] = q.Pos.Column
		}
	}
	for _, q := range problems {
		if c, ok := first[q.Pos.Line]; !ok || c >= q.Pos.Column {
			if to, ok := p.advised[q.Pos.Line]; ok {
				q.Remedy, q.Fixes = to.remedy, to.fixes
			}
			p.problems = append(p.problems, q)
		}
	}
}

func (p *parser) report(pos Pos, reason, remedy string) {
	p.problems = append(p.problems, Problem{Source: p.source, Pos: pos, Reason: reason, Remedy: remedy, Fixes: fixesOf(pos, remedy)})
}

// fail reports a problem and ends the statement.
func (p *parser) fail(pos Pos, reason, remedy string) {
	p.report(pos, reason, remedy)
	panic(bailout{})
}

// nodes parses statements up to a closing brace or the script's end, and the comments after the last one.
func (p *parser) nodes(where context) (nodes []Node, end []string) {
	p.depth++
	defer func() { p.depth-- }()
	var above []string
	for {
		switch t := p.tokens[p.at]; t.kind {
		case kindEnd:
			if p.fresh && !p.broken {
				p.expect(words(where)...)
			}
			return nodes, trimBlank(above)
		case kindClose:
			if where != atTop {
				return nodes, trimBlank(above)
			}
			p.report(t.pos, "this } closes nothing", "")
			p.at++
		case kindBlank:
			if len(above) == 0 || above[len(above)-1] != "" {
				above = append(above, "")
			}
			p.at++
		case kindComment:
			above = append(above, t.text)
			p.at++
		case kindNewline, kindSemicolon:
			p.at++
		default:
			n := p.node(where)
			p.broken = n == nil
			if n != nil {
				h := n.head()
				h.Above = append(above, p.hoisted...)
				if p.tokens[p.at].kind == kindSemicolon && p.tokens[p.at+1].kind == kindComment {
					p.at++
				}
				if p.tokens[p.at].kind == kindComment {
					h.After = p.tokens[p.at].text
					p.at++
				}
				nodes = append(nodes, n)
				above = nil
			}
			p.hoisted = nil
		}
	}
}

// trimBlank drops blank lines at the end of comment lines.
func trimBlank(lines []string) []string {
	for len(lines) > 0 && lines[len(lines)-1] == "" {
		lines = lines[:len(lines)-1]
	}
	return lines
}

// node reads one declaration or statement; nil after a mistake.
func (p *parser) node(where context) (n Node) {
	outer := p.hoisted
	p.hoisted = nil
	first, before := p.tokens[p.at].pos, len(p.problems)
	ok := p.attempt(func() {
		n = p.statement(where)
		if t := p.peek(); !ends(t) {
			p.readable(t)
			p.fail(t.pos, t.describe()+" is not expected here: the statement is complete", p.hint(t))
		}
	})
	p.hoisted = append(outer, p.hoisted...)
	if !ok {
		p.advise(first, before)
		p.skip()
		return nil
	}
	return n
}

// advise shows, with the problem of a statement, how it is written if a person wrote it in a form of their own. Of a
// statement under an address it looks at the statement alone. first is where the statement begins, before the number of
// problems before it.
func (p *parser) advise(first Pos, before int) {
	const most = 20 // problems; a file of many is no script
	if before > most || p.completing || p.advising {
		return
	}
	const longest = 400 // runes of a line that a person wrote
	line := []rune(p.source.line(first.Line))
	if len(line) > longest {
		return
	}
	from := min(first.Column-1, len(line))
	to := advice(string(line[from:]))
	fixes := []Fix{{Pos: Pos{first.Line, first.Column, len(line) - from, first.In}, New: to}}
	if before == len(p.problems) { // the problem is one of the tokens, which follow
		if to != "" {
			p.advised[first.Line] = advised{"write: " + to, fixes}
		}
		return
	}
	problem := &p.problems[before]
	if at := problem.Pos.Column - 1; to == "" && problem.Pos.Line == first.Line && at > from && at <= len(line) {
		if to = advice(string(line[at:])); to != "" {
			to = string(line[from:at]) + strings.Replace(to, "insert at end", "insert below", 1)
		}
	}
	if to == "" {
		return
	}
	fixes[0].New = to
	problem.Remedy, problem.Fixes = "write: "+to, fixes
	if problem.Reason == noKind {
		problem.Remedy += otherKinds
	}
}

// advised is the remedy for a line that a person wrote in a form of their own.
type advised struct {
	remedy string
	fixes  []Fix
}

// ends reports whether a statement may end before t.
func ends(t token) bool {
	switch t.kind {
	case kindNewline, kindSemicolon, kindComment, kindClose, kindEnd:
		return true
	}
	return false
}

// hint suggests a correction for an unexpected word.
func (p *parser) hint(t token) string {
	switch {
	case t.kind == kindString:
		return "each statement stands on a line of its own, or behind ;"
	case t.kind != kindWord:
		return ""
	case t.text == "on" || t.text == "in" || t.text == "at" || t.text == "outside":
		return "an address comes before its statement, as in: on line 3 delete"
	case rowOf[t.text] != nil:
		return "each statement stands on a line of its own, or behind ;"
	}
	return didYouMean(t.text, optionWords)
}

// optionWords are those that may come after a complete statement.
var optionWords = append(slices.Clone(continuing), "in", "not", "and", "from", "until", "to")

// skip skips the rest of a statement that has a mistake. It parses statements in its braces to report their
// mistakes, and drops them.
func (p *parser) skip() {
	for {
		switch t := p.peek(); t.kind {
		case kindEnd, kindClose, kindNewline, kindSemicolon:
			return
		case kindOpen:
			p.at++
			if p.depth >= maxDepth {
				continue
			}
			p.nodes(anywhere)
			if p.tokens[p.at].kind == kindClose {
				p.at++
			}
		default:
			p.at++
		}
	}
}

// whole parses text as a separate part of a script. Messages refer to it by name.
func whole(name, text string, read func(p *parser)) Problems {
	source := &Source{Name: name, Text: text}
	tokens, problems := lexIn(source, source)
	p := &parser{source: source, tokens: tokens, advised: map[int]advised{}}
	p.attempt(func() {
		read(p)
		if t := p.owed(); t.kind != kindEnd {
			p.readable(t)
			p.fail(t.pos, t.describe()+" is not expected here", p.hint(t))
		}
	})
	p.merge(problems)
	p.problems.Sort()
	return p.problems
}

// ParseAddress parses an address behind its opening word, on or in; name is what messages call it.
func ParseAddress(name, opening, text string) (*Address, Problems) {
	a := &Address{Pos: Pos{1, 1, 1, &Source{Name: name, Text: text}}}
	problems := whole(name, text, func(p *parser) { p.selector(a, opening) })
	return a, problems
}

// ParseAddresses parses addresses, each within the one before, with their opening words; the first may lack it. name
// is what messages call the text.
func ParseAddresses(name, text string) (all []*Address, _ Problems) {
	problems := whole(name, text, func(p *parser) {
		for p.owed().kind != kindEnd {
			all = append(all, p.nextAddress())
		}
	})
	return all, problems
}

// nextAddress parses an address with its opening word, or without it.
func (p *parser) nextAddress() *Address {
	t := p.owed()
	p.readable(t)
	a := &Address{Pos: t.pos}
	opening := ""
	p.expect(addressingWords...)
	if t.kind == kindWord && slices.Contains(addressingWords, t.text) {
		opening = t.text
		p.at++
	}
	if opening == "at" {
		p.path(a)
		return a
	}
	a.Outside = opening == "outside"
	p.selector(a, opening)
	return a
}

// ParsePattern parses a pattern with its kind and guards; name is what messages call it.
func ParsePattern(name, text string) (n *Pattern, _ Problems) {
	problems := whole(name, text, func(p *parser) { n = p.pattern() })
	return n, problems
}

// ParseStatements parses statements and declarations that are part of a script; name is what messages
// call them.
func ParseStatements(name, text string) (nodes []Node, _ Problems) {
	problems := whole(name, text, func(p *parser) { nodes, _ = p.nodes(atTop) })
	return nodes, problems
}
