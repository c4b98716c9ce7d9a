package tree

import (
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// A format is a syntax of structured texts: how they are read, how scalars are written in them, and how members
// are added, renamed and removed. Each is one file, json.go to csv.go, and one row of [formatOf]. It embeds
// [plain], which has what most formats share: members between brackets, and comments that begin with #.
type format interface {
	traits() traits
	// parse reads the document's text into its roots. The error is a *SyntaxError.
	parse() error
	// mayBe reports whether a text that begins with head may be of the format.
	mayBe(head []byte) bool
	// valid reports whether a text is of the format without building its tree; known is false if the format
	// cannot.
	valid(text []byte) (ok, known bool)
	// literal parses a text in the syntax as the value at a step. The error is a *SyntaxError or a *MisfitError.
	literal(s *Step, text string) (*Node, error)

	// inner returns the bytes of a scalar without its quotes.
	inner(n *Node) (start, end int)
	// escape returns the length of the escape that raw begins with, and the length of its text in value; 0 if
	// raw begins with a literal byte.
	escape(n *Node, raw, value string) (of, to int)
	// fragment writes text for the middle of a scalar; false if the scalar cannot hold it.
	fragment(n *Node, text string) (string, bool)
	// forms returns the possible notations of a text of a kind in place of n, the one most similar to n's first.
	forms(n *Node, text string, kind Kind) []string
	// reads returns what raw means in the place of a node.
	reads(n *Node, raw string) (text string, kind Kind, ok bool)
	// bareKind returns what kind of value a text is without any quotes, in the place of a value that has none.
	bareKind(n *Node, text string) Kind
	// content returns the start of a scalar after properties such as an anchor.
	content(n *Node) int
	// written returns the edits that put a new value in the place of another.
	written(n, want *Node) edit.List

	// fits reports whether a member is the one that a step names.
	fits(s *Step, n *Node) bool
	// canBecome returns a *MisfitError if no value can be put in the place of a node.
	canBecome(n *Node, literal bool) error
	// newKind returns the kind of the node to add for a step: a value, or, if holds is set, a parent.
	newKind(s *Step, holds bool) Kind
	// add returns the edits that add a member to a parent, before the one at an index, or behind the last.
	add(w *memberWriter, parent, want *Node, before int) (edit.List, error)
	// value returns the notation of a new value of a parent. Its members are on lines of their own if there is a
	// step of indentation.
	value(w *memberWriter, parent, n *Node, indent, step string) string
	// remove returns the edits that remove members of one parent.
	remove(parent *Node, nodes []*Node) (edit.List, error)
	// reorder returns the edits that put the members of a parent in an order.
	reorder(parent *Node, order []*Node) (edit.List, error)
	// key returns the notation of a name in place of n's name.
	key(n *Node, name string) (string, error)
	// renamed adds what else is renamed with n to changes.
	renamed(n *Node, name string, changes Changes)
	// pastComment returns the end of the comment that begins at a byte, or at if none does.
	pastComment(at int) int

	// holding returns the innermost member of n that contains the byte at, or nil.
	holding(n *Node, at int) *Node
	// extent returns the range of a member with its name. Parts elsewhere in the text are not included.
	extent(n *Node) (start, end int)
	// rootPath returns how the path of a root begins; alone is set if the path ends with it.
	rootPath(alone bool) string
}

// traits are facts of a format.
type traits struct {
	colon      string // between a name and its value
	fixedColon bool   // always use this one, whatever siblings use
	fresh      style  // of a new text without siblings
	lists      bool   // a value may be a list
	lines      bool   // a member between brackets may have its own line
	anyBytes   bool   // texts may hold bytes that are not UTF-8
	addsLast   bool   // new members are the last ones
	byHeaders  bool   // the order of members follows from headers
	joinsTexts bool   // texts around a deleted node become one
}

// formatOf returns the format of a syntax for a document, nil if the syntax has none.
func formatOf(d *Document, s syntax.Syntax) format {
	switch s {
	case syntax.JSON, syntax.JSONC:
		return jsonFormat{plain{d}}
	case syntax.YAML:
		return yamlFormat{plain{d}}
	case syntax.TOML:
		return tomlFormat{plain{d}}
	case syntax.XML:
		return xmlFormat{plain{d}}
	case syntax.CSV, syntax.BareCSV:
		return csvFormat{plain{d}}
	}
	return nil
}

// plain has the methods that most formats share.
type plain struct{ *Document }

func (plain) mayBe([]byte) bool               { return true }
func (plain) valid([]byte) (ok, known bool)   { return false, false }
func (plain) content(n *Node) int             { return n.Start }
func (plain) fits(s *Step, n *Node) bool      { return n.Name == s.Name }
func (plain) canBecome(*Node, bool) error     { return nil }
func (plain) renamed(*Node, string, Changes)  {}
func (plain) extent(n *Node) (start, end int) { return n.span() }
func (plain) rootPath(bool) string            { return "$" }

func (d plain) written(n, want *Node) edit.List {
	return d.replaced(n.Start, n.End, d.fresh(n, want))
}

// fresh returns a new value in the place of a node.
func (d plain) fresh(n, want *Node) string {
	like := n.Parent
	if like == nil {
		like = &Node{style: flow}
	}
	indent := string(lines.Indentation(d.Text[d.lineStart(n.Start):n.Start]))
	return d.format.value(d.writerFor(like, n), like, want, indent, d.step())
}

func (d plain) literal(*Step, string) (*Node, error) {
	return nil, misfit("a %s file has no literals", d.Syntax)
}

func (plain) newKind(_ *Step, holds bool) Kind {
	if holds {
		return Object
	}
	return String
}

func (d plain) add(w *memberWriter, parent, want *Node, before int) (edit.List, error) {
	return d.insert(parent, before, func(indent, step string) string {
		return w.named(parent, parent, want) + d.format.value(w, parent, want, indent, step)
	})
}

func (d plain) value(w *memberWriter, parent, n *Node, indent, _ string) string {
	if text, ok := w.typed(parent, n, indent); ok {
		return text
	}
	return w.oneLine(parent, n, "")
}

func (d plain) remove(parent *Node, nodes []*Node) (edit.List, error) {
	return d.deleteFlow(parent, nodes), nil
}

func (d plain) pastComment(at int) int {
	if d.Text[at] == '#' {
		return d.lineEnd(at)
	}
	return at
}

// notAFile returns a *MisfitError if n is the whole file.
func (d plain) notAFile(n *Node) error {
	if n.Parent == nil {
		return misfit("a whole %s file cannot become a value", d.Syntax)
	}
	return nil
}
