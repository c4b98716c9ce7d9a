package script

import (
	"slices"
	"strconv"
	"strings"
)

// continuing are the words that mark a line as the continuation of the statement before it.
var continuing = append([]string{"with", "as"}, opening...)

// opening are the words that begin an option and nothing else.
var opening = []string{
	"first", "last", "occurrence", "occurrences", "keeping", "ignoring", "whole",
	"across", "preceded", "followed", "unless", "having", "lacking", "commented", "continued", "added",
	"directly", "per", "matching", "about",
}

// continues reports whether the line that begins with token i continues the statement before it.
func (p *parser) continues(i int) bool {
	t := p.tokens[i]
	if t.kind == kindMargin {
		return true
	}
	if t.kind != kindWord {
		return false
	}
	second, third := p.tokens[min(i+1, len(p.tokens)-1)].text, p.tokens[min(i+2, len(p.tokens)-1)].text
	switch t.text {
	case "in":
		if second == "file" && i+2 == p.cursor {
			p.offer("name") // since either may be meant yet
		}
		return second == "file" && third != "name" // which opens an address
	case "not":
		return second == "preceded" || second == "followed"
	}
	return slices.Contains(continuing, t.text)
}

// nextLine returns the index of the first token on a following line, and the
// comments before it.
func (p *parser) nextLine() (int, []string) {
	var comments []string
	for i := p.at; ; i++ {
		switch t := p.tokens[i]; t.kind {
		case kindComment:
			comments = append(comments, t.text)
		case kindNewline, kindBlank:
		default:
			return i, comments
		}
	}
}

// peek returns the next token of the statement. It may be on the next line if that line continues the statement.
func (p *parser) peek() token {
	if t := p.tokens[p.at]; t.kind == kindNewline || t.kind == kindComment {
		if i, comments := p.nextLine(); p.continues(i) {
			p.at = i
			p.hoisted = append(p.hoisted, comments...)
		}
	}
	return p.tokens[p.at]
}

// owed returns the next token for a required operand, which may be on the next line.
func (p *parser) owed() token {
	i, comments := p.nextLine()
	if i > p.at {
		p.at = i
		p.hoisted = append(p.hoisted, comments...)
	}
	return p.tokens[p.at]
}

// take consumes and returns the token that peek returns.
func (p *parser) take() token {
	t := p.peek()
	if t.kind != kindEnd {
		p.at++
	}
	return t
}

// accept consumes the given words if they come next.
func (p *parser) accept(words ...string) bool {
	if t := p.peek(); t.kind != kindWord || t.text != words[0] {
		return false
	}
	for i, w := range words {
		if t := p.tokens[min(p.at+i, len(p.tokens)-1)]; t.kind != kindWord || t.text != w {
			return false
		}
	}
	p.at += len(words)
	return true
}

// readable ends the statement at a token that the lexer has reported.
func (p *parser) readable(t token) {
	if t.kind == kindBad {
		panic(bailout{})
	}
}

// want consumes a word that must come next.
func (p *parser) want(word, after string) {
	p.expect(word)
	t := p.owed()
	p.readable(t)
	if t.kind != kindWord || t.text != word {
		remedy := ""
		if t.kind == kindWord {
			remedy = didYouMean(t.text, []string{word})
		}
		if before := p.tokens[max(p.at-1, 0)]; before.kind == kindString && strings.Contains(before.text, " "+word+" ") {
			remedy = "is a quote missing in " + string(before.quote) + before.text + string(before.quote) + "?"
		}
		p.fail(t.pos, "expected "+strconv.Quote(word)+" after "+after+", found "+t.describe(), remedy)
	}
	p.at++
}

// choice consumes one of the words, which must come next.
func (p *parser) choice(what string, words ...string) string {
	p.expect(words...)
	return p.pick(what, words)
}

// pick is choice for words that a completion knows already.
func (p *parser) pick(what string, words []string) string {
	t := p.owed()
	p.readable(t)
	if t.kind != kindWord || !slices.Contains(words, t.text) {
		remedy := didYouMean(t.text, words)
		if remedy == "" {
			remedy = "one of " + list(words)
		}
		p.fail(t.pos, "expected "+what+", found "+t.describe(), remedy)
	}
	p.at++
	return t.text
}

