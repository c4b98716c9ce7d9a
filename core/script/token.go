package script

import (
	"strconv"
	"strings"
	"unicode/utf8"
)

type kind int

const (
	kindEnd     kind = iota
	kindNewline      // the end of a line that held something
	kindComment      // '#' and the rest of the line
	kindBlank        // a line with nothing on it
	kindWord         // a keyword or a name
	kindNumber
	kindString // '…', "…" or `…`
	kindMargin // one line of a margin block
	kindOpen   // {
	kindClose  // }
	kindEqual  // =
	kindSemicolon
	kindBad // reported by the lexer already
)

// A token is one token; text is its contents: the inside of a string, a margin line
// after its '|' and one space, a comment with its '#'.
type token struct {
	kind  kind
	text  string
	quote byte // of a string
	pos   Pos
	// textColumn is the column, from 1, at which text begins.
	textColumn int
	// offset is the token's first byte in the source, and size its number of bytes.
	offset, size int
}

// describe names a token in a message.
func (t token) describe() string {
	switch t.kind {
	case kindEnd:
		return "the end of the script"
	case kindNewline, kindBlank, kindComment:
		return "the end of the line"
	case kindString:
		return "a string"
	case kindMargin:
		return "a margin block"
	case kindSemicolon:
		return "the end of the statement"
	default:
		return strconv.Quote(t.text)
	}
}

// lexer cuts a source into tokens, a line at a time: no token crosses a line.
type lexer struct {
	source   *Source
	in       *Source // of a part of a script that is parsed by itself
	tokens   []token
	problems Problems
	number   int    // of the line, from 1
	start    int    // byte offset of the line in the source
	line     string // without its ending
	at       int    // byte offset in line
	counted  int    // byte offset up to which columns are counted
	column   int    // the column of counted, from 1
}

// lex returns the source's tokens, ending in one of kindEnd.
func lex(source *Source) ([]token, Problems) { return lexIn(source, nil) }

// lexIn is lex for tokens whose places are in a source of their own, if that is not nil.
func lexIn(source, in *Source) ([]token, Problems) {
	l := &lexer{source: source, in: in, tokens: make([]token, 0, min(len(source.Text)/5, 1<<16)+8)}
	if !utf8.ValidString(source.Text) || strings.IndexByte(source.Text, 0) >= 0 {
		l.notUTF8()
		return []token{{kind: kindEnd, pos: posAt(1, 1, 1)}}, l.problems
	}
	text := strings.TrimPrefix(source.Text, "\ufeff")
	next := len(source.Text) - len(text)
	for line := range strings.SplitSeq(text, "\n") {
		l.number++
		l.start, next = next, next+len(line)+1
		l.line, l.at = strings.TrimRight(line, "\r"), 0
		l.counted, l.column = 0, 1
		l.lexLine()
	}
	l.at = len(l.line)
	l.add(kindEnd, "", 0)
	return l.tokens, l.problems
}

// notUTF8 reports the first byte that is not UTF-8.
func (l *lexer) notUTF8() {
	line, rest := 1, l.source.Text
	column := 1
	for len(rest) > 0 {
		r, size := utf8.DecodeRuneInString(rest)
		if r == utf8.RuneError && size == 1 {
			break
		}
		column++
		if r == '\n' {
			line, column = line+1, 1
		}
		rest = rest[size:]
	}
	if strings.IndexByte(l.source.Text, 0) >= 0 {
		l.problems = append(l.problems, Problem{
			Source: &Source{Name: l.source.Name}, Pos: posAt(1, 1, 1), Reason: "this file holds no text, and so no script",
		})
		return
	}
	l.problems = append(l.problems, Problem{
		Source: &Source{Name: l.source.Name},
		Pos:    posAt(line, column, 1),
		Reason: "this script is not UTF-8 from here on",
		Remedy: "save it as UTF-8, the encoding of every script",
	})
}

// add appends a token of width bytes at the current place.
func (l *lexer) add(k kind, text string, width int) *token {
	l.column += utf8.RuneCountInString(l.line[l.counted:l.at])
	l.counted = l.at
	runes := max(utf8.RuneCountInString(l.line[l.at:min(l.at+width, len(l.line))]), 1)
	l.tokens = append(l.tokens, token{
		kind: k, text: text, textColumn: l.column,
		pos: Pos{l.number, l.column, runes, l.in}, offset: l.start + l.at, size: width,
	})
	l.at += width
	return &l.tokens[len(l.tokens)-1]
}

func (l *lexer) lexLine() {
	l.skipSpace()
	switch {
	case l.at == len(l.line):
		l.add(kindBlank, "", 0)
		return
	case l.line[l.at] == '|':
		l.margin()
	default:
		for l.at < len(l.line) {
			l.next()
			l.skipSpace()
		}
	}
	l.add(kindNewline, "", 0)
}

