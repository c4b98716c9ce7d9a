package script

import (
	"strconv"
	"strings"
	"unicode/utf8"
)

// filters are the names of all filters, and whether each takes an operand.
var filters = map[string]bool{
	"upper": false, "lower": false, "capital": false, "trim": false, "digits": false,
	"plus": true, "minus": true, "pad": true, "or": true,
}

var filterNames = []string{"upper", "lower", "capital", "trim", "digits", "plus", "minus", "pad", "or"}

// maxPad bounds what `pad N` may write, so that a slip of the finger does not
// fill a disk with zeros.
const maxPad = 1000

// textFrom makes the Text of one string token, or of the consecutive margin
// tokens of a block, and parses its placeholders.
func (p *parser) textFrom(lines []token) *Text {
	first := lines[0]
	t := &Text{Pos: first.pos, Block: first.kind == kindMargin, Quote: first.quote}
	raws := make([]string, len(lines))
	var literal strings.Builder
	flush := func() {
		if literal.Len() > 0 {
			t.Parts = append(t.Parts, Part{Literal: literal.String()})
			literal.Reset()
		}
	}
	for i, line := range lines {
		raws[i] = line.text
		if i > 0 {
			literal.WriteByte('\n')
		}
		rest, column := line.text, line.textColumn
		for {
			before, after, found := strings.Cut(rest, "{=")
			literal.WriteString(before)
			if !found {
				break
			}
			column += utf8.RuneCountInString(before)
			if strings.HasPrefix(after, "=") {
				literal.WriteString("{=")
				rest, column = after[1:], column+3
				continue
			}
			inside, behind, closed := strings.Cut(after, "}")
			pos := Pos{line.pos.Line, column, utf8.RuneCountInString(inside) + 3}
			if !closed {
				p.fail(Pos{pos.Line, pos.Column, 2}, "this placeholder is not closed",
					"end it with }, or write {== where the two characters {= are meant")
			}
			flush()
			t.Parts = append(t.Parts, Part{Hole: p.placeholder(pos, inside)})
			rest, column = behind, column+pos.Width
		}
	}
	flush()
	t.Raw = strings.Join(raws, "\n")
	return t
}

// placeholder parses what stands between {= and }.
func (p *parser) placeholder(pos Pos, inside string) *Placeholder {
	words := strings.Fields(inside)
	if len(words) == 0 {
		p.fail(pos, "this placeholder names nothing", "write {=NAME}, or {== for the two characters {=")
	}
	hole := &Placeholder{Pos: pos, Name: words[0]}
	for words = words[1:]; len(words) > 0; words = words[1:] {
		name := words[0]
		takes, known := filters[name]
		if !known {
			p.fail(pos, "unknown filter "+strconv.Quote(name), didYouMean(name, filterNames))
		}
		f := Filter{Name: name}
		if takes {
			if len(words) < 2 {
				p.fail(pos, "the filter "+name+" wants a value after it", "")
			}
			f.Word = words[1]
			words = words[1:]
		}
		if takes && name != "or" {
			n, err := strconv.Atoi(f.Word)
			if err != nil || n < 0 || name == "pad" && n > maxPad {
				p.fail(pos, "the filter "+name+" wants a whole number, not "+strconv.Quote(f.Word), "")
			}
			f.Number, f.Word = n, ""
		}
		hole.Filters = append(hole.Filters, f)
	}
	return hole
}

// NewText makes the text that stands for s as it is, in the quote that fits it,
// preferring the one given; several lines become a margin block. It reports false
// where s holds all three quotes and no line break, which no string can.
func NewText(s string, prefer byte) (*Text, bool) {
	raw := strings.ReplaceAll(s, "{=", "{==")
	t := &Text{Raw: raw}
	if s != "" {
		t.Parts = []Part{{Literal: s}}
	}
	return t, t.choose(prefer)
}

// choose picks the quote that t's raw text does not hold, or a block for
// several lines.
func (t *Text) choose(prefer byte) bool {
	if strings.Contains(t.Raw, "\n") {
		t.Block = true
		return true
	}
	for _, q := range []byte{prefer, '"', '\'', '`'} {
		if strings.IndexByte(t.Raw, q) < 0 {
			t.Quote = q
			return true
		}
	}
	return false
}

// RawText makes a text as it would be written between quotes, placeholders and all,
// in a quote that fits, preferring the one given. It reports false where none fits.
func RawText(raw string, prefer byte) (*Text, bool) {
	t := &Text{Raw: raw}
	return t, t.choose(prefer)
}

// ParseText parses a text that stands alone, placeholders and all; name is what
// messages call it.
func ParseText(name, raw string) (t *Text, problems Problems) {
	p := &parser{source: &Source{Name: name, Text: raw}}
	defer func() {
		if r := recover(); r != nil {
			if _, ok := r.(bailout); !ok {
				panic(r)
			}
			problems = p.problems
		}
	}()
	return p.textFrom([]token{{kind: kindString, text: raw, quote: '"', pos: Pos{1, 1, 1}, textColumn: 1}}), nil
}
