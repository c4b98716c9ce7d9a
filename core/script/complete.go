package script

import (
	"slices"
	"strings"
)

// Complete returns the words that may follow text, the start of a statement, in the order of the table. It
// returns nil if the next operand is not a word.
func Complete(text string) []string {
	return complete(text, func(p *parser) { p.statement(inRule) })
}

// CompleteAddress is Complete for an address behind its opening word, on, in or outside.
func CompleteAddress(opening, text string) []string {
	return complete(text, func(p *parser) { p.selector(&Address{Outside: opening == "outside"}, opening) })
}

// CompleteScript is Complete for the start of a script, which may end within a statement or behind one.
func CompleteScript(text string) []string {
	return complete(text, func(p *parser) { p.nodes(atTop) })
}

func complete(text string, parse func(p *parser)) []string {
	source := &Source{Text: strings.TrimRight(text, " \t")}
	tokens, problems := lex(source)
	if len(problems) > 0 {
		return nil
	}
	p := &parser{source: source, tokens: tokens, completing: true, cursor: len(tokens) - 1}
	p.fresh = strings.HasSuffix(source.Text, "\n")
	for p.cursor > 0 && (tokens[p.cursor-1].kind == kindNewline || tokens[p.cursor-1].kind == kindBlank) {
		p.cursor--
	}
	if p.cursor == 0 {
		p.fresh = true
	} else if last := tokens[p.cursor-1].kind; last == kindOpen || last == kindClose || last == kindSemicolon {
		p.fresh = true
	}
	p.attempt(func() { parse(p) })
	return p.expected
}

// expect notes the words that may come next, if the place of a completion is reached.
func (p *parser) expect(words ...string) {
	if p.at >= p.cursor {
		p.offer(words...)
	}
}

// offer notes words that may come next.
func (p *parser) offer(words ...string) {
	if !p.completing {
		return
	}
	for _, w := range words {
		if !slices.Contains(p.expected, w) {
			p.expected = append(p.expected, w)
		}
	}
}

// attempt calls read, and reports whether no mistake ended it.
func (p *parser) attempt(read func()) (ok bool) {
	defer func() {
		if r := recover(); r != nil {
			if _, mistake := r.(bailout); !mistake {
				panic(r)
			}
			ok = false
		}
	}()
	read()
	return true
}
