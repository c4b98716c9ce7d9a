package script

import "frizzel/core/bound"

// Script is one script file as a tree.
type Script struct {
	Source *Source
	Items  []Node
	End    []string // comment lines after the last item, "" for a blank line
}

// Node is an item of a script, a rule or an address: a declaration, a statement
// or an assertion.
type Node interface {
	Place() Pos
	head() *Head
}

// Head is what every node begins with: its place and the comments around it.
type Head struct {
	Pos   Pos
	Above []string // comment lines before it, "" for a blank line
	After string   // the comment behind it on its line
}

func (h *Head) Place() Pos  { return h.Pos }
func (h *Head) head() *Head { return h }

// Declarations.
type (
	// Version is `frizzel 1`.
	Version struct {
		Head
		Number int
	}
	// Title is `title "…"`.
	Title struct {
		Head
		Text *Text
	}
	// Param is a parameter, with where its value comes from and what it may be.
	Param struct {
		Head
		Name     string
		Default  *Text // nil without one
		Env      *Text // nil, or the environment variable's name
		Matching *Pattern
		About    *Text
	}
	// Files is `files GLOB …` or `not files GLOB …`.
	Files struct {
		Head
		Not   bool
		Globs []*Text
	}
	// Joiners is `joiners "…"`.
	Joiners struct {
		Head
		Text *Text
	}
	// Encoding is `encoding "…"`, of the files read.
	Encoding struct {
		Head
		Name *Text
	}
	// Syntax is `syntax "…"`, of files whose name does not tell.
	Syntax struct {
		Head
		Name *Text
	}
	// UseScript is `use "other.friz"`.
	UseScript struct {
		Head
		Path *Text
	}
	// Rule is a named rule.
	Rule struct {
		Head
		Name  string
		About *Text // nil without a description
		Body  []Node
		End   []string
	}
	// Example is a text and what the script makes of it.
	Example struct {
		Head
		Name  *Text  // nil without one
		Of    string // the one rule to run, or ""
		Sets  []Set
		File  *Text // nil, or what file the text would be
		Given *Text
		Gives *Text // nil for `gives the same`
	}
	// Set gives a parameter its value in an example.
	Set struct {
		Pos   Pos
		Name  string
		Value *Text
	}
	// When is a guard of a rule: exactly one of Pattern and Changed is in use.
	When struct {
		Head
		Lacks   bool
		Pattern *Pattern // nil for `when file changed`
		By      string   // the rule that changed it, "" for any
	}
	// Expect is how many changes a rule must make when it makes any.
	Expect struct {
		Head
		Bound   bound.Bound
		PerFile bool
	}
	// Assert is `forbid` or `require`.
	Assert struct {
		Head
		Forbid  bool
		Bound   bound.Bound // of a require; {AtLeast, 1} where nothing is said
		Plain   bool        // no bound is written
		Pattern *Pattern    // nil for each value of the path around it, as a search may ask for
		PerFile bool
	}
)

// Statements.
type (
	// Replace is `replace PATTERN with TEXT`, and `remove PATTERN` where With is nil.
	Replace struct {
		Head
		Pattern     *Pattern
		With        *Text
		Which       Which
		InFile      bool // occurrences are counted through the selection in the file
		KeepCase    bool
		AcrossLines bool
	}
	// ReplaceEach is `replace each word { … }` and its like from a table.
	ReplaceEach struct {
		Head
		Word       bool // else text
		IgnoreCase bool
		KeepCase   bool
		Pairs      []Pair
		End        []string
		Table      *Table // nil where pairs are written out
	}
	// Delete is `delete`.
	Delete struct{ Head }
	// Insert is the four inserts.
	Insert struct {
		Head
		Where         Edge
		Text          *Text
		UnlessPresent bool
	}
	// Rewrite is `rewrite as TEXT`.
	Rewrite struct {
		Head
		Text *Text
	}
	// Settle is `settle PATTERN as TEXT`.
	Settle struct {
		Head
		Pattern   *Pattern
		Text      *Text
		Commented *Text // the comment marks, each a character; nil for none
		// KeepComment says that a comment behind the line stays. A line goes on in the next
		// where it ends in Continued, or, with ByIndentation, in deeper ones below it.
		KeepComment   bool
		Continued     *Text // nil for none
		ByIndentation bool
	}
	// SettleSection is `settle section "…"`.
	SettleSection struct {
		Head
		Name *Text
	}
	// SettleValue is `settle value PATH as TEXT`, and `settle item` where Item is set.
	SettleValue struct {
		Head
		Path    *Text
		Item    bool
		Literal bool
		Text    *Text
	}
	// Rename is `rename to TEXT`.
	Rename struct {
		Head
		To *Text
	}
	// Comment is `comment out with "…"` and `uncomment "…"`.
	Comment struct {
		Head
		Out  bool
		Mark *Text
	}
	// Transfer is `copy DEST` and `move DEST`.
	Transfer struct {
		Head
		Move bool
		Dest Dest
	}
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
	// Addressed is an address before a statement, or before a block of them.
	Addressed struct {
		Head
		Address *Address
		Braces  bool
		Body    []Node
		End     []string
	}
)

