// Package tree reads structured texts, JSON, YAML, TOML, XML and CSV, as trees of values with offsets,
// and turns changes of values into edits of the text.
//
// Statements see a value as a small text: [Document.Show] returns it without quotes, escapes, entities
// and indentation, and [Document.Write] turns edits of that text into edits of the whole text, in the
// form in which the value is written. Members are added, renamed and removed in the layout of their
// siblings. Then the result is proven: [Document.Prove] parses it and compares it with the old tree and
// the intended changes. An unforeseen way of writing, or a wrong offset from a parser, therefore leads
// to a refusal and never to a wrong text.
//
// Libraries parse the texts. If they do not report the end of a value, it is found here. Each
// format is one file behind one interface (format.go).
package tree

import (
	"bytes"
	"fmt"
	"sort"
	"strings"

	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// A Kind is the kind of a value.
type Kind byte

const (
	Object Kind = iota // with named members
	Array              // with numbered ones
	String
	Number
	Bool
	Null
	Date
	Alias   // of YAML, a reference to an anchored value
	Element // of XML, and all that follow
	Attribute
	Characters
	Comment
	Instruction
)

var kindNames = [...]string{"object", "list", "string", "number", "boolean", "null", "date", "alias", "element", "attribute", "text", "comment", "instruction"}

func (k Kind) String() string { return kindNames[k] }

// An is the kind with its article.
func (k Kind) An() string {
	if strings.IndexByte("aeio", k.String()[0]) >= 0 {
		return "an " + k.String()
	}
	return "a " + k.String()
}

// bare reports whether values of the kind are shown in their notation.
func (k Kind) bare() bool { return k == Number || k == Bool || k == Null || k == Date }

// style is how a scalar is written.
type style byte

const (
	plainStyle   style = iota
	doubleQuoted       // with escapes
	singleQuoted
	literalBlock
	foldedBlock
	doubleLines // TOML's """, with escapes
	singleLines // TOML's '''
	flow        // members are between brackets, not indented
	cdata
)

// A Node is a value, or any node of XML, with its position.
type Node struct {
	Kind  Kind
	style style
	// scattered means that the value has parts outside [Start, End).
	scattered bool
	// pair means that it is an object of YAML without brackets in a list between brackets.
	pair bool
	Name string // a member's; an element's or attribute's, with its prefix
	Text string // a scalar's value; numbers, booleans and null in their notation
	// Start and End are the bytes that the value takes, with its quotes or its tags.
	Start, End int
	// Key and KeyEnd are the range of its written name, empty if it has none.
	Key, KeyEnd int
	// Inner and InnerEnd are the range between an element's tags.
	Inner, InnerEnd int
	Parent          *Node
	nth             int      // among its parent's members
	like            int      // of a node of XML: which it is of those of its kind, and of elements of its name; 0 if that is unknown
	Members         []*Node  // attributes first
	Anchor, Tag     string   // of YAML; for an alias, Anchor is its target
	Target          *Node    // of an Alias
	keyNode         *Node    // of YAML: the name as a value
	keys            []extent // of TOML's tables: where else their names stand
	places          []extent // of TOML: the lines that dotted keys are on; of CSV's root its header's cells
	header          extent   // of a TOML table that has one
	raw             string   // of a node that is to be added: its notation in a script, "" if it has none
}

// An extent is a byte range of a text.
type extent struct{ start, end int }

// Document is a text that was read.
type Document struct {
	Syntax syntax.Syntax
	Text   []byte
	Roots  []*Node // the documents of a YAML file; else one
	format format
	// strict says of JSON that it has neither comments nor trailing commas.
	strict    bool
	separator rune   // of CSV
	starts    []int  // of lines; nil if they were not asked for yet
	holes     []hole // of a template, in order
	// The step of indentation, "" if it was not asked for yet; and whether some line is indented.
	stepFound string
	lists     int // of YAML: what lists below a key are indented by; -1 if unknown
	indented  bool
	entities  map[string]string // of XML, which the text declares
}

// SyntaxError is the error of a text that does not parse.
type SyntaxError struct {
	Syntax syntax.Syntax
	Line   int // 1-based; 0 if it is not known
	Reason string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("this cannot be read as %s: %s", e.Syntax, e.Reason)
}

// maxDepth bounds how deep values lie in each other.
const maxDepth = 10_000

// Parse reads a text, which must not change while the document is in use. The error is a
// *SyntaxError.
func Parse(s syntax.Syntax, text []byte) (*Document, error) {
	d := &Document{Syntax: s, Text: text, lists: -1}
	if d.format = formatOf(d, s); d.format == nil {
		return nil, &SyntaxError{s, 0, "no syntax is known for it"}
	}
	if n := d.atMost(); n > maxValues {
		return nil, d.fault(0, "it may have %d values, more than the %d that are read", n, maxValues)
	}
	if err := d.read(); err != nil {
		return nil, err
	}
	return d, nil
}

// maxValues limits the values of a text, each of which takes several hundred bytes.
const maxValues = 5_000_000

// atMost returns a number that the text has not more values than, by the characters that part them.
func (d *Document) atMost() (n int) {
	parting := "\n,[{"
	switch d.Syntax {
	case syntax.XML:
		parting = "<="
	case syntax.CSV, syntax.BareCSV:
		parting = "\n,;\t"
	}
	if len(d.Text) <= maxValues {
		return 0
	}
	for _, c := range []byte(parting) {
		n += bytes.Count(d.Text, []byte{c})
	}
	return n
}

// fault is the error of a byte of the text.
func (d *Document) fault(at int, format string, args ...any) error {
	return &SyntaxError{d.Syntax, lines.Number(d.Text, min(max(at, 0), len(d.Text))), fmt.Sprintf(format, args...)}
}

// raw returns the text of a range.
func (d *Document) raw(start, end int) string { return string(d.Text[start:end]) }

// add puts a member into a parent.
func (n *Node) add(m *Node) {
	m.Parent, m.nth = n, len(n.Members)
	n.Members = append(n.Members, m)
}

// HasMembers reports whether the node has members. Such a node is shown as its text, not as a value.
func (n *Node) HasMembers() bool {
	switch n.Kind {
	case Object, Array:
		return true
	case Element:
		for _, m := range n.Members {
			if m.Kind != Attribute && m.Kind != Characters {
				return true
			}
		}
	}
	return false
}

// Written returns the range of a value without members as the file writes it, with its quotes; of an element without its
// tags. Of any other value it is empty.
func (n *Node) Written() (start, end int) {
	switch {
	case n.HasMembers() || n.scattered:
		return 0, 0
	case n.Kind == Element:
		return n.Inner, n.InnerEnd
	}
	return n.Start, n.End
}

// Root returns the document's value that holds the node.
func (n *Node) Root() *Node {
	for n.Parent != nil {
		n = n.Parent
	}
	return n
}

// Index returns which of its parent's members the node is, from 0.
func (n *Node) Index() int { return n.nth }

// Within reports whether the node lies in other, or is it.
func (n *Node) Within(other *Node) bool {
	for ; n != nil; n = n.Parent {
		if n == other {
			return true
		}
	}
	return false
}

// lineStart returns the start of the line that contains a byte.
func (d *Document) lineStart(at int) int {
	starts := d.lineIndex()
	return starts[sort.SearchInts(starts, at+1)-1]
}

// lineIndex returns where lines begin: a line may be a whole file, and is not searched again for each value.
func (d *Document) lineIndex() []int {
	if d.starts == nil {
		d.starts = lineStarts(d.Text)
		if n := len(d.starts); n > 1 && len(d.Text) > 0 && d.Text[len(d.Text)-1] != '\n' {
			d.starts = d.starts[:n-1]
		}
	}
	return d.starts
}

// lineEnd returns the end of the line that contains a byte, before its line ending.
func (d *Document) lineEnd(at int) int {
	starts := d.lineIndex()
	if next := sort.SearchInts(starts, at+1); next < len(starts) {
		at = starts[next] - 1
	} else {
		at = len(d.Text)
	}
	if at > 0 && at < len(d.Text) && d.Text[at-1] == '\r' {
		at--
	}
	return at
}

// broken writes line breaks as the file does.
func (d *Document) broken(text string) string {
	if d.ending() == "\r\n" {
		return strings.ReplaceAll(text, "\n", "\r\n")
	}
	return text
}

// ending is the text's first line ending.
func (d *Document) ending() string {
	if e := lines.FirstEnding(d.Text); e != "" {
		return e
	}
	return "\n"
}
