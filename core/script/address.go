package script

import (
	"strconv"
	"strings"
)

// Address selects where statements act.
type Address struct {
	Pos     Pos
	Outside bool
	Form    Form
	Having  []Holding
	Direct  bool // of a block its own lines alone, of a document's section those before its first subsection
}

// A Form is a form of address with its operands.
type Form interface {
	// chunks returns the address behind its opening word, on, in or outside.
	chunks(opening string) []chunk
	word() string // that it begins with
}

// Forms of addresses.
type (
	// Lines is `line 3` and `lines 10 to 30`, from 1, To 0 for the last.
	Lines struct {
		From, To int
		Single   bool
	}
	// EdgeLines is `first line`, `last 2 lines` and their like; with a Pattern, of the lines that match.
	EdgeLines struct {
		Last    bool
		Count   int
		Pattern *Pattern // nil for all lines
	}
	// LinesNear is `2 lines below PATTERN`, and `above` if Below is false.
	LinesNear struct {
		Count   int
		Below   bool
		Pattern *Pattern
	}
	// LinesWith is `lines with PATTERN` with its neighbours, and `lines without PATTERN`.
	LinesWith struct {
		Without      bool
		Pattern      *Pattern
		Above, Below int
	}
	// Range is the lines from one mark to another. Close is nil for the last line.
	Range struct {
		Form        RangeForm
		Open, Close *Pattern
	}
	// Section is `section NAME`, or `section with PATTERN` if Pattern is not nil.
	Section struct {
		Name       *Text
		IgnoreCase bool
		Pattern    *Pattern
	}
	// Block is `block with PATTERN`.
	Block struct{ Pattern *Pattern }
	// Paragraph is `paragraph with PATTERN`.
	Paragraph struct{ Pattern *Pattern }
	// Values is `at PATH`.
	Values struct{ Path *Text }
)

// RangeForm says which of its marks belong to a range.
type RangeForm int

const (
	FromTo  RangeForm = iota // both
	Between                  // neither
	Until                    // the opening one
)

// Holding is `having PATTERN`, or `lacking PATTERN` if Lacking is set.
type Holding struct {
	Lacking bool
	Pattern *Pattern
}

// Addressed is an address before a statement, or before a block of them.
type Addressed struct {
	Head
	Address *Address
	Braces  bool
	Body    []Node
	End     []string
}

var addressing = []row{
	{"on", anywhere, func(p *parser, h Head) Node { return p.addressed(h, "on") }, nil},
	{"in", anywhere, func(p *parser, h Head) Node { return p.addressed(h, "in") }, nil},
	{"outside", anywhere, func(p *parser, h Head) Node { return p.addressed(h, "outside") }, []Use{
		{"outside ADDRESS", "all but what the address selects", `outside section "clock" remove word "depot-3"`},
	}},
	{"at", anywhere, (*parser).atPath, []Use{
		{"at PATH", "the values that a path selects, of a structured file", `at '$.boards[*].host' rewrite as "depot-4"`},
	}},
}

var addresses = []addressRow{
	{word: "line", opening: "on", parse: (*parser).oneLine, uses: []Use{
		{"on line N", "one line, by its number", "on line 3 delete"},
	}},
	{word: "lines", opening: "on", holding: true, parse: (*parser).lines, uses: []Use{
		{"on lines N to N", "lines by their numbers; `to last` for all that follow", "on lines 10 to last delete"},
		{"on lines with PATTERN", "each line that matches", `on lines with word "depot-3" delete`},
		{"on lines with PATTERN and N above and N below", "each with its neighbours", `on lines with word "depot-3" and 1 above and 2 below delete`},
		{"on lines without PATTERN", "each line that does not match", `on lines without text "=" delete`},
		{"on lines from MARK to MARK", "a range with the lines of both marks, as often as it occurs; MARK is a pattern, the closing one also `last line`",
			`on lines from text "BEGIN" to text "END" delete`},
		{"on lines from MARK until MARK", "a range up to the closing mark, which may open the next one, or to the end",
			`on lines from regex '^platform' until regex '^\w' delete`},
		{"on lines between MARK and MARK", "a range without the lines of its marks", `on lines between text "BEGIN" and text "END" delete`},
	}},
	{word: "first", opening: "on", parse: func(p *parser) Form { return p.edgeLines(false) }, uses: []Use{
		{"on first line", "the first line of what is selected, else of the file", "on first line delete"},
		{"on first N lines", "the first few", "on first 2 lines delete"},
		{"on first line with PATTERN", "of the lines that match the first; also `first N lines with PATTERN`", `on first line with word "depot-3" delete`},
	}},
	{word: "last", opening: "on", parse: func(p *parser) Form { return p.edgeLines(true) }, uses: []Use{
		{"on last line", "the last line of what is selected, else of the file", "on last line delete"},
		{"on last N lines", "the last few", "on last 5 lines delete"},
		{"on last line with PATTERN", "of the lines that match the last; also `last N lines with PATTERN`", `on last line with word "depot-3" delete`},
	}},
	{word: near, opening: "on", parse: (*parser).linesNear, uses: []Use{
		{"on N lines below PATTERN", "the lines next to each line that matches, without it; also `above`", `on 2 lines below word "depot-3" delete`},
	}},
	{word: "section", opening: "in", holding: true, direct: true, parse: (*parser).section, uses: []Use{
		{"in section NAME", "[NAME] to the next header; in a document the heading with all below it", `in section "clock" remove word "depot-3"`},
		{"in section with PATTERN", "of sections whose name matches", `in section with regex '^platform-\d' remove word "depot-3"`},
		{"in section NAME ignoring case", "the name in any case", `in section "clock" ignoring case remove word "depot-3"`},
	}},
	{word: "block", opening: "in", holding: true, direct: true, parse: func(p *parser) Form { return &Block{p.with("block")} }, uses: []Use{
		{"in block with PATTERN", "a line that matches and all that it opens: by brackets, a tag, or deeper indentation", `in block with text "server {" remove word "depot-3"`},
	}},
	{word: "paragraph", opening: "in", holding: true, parse: func(p *parser) Form { return &Paragraph{p.with("paragraph")} }, uses: []Use{
		{"in paragraph with PATTERN", "the lines up to the blank lines around a match", `in paragraph with word "platform" remove word "depot-3"`},
	}},
}

