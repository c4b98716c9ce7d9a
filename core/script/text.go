package script

import (
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// filterRow is one filter. One that takes a number has it checked when it is parsed.
type filterRow struct {
	name    string
	operand operand
	use     Use
}

// An operand follows a filter's name.
type operand uint8

const (
	noOperand operand = iota
	aNumber
	aDecimal
	aWord
)

var filters = []filterRow{
	{"upper", noOperand, Use{"{=NAME upper}", "in capitals", `replace regex '\w+' with "{=0 upper}"`}},
	{"lower", noOperand, Use{"{=NAME lower}", "in small letters", `replace regex '\w+' with "{=0 lower}"`}},
	{"capital", noOperand, Use{"{=NAME capital}", "the first letter as a capital, the rest as it is", `replace regex '\w+' with "{=0 capital}"`}},
	{"trim", noOperand, Use{"{=NAME trim}", "without white space at its ends", `replace regex '= (.*)' with "= {=1 trim}"`}},
	{"digits", noOperand, Use{"{=NAME digits}", "only its digits", `replace word "today" with "{=today digits}"`}},
	{"plus", aNumber, Use{"{=NAME plus N}", "a whole number, and N more; it keeps the width of a zero-padded one", `replace regex '\d+' with "{=0 plus 1}"`}},
	{"minus", aNumber, Use{"{=NAME minus N}", "a whole number, less N", `replace regex '\d+' with "{=0 minus 1}"`}},
	{"times", aDecimal, Use{"{=NAME times N}", "a number, N times; N may be a decimal, and the result has as many decimals as the text", `replace regex '\d+' preceded by text "timeout = " with "{=0 times 1.5}"`}},
	{"at least", aDecimal, Use{"{=NAME at least N}", "the number, or N if it is less", `replace regex '\d+' preceded by text "timeout = " with "{=0 at least 30}"`}},
	{"at most", aDecimal, Use{"{=NAME at most N}", "the number, or N if it is more", `replace regex '\d+' preceded by text "timeout = " with "{=0 at most 600}"`}},
	{"pad", aNumber, Use{"{=NAME pad N}", "zeros on the left up to N characters", `replace regex '\d+' with "{=0 pad 4}"`}},
	{"by", aWord, Use{"{=NAME by TABLE}", "what a table has beside it; a text that the table lacks refuses the file, unless `or` follows", "table platforms {\n    \"oak\" \"3\"\n}\n\nreplace regex 'depot-(\\w+)' with \"platform {=1 by platforms or 0}\""}},
	{"or", aWord, Use{"{=NAME or WORD}", "WORD if it is empty", `replace regex 'port=(\d*)' with "port={=1 or 8415}"`}},
}

// A Named is a word of placeholders, with its use.
type Named struct {
	Name string
	Use
}

// Filters returns all filters.
func Filters() (all []Named) {
	for _, f := range filters {
		all = append(all, Named{f.name, f.use})
	}
	return all
}

// Placeholders returns the built-in placeholders.
func Placeholders() (all []Named) {
	for _, p := range placeholders {
		if p.name != "" {
			all = append(all, Named{p.name, p.use})
		}
	}
	return all
}

// FilterNames returns the names of all filters.
func FilterNames() (names []string) {
	for _, f := range filters {
		names = append(names, f.name)
	}
	return names
}

// A placeholderRow is a built-in placeholder. Parameters and groups cannot have its name.
type placeholderRow struct {
	name string // "" for those that a script names
	use  Use
}

var placeholders = []placeholderRow{
	{"", Use{"{=NAME}", "a parameter, or a named group of the pattern", "param host = \"depot-4\"\n\nreplace word \"depot-3\" with \"{=host}\""}},
	{"", Use{"{=0} {=1} …", "the whole match, and the groups of a regex", `replace regex 'depot-(\d)' with "yard-{=1}"`}},
	{"count", Use{"{=count}", "the number of this change of this statement in this file", `replace word "N" with "{=count}"`}},
	{"count-all", Use{"{=count-all}", "the same through all files, in path order", `replace word "N" with "{=count-all}"`}},
	{"count-here", Use{"{=count-here}", "the same, begun anew in each span of the innermost address", `in section "board" replace word "N" with "{=count-here}"`}},
	{"pseudonym", Use{"{=pseudonym}", "the same number for the same matched text, through all files", `replace regex '\w+@\S+' with "person-{=pseudonym}"`}},
	{"line", Use{"{=line}", "the number of the line", `on lines with word "N" rewrite as "{=line}"`}},
	{"file", Use{"{=file}", "the path of the file as it was selected", `insert at top "# {=file}" unless present`}},
	{"filename", Use{"{=filename}", "the last part of that path", `insert at top "# {=filename}" unless present`}},
	{"value-path", Use{"{=value-path}", "the path of the value, under `at`", `at '$..host' rewrite as "{=value-path}"`}},
	{"today", Use{"{=today}", "the date, such as 2026-03-01", `insert at end "checked {=today}" unless present`}},
	{"tab", Use{"{=tab}", "a tab", `replace text "," with "{=tab}"`}},
	{"newline", Use{"{=newline}", "a line break", `replace text ";" with "{=newline}"`}},
	{"", Use{"{==", "the two characters {=", `replace text "{==" with "<"`}},
}

func isBuiltin(name string) bool {
	return name != "" && slices.ContainsFunc(placeholders, func(p placeholderRow) bool { return p.name == name })
}

// Builtin returns the names of the placeholders that every text knows; no rule, no parameter and no group
// has one of them.
func Builtin() (names []string) {
	for _, p := range placeholders {
		if p.name != "" {
			names = append(names, p.name)
		}
	}
	return names
}

var textUses = []Use{
	{"\"…\" '…' `…`", "exactly what stands between the quotes; pick one that the text does not contain", `replace text "it's" with 'a "b"'`},
	{`from file "…"`, "the contents of a file, without its final line ending", `insert at top from file "motd.txt" unless present`},
	{"| LINES", "a margin block: the lines behind the marks, and one space after each mark", "on first line rewrite as\n    | [kiosk]\n    | port = 8415"},
}

// maxPad bounds what `pad N` may write, so that a slip of the finger does not
// fill a disk with zeros.
const maxPad = 1000

// textFrom makes the Text of one string token, or of the consecutive margin
// tokens of a block, and parses its placeholders.
func (p *parser) textFrom(lines []token) *Text {
	first := lines[0]
	t := &Text{Pos: first.pos, Block: first.kind == kindMargin, Quote: first.quote, Column: first.textColumn}
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
			pos := Pos{line.pos.Line, column, utf8.RuneCountInString(inside) + 3, line.pos.In}
			if !closed {
				p.fail(posAt(pos.Line, pos.Column, 2), "this placeholder is not closed",
					"end it with }, or write {== if the two characters {= are meant")
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

// placeholder parses the text between {= and }.
func (p *parser) placeholder(pos Pos, inside string) *Placeholder {
	words := strings.Fields(inside)
	if len(words) == 0 {
		p.fail(pos, "this placeholder names nothing", "write {=NAME}, or {== for the two characters {=")
	}
	hole := &Placeholder{Pos: pos, Name: words[0]}
	for words = words[1:]; len(words) > 0; words = words[1:] {
		name := words[0]
		if name == "at" && len(words) > 1 { // of two words
			name += " " + words[1]
			words = words[1:]
		}
		i := slices.IndexFunc(filters, func(f filterRow) bool { return f.name == name })
		if i < 0 {
			remedy := didYouMean(name, FilterNames())
			if remedy == "" {
				remedy = "the filters are " + strings.Join(FilterNames(), ", ")
			}
			p.fail(pos, "unknown filter "+strconv.Quote(name), remedy)
		}
		takes := filters[i].operand
		f := Filter{Name: name}
		if takes != noOperand {
			if len(words) < 2 {
				p.fail(pos, "the filter "+name+" wants a value after it", "")
			}
			f.Word = words[1]
			words = words[1:]
		}
		if takes == aNumber {
			n, err := strconv.Atoi(f.Word)
			if err != nil || n < 0 || name == "pad" && n > maxPad {
				p.fail(pos, "the filter "+name+" wants a whole number, not "+strconv.Quote(f.Word), "")
			}
			f.Number, f.Word = n, ""
		}
		if takes == aDecimal && !IsDecimal(f.Word) {
			p.fail(pos, "the filter "+name+" wants a number such as 30 or 1.5, not "+strconv.Quote(f.Word), "")
		}
		hole.Filters = append(hole.Filters, f)
	}
	return hole
}

// IsDecimal reports whether a text is a number such as -30 or 1.5, of at most 50 characters.
func IsDecimal(s string) bool {
	whole, decimals, point := strings.Cut(strings.TrimPrefix(s, "-"), ".")
	digits := func(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }
	return len(s) <= 50 && digits(whole) && (!point || digits(decimals))
}

// NewText returns a text whose value is s, in a quote that s does not contain, preferably prefer. Several lines
// become a margin block. It reports false if s contains all three quotes and no newline, since no string can
// express that.
func NewText(s string, prefer byte) (*Text, bool) {
	raw := strings.ReplaceAll(s, "{=", "{==")
	t := &Text{Raw: raw}
	if s != "" {
		t.Parts = []Part{{Literal: s}}
	}
	return t, t.Quoted(prefer)
}

// Quoted returns a string of a literal text, which some quote must fit.
func Quoted(s string) *Text {
	t, _ := NewText(s, '"')
	return t
}

// Quoted picks the quote that t is printed in, one that it does not hold, preferring the one given, or a
// margin block for several lines. It reports false if t holds all three.
func (t *Text) Quoted(prefer byte) bool {
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

// ParseText parses a separate text with placeholders. Messages refer to it by name.
func ParseText(name, raw string) (t *Text, _ Problems) {
	p := &parser{source: &Source{Name: name, Text: raw}}
	p.attempt(func() {
		t = p.textFrom([]token{{kind: kindString, text: raw, quote: '"', pos: Pos{1, 1, max(utf8.RuneCountInString(raw), 1), p.source}, textColumn: 1}})
	})
	return t, p.problems
}
