package query

import (
	"fmt"
	"regexp"
	"strings"
	"sync"

	"github.com/antchfx/xpath"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// markupPath is a compiled XPath: the paths that it is a union of, each by itself, since the
// library's own unions take time that grows with the square of the nodes.
type markupPath struct{ of []*xpath.Expr }

var (
	quotedText = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`"[^"]*"|'[^']*'`) })
	prefixName = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`([\pL_][\pL\pN_.-]*):[^:]`) })
	called     = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`([a-z-]+)\s*\(`) })
)

// refusedCalls are functions of XPath that no path may use, with what to write instead.
var refusedCalls = map[string]string{
	"id": "select by the attribute, as in //*[@id=\"x\"]", "processing-instruction": "", "name": "a name without a prefix is found in any namespace; local-name() is that name",
}

func compileMarkup(source string) (made *markupPath, err error) {
	bare := quotedText().ReplaceAllStringFunc(source, func(s string) string { return strings.Repeat(" ", len(s)) })
	if i := strings.IndexByte(bare, '$'); i >= 0 {
		return nil, &Error{i, "a path has no variables", "a parameter stands in quotes: [@host=\"{=host}\"]"}
	}
	for _, m := range called().FindAllStringSubmatchIndex(bare, -1) {
		if remedy, refused := refusedCalls[bare[m[2]:m[3]]]; refused {
			return nil, &Error{m[2], fmt.Sprintf("%s() is not known here", bare[m[2]:m[3]]), remedy}
		}
	}
	// The navigator returns only the written prefix of a name's namespace, and nothing for a name without a
	// prefix.
	prefixes := map[string]string{}
	for _, m := range prefixName().FindAllStringSubmatch(bare, -1) {
		prefixes[m[1]] = m[1]
	}
	defer func() {
		if r := recover(); r != nil { // how the library reports some mistakes
			made, err = nil, noXPath(source, fmt.Sprint(r))
		}
	}()
	expr, err := xpath.CompileWithNS(source, prefixes)
	if err != nil {
		return nil, noXPath(source, err.Error())
	}
	made = &markupPath{}
	for _, part := range unionOf(source, bare) {
		one, err := xpath.CompileWithNS(part, prefixes)
		if err != nil {
			made.of = []*xpath.Expr{expr}
			break
		}
		made.of = append(made.of, one)
	}
	empty, _ := tree.Parse(syntax.XML, []byte("<x/>"))
	left := minSteps
	if _, ok := expr.Evaluate(&navigator{node: empty.Roots[0], left: &left}).(*xpath.NodeIterator); !ok {
		return nil, &Error{-1, "this path selects no nodes: it is a number, a text or a truth", "say which elements or attributes are meant"}
	}
	return made, nil
}

// unionOf splits a path at each | outside brackets and quotes. bare is the path with quoted text replaced by
// spaces.
func unionOf(source, bare string) (parts []string) {
	from, depth := 0, 0
	for i := range len(bare) {
		switch bare[i] {
		case '[', '(':
			depth++
		case ']', ')':
			depth--
		case '|':
			if depth == 0 {
				parts = append(parts, source[from:i])
				from = i + 1
			}
		}
	}
	return append(parts, source[from:])
}

// noXPath is the error of a path that the library refuses, in words of ours where its own help
// nobody.
func noXPath(source, reason string) error {
	remedy := ""
	if source[0] != '/' {
		remedy = "a path in XML begins with /; one for JSON, YAML, TOML and CSV with $, as in $.boards[0].feed"
	}
	reason = strings.TrimSuffix(strings.TrimPrefix(strings.TrimPrefix(reason, "xpath: "), source+" "), ".")
	for theirs, ours := range map[string]string{
		"expression must evaluate to a node-set": "a step is missing, or a bracket is not closed", "has an invalid token": "a bracket, a quote or a step is not complete",
		"has an invalid qualified name": "a name is missing behind a prefix",
	} {
		if strings.Contains(reason, theirs) {
			reason = ours
		}
	}
	return &Error{-1, "this is not an XPath expression: " + reason, remedy}
}

func (p *markupPath) find(d *tree.Document, from []*tree.Node, hits *Hits) (err error) {
	defer func() {
		if r := recover(); r == (TooMuchError{}) {
			err = TooMuchError{}
		} else if r != nil {
			err = &Error{-1, fmt.Sprint(r), ""}
		}
	}()
	left := minSteps
	for _, r := range d.Roots {
		left += perNode * count(r)
	}
	for _, n := range from {
		for _, expr := range p.of {
			for it := expr.Select(&navigator{n, n.Index(), &left}); it.MoveNext(); {
				if found := it.Current().(*navigator).node; found.Kind != tree.Instruction && found.Parent != nil {
					hits.Nodes = append(hits.Nodes, found)
				}
			}
		}
	}
	return nil
}