// Edge is where an insert goes.
type Edge int

const (
	Above Edge = iota
	Below
	Top
	End
)

var edgeWords = [...]string{"above", "below", "at top", "at end"}

func (e Edge) String() string { return edgeWords[e] }

// Which says which occurrences a replace acts on, counted from 1: From to To, To
// being 0 for the last one; every occurrence where From is 0.
type Which struct {
	From, To int
	Last     bool // only the last one
}

// Pair is one line of a `replace each`.
type Pair struct {
	Head
	Old  *Text
	With *Text
}

// Table is a CSV file of pairs.
type Table struct {
	Path     *Text
	Old, New *Text // column names, nil for two columns without a header
}

// Dest is where copied and moved lines go.
type Dest struct {
	Below   bool
	Line    int      // a line number from 1, or 0
	First   bool     // the first line
	Last    bool     // the last line
	Pattern *Pattern // the first line with it
}

// Address selects where statements act.
type Address struct {
	Pos      Pos
	Outside  bool
	Kind     AddressKind
	From, To int      // Lines: numbers from 1, To 0 for the last; FirstLines, LastLines: From is the count
	Pattern  *Pattern // LinesWith, LinesWithout, Block, Paragraph
	Above    int      // LinesWith: neighbours
	Below    int
	Open     *Mark // Range, Between, Until
	Close    *Mark
	Section  *Text
	Path     *Text // At
	Having   []Holding
	Direct   bool // a block's own level alone
}

// AddressKind is the form of an address.
type AddressKind int

const (
	Line AddressKind = iota
	Lines
	FirstLines
	LastLines
	LinesWith
	LinesWithout
	Range
	Between
	Until
	Section
	Block
	Paragraph
	At
)

// Takes reports whether `having` and `lacking` may follow an address of the kind.
func (k AddressKind) Takes() bool { return k >= Range }

// Holding is `having PATTERN`, or `lacking PATTERN` where Lacking is set.
type Holding struct {
	Lacking bool
	Pattern *Pattern
}

// Mark bounds a range: a pattern, a line number from 1, or the last line.
type Mark struct {
	Pos     Pos
	Pattern *Pattern
	Line    int
	Last    bool
}

// PatternKind is how a pattern's text is meant.
type PatternKind int

const (
	PlainText PatternKind = iota
	WholeWord
	Regex
	WholeLines // a margin block
)

var patternKinds = []string{"text", "word", "regex"}

func (k PatternKind) String() string { return [...]string{"text", "word", "regex", ""}[k] }

// Pattern is what is matched.
type Pattern struct {
	Pos        Pos
	Kind       PatternKind
	Text       *Text
	Whole      bool // of a regex: at whole-word boundaries
	IgnoreCase bool
	Guards     []Guard
}

// Guard is what must, or must not, touch a match.
type Guard struct {
	Pos      Pos
	Not      bool
	Preceded bool // else followed
	Kind     PatternKind
	Text     *Text
}

// Text is a string or a margin block.
type Text struct {
	Pos   Pos
	Block bool
	Quote byte   // of a string
	Raw   string // as written, lines joined by \n
	Parts []Part
}

// Part is a literal, or a placeholder where Hole is not nil.
type Part struct {
	Literal string
	Hole    *Placeholder
}

// Placeholder is {=NAME FILTER …}.
type Placeholder struct {
	Pos     Pos
	Name    string
	Filters []Filter
}

// Filter changes a placeholder's value.
type Filter struct {
	Name   string
	Number int    // of plus, minus, pad
	Word   string // of or
}

// Plain returns the text's value where it holds no placeholder.
func (t *Text) Plain() (string, bool) {
	switch {
	case len(t.Parts) == 0:
		return "", true
	case len(t.Parts) == 1 && t.Parts[0].Hole == nil:
		return t.Parts[0].Literal, true
	}
	return "", false
}