// list joins words as a person would.
func list(words []string) string {
	s := words[0]
	for i, w := range words[1:] {
		if i == len(words)-2 {
			s += " or " + w
		} else {
			s += ", " + w
		}
	}
	return s
}

// once reports what as repeated, unless first is true.
func (p *parser) once(pos Pos, first bool, what string) {
	if !first {
		p.fail(pos, what+" is said twice", "say it once")
	}
}

func join(words []string) string { return strings.Join(words, " ") }

func quoted(word string) string { return strconv.Quote(word) }

// maxNumber is the largest number in a script, more than any file has lines.
const maxNumber = 2_000_000_000

// number consumes a whole number of at least least.
func (p *parser) number(what string, least int) int {
	t := p.owed()
	p.readable(t)
	n, err := strconv.Atoi(t.text)
	if t.kind != kindNumber {
		p.fail(t.pos, "expected "+what+", a whole number, found "+t.describe(), "")
	}
	if err != nil || n > maxNumber {
		p.fail(t.pos, what+" is at most "+strconv.Itoa(maxNumber), "")
	}
	if n < least {
		p.fail(t.pos, what+" is at least "+strconv.Itoa(least), "")
	}
	p.at++
	return n
}

// name consumes a rule's, parameter's or environment's name.
func (p *parser) name(what string) string {
	t := p.owed()
	p.readable(t)
	if t.kind != kindWord {
		p.fail(t.pos, "expected "+what+", found "+t.describe(), "")
	}
	if !IsName(t.text) {
		p.fail(t.pos, "a name is small letters, digits and -, beginning with a letter", "")
	}
	if isBuiltin(t.text) {
		p.fail(t.pos, strconv.Quote(t.text)+" is a built-in placeholder's name", "choose another one")
	}
	p.at++
	return t.text
}

// IsName reports whether s can name a rule or a parameter.
func IsName(s string) bool {
	if s == "" || s[0] < 'a' || s[0] > 'z' {
		return false
	}
	return countWhile(s, func(c byte) bool { return 'a' <= c && c <= 'z' || isDigit(c) || c == '-' }) == len(s)
}

// text consumes a string or a margin block.
func (p *parser) text(what string) *Text {
	t := p.owed()
	if t.kind != kindString && t.kind != kindMargin {
		p.readable(t)
		remedy := "text stands between quotes or in lines that begin with |"
		if t.kind == kindWord || t.kind == kindNumber {
			remedy = `text stands between quotes: "` + t.text + `"`
		}
		p.fail(t.pos, "expected "+what+", found "+t.describe(), remedy)
	}
	lines := []token{t}
	p.at++
	for t.kind == kindMargin && p.tokens[p.at].kind == kindNewline && p.tokens[p.at+1].kind == kindMargin {
		lines = append(lines, p.tokens[p.at+1])
		p.at += 2
	}
	return p.textFrom(lines)
}

// content consumes a text that may be `from file`.
func (p *parser) content(what string) *Text {
	p.expect("from file")
	from := p.owed()
	if from.kind != kindWord || from.text != "from" {
		return p.text(what)
	}
	p.at++
	p.want("file", "from")
	return &Text{Pos: from.pos, File: p.plain("the file's path")}
}

// plain consumes a text without placeholders.
func (p *parser) plain(what string) *Text {
	t := p.text(what)
	if _, ok := t.Plain(); !ok {
		p.fail(t.Pos, what+" holds no placeholder", "write {== if the two characters {= are meant")
	}
	return t
}

// brace consumes the opening brace of what.
func (p *parser) brace(what string) token {
	t := p.owed()
	p.readable(t)
	if t.kind != kindOpen {
		p.fail(t.pos, "expected { after "+what+", found "+t.describe(), "")
	}
	p.at++
	return t
}

// closing consumes the brace that closes open.
func (p *parser) closing(open token) {
	if t := p.tokens[p.at]; t.kind != kindClose {
		p.report(open.pos, "this { is never closed", "close it with }")
		p.problems[len(p.problems)-1].Fixes = []Fix{{Where: FixEnd, New: "}"}}
		panic(bailout{})
	}
	p.at++
}
