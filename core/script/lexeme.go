package script

// A LexemeKind is the kind of a lexeme.
type LexemeKind int

const (
	LexWord LexemeKind = iota
	LexNumber
	LexString
	LexMargin // a line of a margin block
	LexComment
	LexPunctuation
	LexMistake
)

// A Lexeme is a word, a text or a mark of a line of a script, for tools that show and edit scripts. Offsets are bytes of the
// line.
type Lexeme struct {
	Kind       LexemeKind
	Text       string // of a string and of a margin line without its marks
	Start, End int
	TextStart  int
	Begins     bool // it is the first of a statement, a declaration or a line
}

var lexemeKinds = map[kind]LexemeKind{
	kindWord: LexWord, kindNumber: LexNumber, kindString: LexString, kindMargin: LexMargin, kindComment: LexComment,
	kindOpen: LexPunctuation, kindClose: LexPunctuation, kindEqual: LexPunctuation, kindSemicolon: LexPunctuation, kindBad: LexMistake,
}

// Lexemes returns the lexemes of a line of a script, which hold on whatever the lines around it are; none if it is not
// UTF-8.
func Lexemes(line string) (all []Lexeme) {
	tokens, _ := lex(&Source{Text: line})
	begins := true
	for _, t := range tokens {
		if kind, shown := lexemeKinds[t.kind]; shown {
			l := Lexeme{Kind: kind, Text: t.text, Start: t.offset, End: t.offset + t.size, TextStart: t.offset, Begins: begins}
			switch t.kind {
			case kindString:
				l.TextStart++
			case kindMargin:
				l.TextStart = l.End - len(t.text)
			}
			all = append(all, l)
		}
		begins = t.kind == kindOpen || t.kind == kindClose || t.kind == kindSemicolon
	}
	return all
}
