package program

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"frizzel/core/outline"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// syntax returns the syntax of the text, by the file's name or else as the rule declares it.
func (r *run) syntax() syntax.Syntax { return syntaxFor(r.in.File, r.rule.Syntax) }

// syntaxFor returns the syntax that the file's name implies, or else said. If said only adds that a table has
// no header, it applies to files whose name implies a table.
func syntaxFor(f File, said syntax.Syntax) syntax.Syntax {
	by := syntax.Of(f.name())
	if said != syntax.None && !by.HasValues() || by == syntax.CSV && said == syntax.BareCSV {
		return said
	}
	return by
}

// document returns the current text as a tree. The error is a *tree.SyntaxError.
func (r *run) document() (*tree.Document, error) {
	if r.tree.of == r.text && r.tree.syntax == r.syntax() {
		return r.tree.doc, r.tree.err
	}
	r.tree.of, r.tree.syntax = r.text, r.syntax()
	r.tree.doc, r.tree.err = tree.Parse(r.syntax(), r.text.Bytes)
	return r.tree.doc, r.tree.err
}

// A reading is a parsed text.
type reading struct {
	of     *outline.Text
	syntax syntax.Syntax
	doc    *tree.Document
	err    error
}

// values returns the values that an address selects by its path. It reports false if the text has another
// syntax family than the path, or none, or does not parse; an unparsed text is noted as unreadable.
func (r *run) values(a *Address) ([]*tree.Node, bool) {
	if r.syntax().Family() != a.Path().Family {
		r.result.foreign[a.Index] = true
		return nil, false
	}
	if r.result.addressed[a.Index] == notAsked {
		r.result.addressed[a.Index] = selectedNothing
	}
	doc, err := r.document()
	if err != nil {
		r.result.addressed[a.Index] = selectedSome // otherwise a note would say that it selects nothing
		r.unparsed(err)
		return nil, false
	}
	hits, err := a.Path().Select(doc, r.nodes())
	if err != nil {
		r.result.addressed[a.Index] = selectedSome
		r.unparsed(err)
		return nil, false
	}
	for _, n := range hits.Shielded {
		r.note(n.Start, fmt.Sprintf("what %s reaches through an alias here stays as it is; it is changed where it stands", a.Path().Source))
	}
	var nodes []*tree.Node
	for _, n := range hits.Nodes {
		if a.holds(doc, n) {
			nodes = append(nodes, n)
		}
	}
	if len(nodes) > 0 {
		r.result.addressed[a.Index] = selectedSome
	}
	return nodes, true
}

// holds reports whether a value satisfies the address's Holdings.
func (a *Address) holds(doc *tree.Document, n *tree.Node) bool {
	for _, h := range a.Having {
		text := doc.Show(n).Text
		if h.Pattern.Has(text, 0, len(text)) == h.Lacking {
			return false
		}
	}
	return true
}

// unparsed notes that an `at` address needs the text's values and the text does not parse.
func (r *run) unparsed(err error) {
	n := Note{Rule: r.rule.Index, Text: err.Error()}
	var syntax *tree.SyntaxError
	if errors.As(err, &syntax) && syntax.Line > 0 {
		n.Line = r.lineRead(r.text.Start(syntax.Line - 1))
	}
	if r.unread == nil {
		r.unread = map[Note]bool{}
	}
	if !r.unread[n] {
		r.unread[n] = true
		to := r.program.unreadable(r.result)
		*to = append(*to, n)
	}
}

// nodes returns the values of the innermost enclosing path, or nil.
func (r *run) nodes() []*tree.Node {
	if n := len(r.stack); n > 0 {
		return r.stack[n-1].nodes
	}
	return nil
}

// at runs the statements under a path, some on members and the others on the text of each value.
func (r *run) at(b *Addressed) {
	nodes, ok := r.values(b.Address)
	if !ok {
		return
	}
	r.stack = append(r.stack, selection{address: b.Address, nodes: nodes})
	for _, a := range b.Body {
		if onMembers(a) {
			a.do(r)
		} else {
			r.inValues(a)
		}
	}
	r.leave()
}

// onMembers reports whether a acts on values as members of their parents, not on their texts.
func onMembers(a Action) bool {
	switch a := a.(type) {
	case Statement:
		return onMembers(a.Action)
	case *Addressed:
		return a.Address.Path() != nil
	case *DeleteMembers, *RenameMembers, *SettleValue, *MoveMembers:
		return true
	}
	return false
}

// innermost returns the values that contain no other value of nodes, which are in order.
func innermost(nodes []*tree.Node) (out []*tree.Node) {
	for _, n := range nodes {
		for len(out) > 0 && shownIn(n, out[len(out)-1]) {
			out = out[:len(out)-1]
		}
		out = append(out, n)
	}
	return out
}

