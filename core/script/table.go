package script

import (
	"slices"
	"strings"
)

// The table of the language. Each form is one row, by its first word: the contexts that allow it, the parser of
// the rest, and its uses with a line of help and an example each. The parser, shell completion, the help and the
// reference page read the table; the printer uses the nodes.

// row is the forms that begin with one word. The word is consumed when parse is called.
type row struct {
	word  string
	where context
	parse func(*parser, Head) Node
	uses  []Use
}

// addressRow is the addresses that begin with one word, behind on, in or outside.
type addressRow struct {
	word    string
	opening string // on or in
	holding bool   // having and lacking may follow
	direct  bool   // directly may follow
	parse   func(*parser) Form
	uses    []Use
}

// A Use is one form of the language, for a person.
type Use struct {
	Form    string // in it PATTERN, TEXT, NAME and other capitals are operands
	Help    string // a line
	Example string // a script, laid out the standard way, that uses it
}

// A Chapter is the uses of one sort of form.
type Chapter struct {
	Name string
	Uses []Use
}

var (
	rows        []row
	rowOf       map[string]*row // by the word
	addressRows []addressRow

	wordsOf        [anywhere + 1][]string
	addressWordsOf = map[string][]string{}
	// addressingWords are the opening words of addresses.
	addressingWords []string
)

func init() { // the rows refer to functions that refer to the rows
	rows = slices.Concat(declarations, guards, statements, addressing)
	addressRows = slices.Concat(addresses, nameRows)
	rowOf = map[string]*row{}
	for i := range rows {
		rowOf[rows[i].word] = &rows[i]
		for where := range wordsOf {
			if rows[i].where&context(where) != 0 {
				wordsOf[where] = append(wordsOf[where], rows[i].word)
			}
		}
	}
	for _, r := range addressing {
		addressingWords = append(addressingWords, r.word)
	}
	for _, r := range addressRows {
		for _, opening := range []string{"", r.opening} {
			if r.word != near {
				addressWordsOf[opening] = append(addressWordsOf[opening], r.word)
			}
		}
	}
}

// Reference returns every form of the language, in the order in which a reference lists them.
func Reference() []Chapter {
	uses := func(rows []row) (all []Use) {
		for _, r := range rows {
			all = append(all, r.uses...)
		}
		return all
	}
	var where []Use
	for _, r := range addressRows {
		where = append(where, r.uses...)
	}
	where = append(where, addressUses...)
	where = append(where, uses(addressing)...)
	var filtering, placeholding []Use
	for _, f := range filters {
		filtering = append(filtering, f.use)
	}
	for _, p := range placeholders {
		placeholding = append(placeholding, p.use)
	}
	return []Chapter{
		{"Statements", uses(statements)}, {"Patterns", patternUses}, {"Addresses", where}, {"Texts", textUses},
		{"Placeholders", placeholding}, {"Filters", filtering}, {"Guards and assertions", uses(guards)}, {"Declarations", uses(declarations)},
	}
}

// words returns the first words of the forms that a context allows. The caller must not modify the slice.
func words(where context) []string { return wordsOf[where] }

// addressWords returns the words that an address begins with behind an opening word, "" for any. The slice is
// shared.
func addressWords(opening string) []string { return addressWordsOf[opening] }

func addressRowOf(word string) *addressRow {
	i := slices.IndexFunc(addressRows, func(r addressRow) bool { return r.word == word })
	if i < 0 {
		return nil
	}
	return &addressRows[i]
}

// statement reads one node of any kind.
func (p *parser) statement(where context) Node {
	p.expect(words(where)...)
	t := p.owed()
	p.readable(t)
	r := rowOf[t.text]
	if t.kind != kindWord || r == nil {
		p.noStatement(t)
	}
	if r.where&where == 0 {
		remedy := "it stands at the top of a script or in a rule"
		switch r.where {
		case atTop:
			remedy = "it stands at the top of a script, outside any braces"
		case inRule:
			remedy = "it stands directly in a rule"
		}
		p.fail(t.pos, quoted(t.text)+" cannot stand here", remedy)
	}
	p.at++
	return r.parse(p, Head{Pos: t.pos})
}

// noStatementReason begins the reason of a problem about a line that begins like no statement.
const noStatementReason = "no statement begins with "

const statementRemedy = "statements begin with words such as replace, remove, insert, delete or settle"

// noStatement reports a token that begins no statement.
func (p *parser) noStatement(t token) {
	reason, remedy := noStatementReason+t.describe(), ""
	if t.kind == kindWord {
		remedy = didYouMean(t.text, words(anywhere))
	}
	switch {
	case slices.Contains(addressWords("on"), t.text):
		remedy = "an address begins with on, as in: on " + t.text + " …"
	case slices.Contains(addressWords("in"), t.text):
		remedy = "an address begins with in, as in: in " + t.text + " …"
	case t.kind == kindWord && remedy == "":
		remedy = statementRemedy
	case t.kind == kindMargin:
		reason = "this margin block belongs to no statement"
		remedy = "a block's lines stand together, right after what they complete"
	}
	p.fail(t.pos, reason, remedy)
}

// isForeign reports whether most problems are lines that do not begin a statement: the file is
// probably not a script.
func (p *parser) isForeign() bool {
	n := 0
	for _, q := range p.problems {
		if strings.HasPrefix(q.Reason, noStatementReason) && q.Remedy == statementRemedy {
			n++
		}
	}
	return len(p.problems) > 1 && 2*n >= len(p.problems)
}
