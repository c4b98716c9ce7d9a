package script

import (
	"slices"
	"strconv"
)

// Statements about how texts are written.
type (
	// Squeeze is `squeeze blank lines [to N]`.
	Squeeze struct {
		Head
		To      int
		Written bool // `to N` is written
	}
	// TrimEnds is `trim line ends`.
	TrimEnds struct{ Head }
	// UseEndings is `use line endings lf` or `crlf`.
	UseEndings struct {
		Head
		CRLF bool
	}
	// UseFinalEnding is `use final line ending`.
	UseFinalEnding struct{ Head }
	// UseEncoding is `use encoding "…"`.
	UseEncoding struct {
		Head
		Name *Text
	}
)

var tidying = []row{
	{"squeeze", anywhere, (*parser).squeeze, []Use{
		{"squeeze blank lines", "runs of blank lines become one", "squeeze blank lines"},
		{"squeeze blank lines to N", "runs of more than N blank lines become N; 0 removes them", "squeeze blank lines to 0"},
	}},
	{"trim", anywhere, (*parser).trim, []Use{
		{"trim line ends", "white space at the end of lines goes", "trim line ends"},
	}},
	{"use", anywhere, (*parser).use, []Use{
		{"use line endings lf", "of the whole file; also crlf", "use line endings crlf"},
		{"use final line ending", "the last line ends in a line ending", "use final line ending"},
		{`use encoding "…"`, "of what is written", `use encoding "utf-8"`},
		{`use "SCRIPT"`, "another script's parameters and rules run here", `use "other.friz"`},
	}},
}

var statements = slices.Concat(replacing, settling, lining, sorting, tidying)

func (n *Squeeze) chunks() []chunk {
	if n.Written {
		return oneOf("squeeze blank lines to " + strconv.Itoa(n.To))
	}
	return oneOf("squeeze blank lines")
}

func (*TrimEnds) chunks() []chunk { return oneOf("trim line ends") }

func (n *UseEndings) chunks() []chunk {
	if n.CRLF {
		return oneOf("use line endings crlf")
	}
	return oneOf("use line endings lf")
}

func (*UseFinalEnding) chunks() []chunk { return oneOf("use final line ending") }
func (n *UseEncoding) chunks() []chunk  { return textChunks("use encoding", n.Name) }

func (p *parser) squeeze(h Head) Node {
	p.want("blank", "squeeze")
	p.want("lines", "blank")
	n := &Squeeze{Head: h, To: 1}
	p.expect("to")
	if p.accept("to") {
		n.To, n.Written = p.number("the number of blank lines to keep", 0), true
	}
	return n
}

func (p *parser) trim(h Head) Node {
	p.want("line", "trim")
	p.want("ends", "line")
	return &TrimEnds{h}
}

// use reads `use "script"` and the statements that begin with `use`.
func (p *parser) use(h Head) Node {
	if p.owed().kind == kindString {
		return &UseScript{h, p.plain("a script's path")}
	}
	switch p.choice("what to use", "line", "final", "encoding") {
	case "line":
		p.want("endings", "line")
		return &UseEndings{h, p.choice("the line ending", "lf", "crlf") == "crlf"}
	case "final":
		p.want("line", "final")
		p.want("ending", "line")
		return &UseFinalEnding{h}
	}
	return &UseEncoding{h, p.plain("an encoding's name")}
}