// shownIn reports whether n is part of the shown text of outer. An attribute is not part of an element that is
// shown as its text.
func shownIn(n, outer *tree.Node) bool {
	return n.Within(outer) && (n.Kind != tree.Attribute || outer.HasMembers())
}

// outermost returns the values that no other value of nodes, which are in order, contains.
func outermost(nodes []*tree.Node) (out []*tree.Node) {
	for _, n := range nodes {
		if len(out) == 0 || !n.Within(out[len(out)-1]) {
			out = append(out, n)
		}
	}
	return out
}

// inValues runs an action on the text of each value and writes the changes back to the file's text.
func (r *run) inValues(a Action) {
	doc, err := r.document()
	if err != nil {
		return
	}
	changes := tree.Changes{}
	c := r.changes()
	for _, n := range innermost(r.nodes()) {
		if n.Kind == tree.Alias {
			r.note(n.Start, "the alias "+n.Text+" stays as it is; what it stands for is changed where that stands")
			continue
		}
		if isRewrite(a) && doc.HasExpression(n) {
			r.refuse(n, "it has an expression of a template in it, and cannot become another value")
			continue
		}
		v := doc.Show(n)
		inner := r.inside(doc, v)
		a.do(inner)
		r.worked, r.changed = inner.worked, inner.changed
		edits := inner.valueEdits()
		if len(edits) == 0 {
			continue
		}
		if doc.Scattered(n) {
			r.refuse(n, "it stands in several places; change its members")
			continue
		}
		out, kind, err := doc.Write(v, edits)
		if err != nil {
			r.refuse(n, err.Error())
			continue
		}
		for i := range out {
			out[i].Rules = c.rules
		}
		c.edits = append(c.edits, out...)
		r.report(doc, n, kind)
		fresh := string(edits.Apply(v.Text))
		if doc.Syntax == syntax.XML && !n.HasMembers() && strings.Contains(fresh, "<") && bytes.IndexByte(v.Text, '<') < 0 {
			r.note(n.Start, "< is written as text here; for an element say rewrite as literal, or settle value … as literal")
		}
		changes.Become(n, fresh, kind)
	}
	r.prove(c, changes)
}

// isRewrite reports whether an action replaces the whole value that it acts on.
func isRewrite(a Action) bool {
	s, ok := a.(Statement)
	if !ok {
		return false
	}
	_, ok = s.Action.(*Rewrite)
	return ok
}

// refuse notes why a value cannot be changed as intended. The file is not written.
func (r *run) refuse(n *tree.Node, reason string) {
	if path := r.tree.doc.Path(n); !strings.Contains(reason, path) {
		reason = path + ": " + reason
	}
	r.fail(r.lineRead(n.Start), reason)
}

// report notes the effect of a value's change on aliases and anchors.
func (r *run) report(doc *tree.Document, n *tree.Node, kind tree.Kind) {
	if n.Kind != kind {
		r.note(n.Start, fmt.Sprintf("%s becomes %s, and was %s", doc.Path(n), kind.An(), n.Kind.An()))
	}
	if aliases := doc.Aliases(n); aliases > 0 {
		r.note(n.Start, fmt.Sprintf("%s stands in %s more by an alias", doc.Path(n), places(aliases)))
	}
}

func places(n int) string {
	if n == 1 {
		return "one place"
	}
	return fmt.Sprintf("%d places", n)
}

// prove commits the statement's changes if the result parses to the old tree with exactly these changes. It
// updates the values of enclosing paths.
func (r *run) prove(c *changes, changes tree.Changes) {
	if len(c.edits) == 0 {
		return
	}
	c.order()
	fits := c.edits.Fits(len(r.text.Bytes))
	if !fits {
		r.fail(0, "two changes of this file meet; make them one after the other")
		return
	}
	var follow []*tree.Node
	for _, s := range r.stack {
		follow = append(follow, s.nodes...)
	}
	doc, now, err := r.tree.doc.Prove(c.edits.Apply(r.text.Bytes), changes, follow...)
	if err != nil {
		reason := err.Error()
		var syntax *tree.SyntaxError
		if errors.As(err, &syntax) {
			reason = fmt.Sprintf("this would not be %s any more: %s", r.syntax(), syntax.Reason)
		}
		r.fail(r.lineRead(c.edits[0].Start), reason)
		return
	}
	before := r.unproven
	c.commit()
	r.unproven = before
	r.tree = reading{of: r.text, syntax: r.syntax(), doc: doc}
	for i, s := range r.stack {
		var nodes []*tree.Node
		for _, n := range s.nodes {
			if at := now[n]; at != nil {
				nodes = append(nodes, at)
			}
		}
		r.stack[i].nodes = nodes
	}
}
