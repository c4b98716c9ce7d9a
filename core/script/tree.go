package script

import "slices"

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
	// chunks returns the printed form of the node, or of its opening line if it has a body.
	chunks() []chunk
}

// A Head is the common part of all nodes: the place and the comments around it.
type Head struct {
	Pos   Pos
	Above []string // comment lines before it, "" for a blank line
	After string   // the comment behind it on its line
}

// Place returns the node's position.
func (h *Head) Place() Pos  { return h.Pos }
func (h *Head) head() *Head { return h }

// Within returns a statement under addresses, each within the one before.
func Within(around []*Address, n Node) Node {
	for _, a := range slices.Backward(around) {
		n = &Addressed{Head: Head{Pos: a.Pos}, Address: a, Body: []Node{n}}
	}
	return n
}

// Declares reports whether a node declares something, and neither changes nor checks a text itself.
func Declares(n Node) bool {
	switch n.(type) {
	case *Version, *Title, *Param, *Files, *Joiners, *Encoding, *Syntax, *UseScript, *NamedTable, *Example, *When:
		return true
	}
	return false
}

// Text is a string or a margin block.
type Text struct {
	Pos   Pos
	Block bool
	Quote byte   // of a string
	Raw   string // as written, lines joined by \n
	// Column is where Raw begins on its line, from 1, of a string.
	Column int
	Parts  []Part
	File   *Text // of `from file`, else nil
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
	Word   string // of or, by and those that take a decimal
	// Table is what by looks up, set by a compiler.
	Table map[string]string
}

// Plain returns the text's value if it has no placeholders.
func (t *Text) Plain() (string, bool) {
	switch {
	case len(t.Parts) == 0:
		return "", true
	case len(t.Parts) == 1 && t.Parts[0].Hole == nil:
		return t.Parts[0].Literal, true
	}
	return "", false
}
