// Package query selects values of structured texts by paths: JSONPath (RFC 9535) in JSON, YAML, TOML
// and CSV, XPath 1.0 in XML.
//
// Libraries implement the two languages. Their results are mapped back to the nodes of the text's
// [tree.Document], which have offsets.
package query

import (
	"fmt"
	"slices"
	"strings"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// Path is a compiled path.
type Path struct {
	Source string
	Family syntax.Family
	// Relative says that it begins at values that another path selected.
	Relative bool

	values *valuesPath
	markup *markupPath
}

// Error is the error of a path that is none.
type Error struct {
	// At is the byte of the path, from 0, that it is about; -1 if it is about all.
	At             int
	Reason, Remedy string
}

func (e *Error) Error() string { return e.Reason }

// Compile compiles a path. The error is an *Error.
func Compile(source string) (*Path, error) {
	p := &Path{Source: source}
	var err error
	switch {
	case source == "":
		return nil, &Error{-1, "this path is empty", "such as '$.clock.server', or '/signage/sign'"}
	case source[0] == '$', source == "@", strings.HasPrefix(source, "@."), strings.HasPrefix(source, "@["):
		p.Family, p.Relative = syntax.Values, source[0] == '@'
		p.values, err = compileValues(source)
	default:
		p.Family = syntax.Markup
		p.Relative = source[0] != '/' && source[0] != '('
		p.markup, err = compileMarkup(source)
	}
	if err != nil {
		return nil, err
	}
	return p, nil
}

// SelectsItems reports whether the path selects items of lists that have members, as far as its last step tells.
func (p *Path) SelectsItems() bool { return p.values != nil && p.values.items(p.Source) }

// Hits are the nodes that a path selects.
type Hits struct {
	Nodes []*tree.Node // in the order of their places, each once
	// Shielded are aliases and merges through which the path would reach more nodes. These are not selected.
	Shielded []*tree.Node
}

// TooLargeError is the error of a document that would be too large with its aliases unfolded.
type TooLargeError struct{}

func (TooLargeError) Error() string {
	return fmt.Sprintf("its aliases would unfold to more than %d values", maxUnfolded)
}

// TooMuchError is the error of a path that passes through too many values or nodes of a text.
type TooMuchError struct{}

func (TooMuchError) Error() string {
	return "this path takes too many steps in this file; name more of its steps, or use .. or // less often"
}

// Select returns the nodes that the path selects: in whole documents, or, for a relative path, below the nodes
// from. The error is a TooLargeError or a TooMuchError.
func (p *Path) Select(d *tree.Document, from []*tree.Node) (*Hits, error) {
	if !p.Relative {
		from = d.Roots
	}
	hits := &Hits{}
	var err error
	if p.Family == syntax.Markup {
		err = p.markup.find(d, from, hits)
	} else {
		err = p.values.find(d, from, hits)
	}
	if err != nil {
		return nil, err
	}
	hits.Nodes, hits.Shielded = once(hits.Nodes), once(hits.Shielded)
	return hits, nil
}

// once sorts nodes by position and removes duplicates.
func once(nodes []*tree.Node) []*tree.Node {
	seen := make(map[*tree.Node]bool, len(nodes))
	out := nodes[:0]
	for _, n := range nodes {
		if !seen[n] {
			seen[n] = true
			out = append(out, n)
		}
	}
	slices.SortStableFunc(out, func(a, b *tree.Node) int {
		if a.Start != b.Start {
			return a.Start - b.Start
		}
		return b.End - a.End
	})
	return out
}