func (l *lexer) skipSpace() {
	for l.at < len(l.line) && (l.line[l.at] == ' ' || l.line[l.at] == '\t') {
		l.at++
	}
}

// margin reads a line of a margin block: '|', at most one space, then literal text.
func (l *lexer) margin() {
	rest := l.line[l.at+1:]
	text := strings.TrimPrefix(rest, " ")
	t := l.add(kindMargin, text, len(rest)+1)
	t.textColumn += 1 + len(rest) - len(text)
}

func (l *lexer) next() {
	rest := l.line[l.at:]
	switch c := rest[0]; {
	case c == '#':
		l.add(kindComment, strings.TrimSpace(rest), len(rest))
	case c == '{':
		l.add(kindOpen, "{", 1)
	case c == '}':
		l.add(kindClose, "}", 1)
	case c == '=':
		l.add(kindEqual, "=", 1)
	case c == ';':
		l.add(kindSemicolon, ";", 1)
	case c == '\'' || c == '"' || c == '`':
		l.quoted(rest)
	case isDigit(c):
		l.numeral(rest)
	case isLetter(c):
		n := countWhile(rest, func(c byte) bool { return isLetter(c) || isDigit(c) || c == '-' || c == '_' })
		l.add(kindWord, rest[:n], n)
	default:
		r, size := utf8.DecodeRuneInString(rest)
		t := l.add(kindBad, rest[:size], size)
		remedy := "text stands between quotes, in lines that begin with |, or after #"
		if strings.ContainsRune("“”„‟‘’‚«»", r) {
			remedy = "put it between straight quotes: \"…\", '…' or `…`"
		}
		if name, _, ok := strings.Cut(rest[size:], "]"); ok && r == '[' && !strings.ContainsAny(name, "\"[") {
			remedy = `a section is named without its brackets: section "` + name + `"`
		}
		l.report(t.pos, "nothing in a script begins with "+strconv.QuoteRune(r), remedy)
		l.at = len(l.line) // one report a line
	}
}

// numeral reads an integer. It reports 3-8 with the form for an interval.
func (l *lexer) numeral(rest string) {
	n := countWhile(rest, isDigit)
	if more := rest[n:]; strings.HasPrefix(more, "-") {
		if m := countWhile(more[1:], isDigit); m > 0 {
			t := l.add(kindBad, rest[:n+1+m], n+1+m)
			l.report(t.pos, strconv.Quote(t.text)+" is not a number", "write lines "+rest[:n]+" to "+more[1:1+m])
			return
		}
	}
	l.add(kindNumber, rest[:n], n)
}

// quoted takes a string up to the same quote; there are no escapes.
func (l *lexer) quoted(rest string) {
	end := strings.IndexByte(rest[1:], rest[0])
	if end >= 0 && escapes(rest, end+2) {
		t := l.add(kindBad, rest, len(rest))
		l.report(Pos{t.pos.Line, t.pos.Column + utf8.RuneCountInString(rest[:end]), 2, l.in}, "a quote is never escaped: a backslash is a character like others",
			"put the text between quotes of another kind: "+strings.ReplaceAll("'…', \"…\" or `…`", rest[:1]+"…"+rest[:1]+", ", ""))
		return
	}
	if end < 0 {
		t := l.add(kindBad, rest, len(rest))
		l.report(posAt(t.pos.Line, t.pos.Column, 1), "this string is not closed on its line",
			"end it with "+rest[:1]+"; text of several lines goes into a margin block, lines that begin with |")
		l.problems[len(l.problems)-1].Fixes = []Fix{{Pos: posAt(t.pos.Line, t.pos.Column+t.pos.Width, 0), New: rest[:1]}}
		return
	}
	t := l.add(kindString, rest[1:end+1], end+2)
	t.quote = rest[0]
	t.textColumn++
}

// escapes reports whether the string of n bytes that rest begins with seems to end in an escaped quote: its last
// character is a backslash, and text follows immediately or the line's other quotes of the kind do not pair.
func escapes(rest string, n int) bool {
	if !strings.HasSuffix(rest[:n-1], `\`) || n == len(rest) {
		return false
	}
	behind := rest[n:]
	return strings.IndexByte(" \t;}#", behind[0]) < 0 || strings.Count(behind, rest[:1])%2 == 1
}

func (l *lexer) report(pos Pos, reason, remedy string) {
	l.problems = append(l.problems, Problem{Source: l.source, Pos: pos, Reason: reason, Remedy: remedy})
}

func isDigit(c byte) bool  { return '0' <= c && c <= '9' }
func isLetter(c byte) bool { return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' || c == '_' }

func countWhile(s string, ok func(byte) bool) int {
	n := 0
	for n < len(s) && ok(s[n]) {
		n++
	}
	return n
}