// navigator is a place in a tree as the library sees it.
type navigator struct {
	node *tree.Node
	nth  int  // among its parent's members
	left *int // steps that may still be taken, shared by all copies
}

// minSteps and perNode limit the steps through a text, which would be exponentially many for some paths.
const (
	minSteps = 20_000_000
	perNode  = 200
)

// count returns the number of nodes of a tree.
func count(n *tree.Node) int {
	sum := 1
	for _, m := range n.Members {
		sum += count(m)
	}
	return sum
}

// tick counts a step. It panics if there were too many: the library has no other way to end.
func (a *navigator) tick() {
	if *a.left--; *a.left < 0 {
		panic(TooMuchError{})
	}
}

func (a *navigator) NodeType() xpath.NodeType {
	switch a.node.Kind {
	case tree.Attribute:
		return xpath.AttributeNode
	case tree.Characters:
		return xpath.TextNode
	case tree.Comment, tree.Instruction:
		return xpath.CommentNode
	}
	if a.node.Parent == nil {
		return xpath.RootNode
	}
	return xpath.ElementNode
}

func (a *navigator) LocalName() string {
	if _, local, ok := strings.Cut(a.node.Name, ":"); ok {
		return local
	}
	return a.node.Name
}

// Prefix is that of an attribute: a name without a prefix means an element in any namespace, but only an attribute
// without one.
func (a *navigator) Prefix() string {
	if a.node.Kind == tree.Attribute {
		return a.NamespaceURL()
	}
	return ""
}

// NamespaceURL is how the name's prefix is written.
func (a *navigator) NamespaceURL() string {
	prefix, _, ok := strings.Cut(a.node.Name, ":")
	if !ok {
		return ""
	}
	return prefix
}

func (a *navigator) Value() string {
	if a.node.Kind != tree.Element {
		return a.node.Text
	}
	var b strings.Builder
	texts(a.node, &b)
	return b.String()
}

func texts(n *tree.Node, b *strings.Builder) {
	for _, m := range n.Members {
		switch m.Kind {
		case tree.Characters:
			b.WriteString(m.Text)
		case tree.Element:
			texts(m, b)
		}
	}
}

func (a *navigator) Copy() xpath.NodeNavigator { a.tick(); c := *a; return &c }

func (a *navigator) MoveToRoot() { a.node, a.nth = a.node.Root(), 0 }

func (a *navigator) MoveToParent() bool {
	if a.node.Parent == nil {
		return false
	}
	a.tick()
	a.node = a.node.Parent
	a.nth = a.node.Index()
	return true
}

func (a *navigator) MoveToNextAttribute() bool {
	of, next := a.node, 0
	if a.node.Kind == tree.Attribute {
		of, next = a.node.Parent, a.nth+1
	}
	if next >= len(of.Members) || of.Members[next].Kind != tree.Attribute {
		return false
	}
	a.node, a.nth = of.Members[next], next
	return true
}

func (a *navigator) MoveToChild() bool {
	if a.node.Kind != tree.Element {
		return false
	}
	a.tick()
	for i, m := range a.node.Members {
		if m.Kind != tree.Attribute && m.Kind != tree.Instruction {
			a.node, a.nth = m, i
			return true
		}
	}
	return false
}

func (a *navigator) MoveToFirst() bool {
	if a.node.Parent == nil || a.node.Kind == tree.Attribute {
		return false
	}
	parent := &navigator{node: a.node.Parent, left: a.left}
	if !parent.MoveToChild() {
		return false
	}
	*a = *parent
	return true
}

func (a *navigator) MoveToNext() bool { return a.step(1) }

func (a *navigator) MoveToPrevious() bool { return a.step(-1) }

func (a *navigator) step(by int) bool {
	if a.node.Parent == nil || a.node.Kind == tree.Attribute {
		return false
	}
	a.tick()
	siblings := a.node.Parent.Members
	for i := a.nth + by; i >= 0 && i < len(siblings); i += by {
		switch siblings[i].Kind {
		case tree.Attribute:
			return false
		case tree.Instruction:
			continue
		}
		a.node, a.nth = siblings[i], i
		return true
	}
	return false
}

func (a *navigator) MoveTo(other xpath.NodeNavigator) bool {
	o, ok := other.(*navigator)
	if ok {
		*a = *o
	}
	return ok
}