// addressUses are what may follow an address.
var addressUses = []Use{
	{"ADDRESS having PATTERN", "only the sections, blocks, paragraphs or ranges that hold it", `in block with text "server {" having word "boards" remove word "depot-3"`},
	{"ADDRESS lacking PATTERN", "only those that do not hold it", `in section "clock" lacking text "server" remove word "depot-3"`},
	{"ADDRESS directly", "of blocks only their own lines, of sections only those before the first subsection", `in block with text "server {" directly remove word "depot-3"`},
	{"ADDRESS { … }", "several statements at one address", "on first line {\n    remove word \"depot-3\"\n    trim line ends\n}"},
}

func (*Lines) word() string { return "lines" }
func (a *Lines) chunks(opening string) []chunk {
	switch {
	case a.Single:
		return oneOf(opening + " line " + strconv.Itoa(a.From))
	case a.To == 0:
		return oneOf(opening + " lines " + strconv.Itoa(a.From) + " to last")
	}
	return oneOf(opening + " lines " + strconv.Itoa(a.From) + " to " + strconv.Itoa(a.To))
}

func (a *EdgeLines) word() string { return map[bool]string{true: "last", false: "first"}[a.Last] }
func (a *EdgeLines) chunks(opening string) []chunk {
	words := opening + " " + a.word() + " line"
	if a.Count > 1 {
		words = opening + " " + a.word() + " " + strconv.Itoa(a.Count) + " lines"
	}
	if a.Pattern != nil {
		return patternChunks(words+" with", a.Pattern)
	}
	return oneOf(words)
}

// near is the word of addresses that begin with a number.
const near = "N"

func (*LinesNear) word() string { return near }
func (a *LinesNear) chunks(opening string) []chunk {
	words, side := " lines", " above"
	if a.Count == 1 {
		words = " line"
	}
	if a.Below {
		side = " below"
	}
	return patternChunks(opening+" "+strconv.Itoa(a.Count)+words+side, a.Pattern)
}

func (*LinesWith) word() string { return "lines" }
func (a *LinesWith) chunks(opening string) []chunk {
	if a.Without {
		return patternChunks(opening+" lines without", a.Pattern)
	}
	ps := patternChunks(opening+" lines with", a.Pattern)
	if a.Above > 0 {
		ps = append(ps, chunk{words: "and " + strconv.Itoa(a.Above) + " above", joined: true})
	}
	if a.Below > 0 {
		ps = append(ps, chunk{words: "and " + strconv.Itoa(a.Below) + " below", joined: true})
	}
	return ps
}

func (*Range) word() string { return "lines" }
func (a *Range) chunks(opening string) []chunk {
	first, second := " lines from", [...]string{"to", "and", "until"}[a.Form]
	if a.Form == Between {
		first = " lines between"
	}
	open, end := patternChunks(opening+first, a.Open), oneOf(second+" last line")
	if a.Close != nil {
		end = patternChunks(second, a.Close)
	}
	open[0].joined, end[0].joined = true, true
	return append(open, end...)
}

func (*Section) word() string   { return "section" }
func (*Block) word() string     { return "block" }
func (*Paragraph) word() string { return "paragraph" }
func (*Values) word() string    { return "at" }

func (a *Section) chunks(opening string) []chunk {
	if a.Pattern != nil {
		return patternChunks(opening+" section with", a.Pattern)
	}
	return append(textChunks(opening+" section", a.Name), when(a.IgnoreCase, "ignoring case")...)
}

func (a *Block) chunks(opening string) []chunk {
	return patternChunks(opening+" block with", a.Pattern)
}
func (a *Paragraph) chunks(opening string) []chunk {
	return patternChunks(opening+" paragraph with", a.Pattern)
}
func (a *Values) chunks(string) []chunk { return pathChunks("at", a.Path) }

func (n *Addressed) chunks() []chunk { return n.Address.chunks() }

// chunks returns the address with its opening word.
func (a *Address) chunks() []chunk {
	opening := "outside"
	if r := addressRowOf(a.Form.word()); r != nil && !a.Outside {
		opening = r.opening
	}
	ps := a.Form.chunks(opening)
	for _, h := range a.Having {
		ps = append(ps, patternChunks(h.word(), h.Pattern)...)
	}
	return append(ps, when(a.Direct, "directly")...)
}

func (h Holding) word() string {
	if h.Lacking {
		return "lacking"
	}
	return "having"
}

// String returns the address in the language's words on one line, with its opening word. A pattern of several lines
// is cut.
func (a *Address) String() string {
	var words []string
	for _, c := range a.chunks() {
		words = append(words, c.words)
		if c.block != nil {
			words = append(words, strconv.Quote(Shorten(c.block.Raw)))
		}
	}
	return strings.Join(words, " ")
}
