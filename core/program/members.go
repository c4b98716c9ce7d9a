package program

import (
	"fmt"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/query"
	"frizzel/core/tree"
)

// DeleteMembers is a compiled `delete` directly under a path: it deletes the selected members.
type DeleteMembers struct{}

func (DeleteMembers) needs(acted) lineNeeds { return wholeText }

func (DeleteMembers) do(r *run) {
	doc, err := r.document()
	if err != nil {
		return
	}
	c := r.changes()
	var taken []*tree.Node
	for _, n := range outermost(r.nodes()) {
		edits, _, err := doc.Delete([]*tree.Node{n})
		if err != nil {
			r.refuse(n, err.Error())
			continue
		}
		if c.ask(edits) {
			taken = append(taken, n)
		}
	}
	if len(taken) == 0 {
		return
	}
	edits, changes, err := doc.Delete(taken)
	if err != nil {
		r.refuse(taken[0], err.Error())
		return
	}
	c.take(edits)
	r.prove(c, changes)
}

// ask proposes a change. Its edits are computed after all answers are known.
func (c *changes) ask(edits edit.List) bool {
	before := len(c.edits)
	ok := c.offer(edits...)
	c.edits = c.edits[:before]
	return ok
}

// take appends accepted edits.
func (c *changes) take(edits edit.List) {
	if !c.run.spend(edits) {
		return
	}
	for _, e := range edits {
		e.Rules = c.rules
		c.edits = append(c.edits, e)
	}
}

// RenameMembers is a compiled `rename to`.
type RenameMembers struct{ To *Template }

func (*RenameMembers) needs(acted) lineNeeds { return wholeText }

func (s *RenameMembers) do(r *run) {
	type sibling struct {
		of   *tree.Node
		name string
	}
	given := map[sibling]bool{}
	keys := map[int]bool{} // offsets of names that are changed
	r.eachMember(func(f *filler, n *tree.Node) (edit.List, tree.Changes, bool) {
		name, ok := f.fillAt(s.To, n)
		if !ok {
			return nil, nil, false
		}
		is := sibling{n.Parent, string(name)}
		if given[is] && n.Kind != tree.Element {
			r.refuse(n, fmt.Sprintf("a sibling would be named %q, too", name))
			return nil, nil, false
		}
		given[is] = true
		edits, changes, err := r.tree.doc.Rename(n, string(name))
		if err != nil {
			r.refuse(n, err.Error())
			return nil, nil, false
		}
		if shared := len(edits) > 0 && n.KeyEnd > 0; shared && keys[n.Key] { // the header of a column names the cells of all rows
			return nil, changes, true
		} else if shared {
			keys[n.Key] = true
		}
		return edits, changes, true
	})
}

// SettleValue is a compiled `settle value`, or `settle item` if Item is set.
type SettleValue struct {
	Place   *query.Target
	Text    *Template
	Literal bool
	Item    bool
	Added   tree.Place // where what is new goes
	Source  string     // the path as written
}

func (*SettleValue) needs(acted) lineNeeds { return wholeText }

func (s *SettleValue) do(r *run) {
	if r.syntax().Family() != s.Place.Family {
		return
	}
	doc, err := r.document()
	if err != nil {
		r.unparsed(err)
		return
	}
	under := len(r.stack) > 0
	if !under {
		r.stack = append(r.stack, selection{nodes: slices.Clone(doc.Roots)})
		defer r.leave()
	}
	found := 0
	r.eachMember(func(f *filler, n *tree.Node) (edit.List, tree.Changes, bool) {
		text, ok := f.fillAt(s.Text, n)
		if !ok {
			return nil, nil, false
		}
		settle := doc.Settle
		if s.Item {
			settle = doc.SettleItem
		}
		fresh := tree.Fresh{Text: string(text), Literal: s.Literal, Place: s.Added}
		edits, changes, err := settle(n, s.Place.Steps, fresh, under || len(doc.Roots) == 1)
		if err != nil {
			r.refuse(n, err.Error())
			return nil, nil, false
		}
		if changes != nil {
			found++
		}
		for m, c := range changes {
			if c.Text != nil {
				r.report(doc, m, c.Kind)
			}
			if c.Added != nil && !s.Literal && doc.ReadsAsNumber(string(text)) {
				r.note(n.Start, fmt.Sprintf("%q is added as a text; as literal %q adds the number", text, text))
			}
		}
		return edits, changes, true
	})
	if found == 0 && !under && len(doc.Roots) > 1 {
		r.note(-1, "none of the documents of this file has "+s.Source+": say which one is to have it, by an at around it")
	}
}

// MoveMembers is a compiled `move` of the members that a path selects.
type MoveMembers struct{ Place tree.Place }

func (*MoveMembers) needs(acted) lineNeeds { return wholeText }

func (s *MoveMembers) do(r *run) {
	doc, err := r.document()
	if err != nil {
		return
	}
	r.eachParent(func(nodes []*tree.Node) (edit.List, tree.Changes, bool) {
		edits, changes, err := doc.Move(nodes, s.Place)
		if err != nil {
			r.refuse(nodes[0], err.Error())
		}
		return edits, changes, err == nil
	})
}

// eachParent proposes a change of the values of each parent, and makes all accepted ones at once.
func (r *run) eachParent(change func(nodes []*tree.Node) (edit.List, tree.Changes, bool)) {
	c := r.changes()
	all := tree.Changes{}
	var taken edit.List
	nodes := r.nodes()
	for len(nodes) > 0 {
		n := 1
		for n < len(nodes) && nodes[n].Parent == nodes[0].Parent {
			n++
		}
		if edits, changes, ok := change(nodes[:n]); ok && len(edits) > 0 && c.ask(edits) {
			taken = append(taken, edits...)
			all.Merge(changes)
		}
		nodes = nodes[n:]
	}
	c.take(taken)
	r.prove(c, all)
}

// eachMember proposes a change of each value, and makes all accepted ones at once.
func (r *run) eachMember(change func(*filler, *tree.Node) (edit.List, tree.Changes, bool)) {
	if _, err := r.document(); err != nil {
		return
	}
	c, f := r.changes(), r.filler()
	all := tree.Changes{}
	var taken edit.List
	for _, n := range r.nodes() {
		edits, changes, ok := change(f, n)
		if ok && len(edits) > 0 {
			if ok = c.ask(edits); ok {
				taken = append(taken, edits...)
				all.Merge(changes)
			}
			f.taken(ok)
		} else if ok {
			f.taken(false)
		}
	}
	taken = withoutDoubles(taken)
	c.take(taken)
	r.prove(c, all)
}

// withoutDoubles removes equal edits, such as those of a name that several values share.
func withoutDoubles(edits edit.List) (out edit.List) {
	slices.SortStableFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	for _, e := range edits {
		if n := len(out); n > 0 && e.Start < e.End && out[n-1].Start == e.Start && out[n-1].End == e.End && string(out[n-1].New) == string(e.New) {
			continue
		}
		out = append(out, e)
	}
	return out
}

// fillAt is fill for a value, whose line breaks are its own, whatever the file's line endings are.
func (f *filler) fillAt(t *Template, n *tree.Node) ([]byte, bool) {
	f.filling.ending = "\n"
	f.filling.path = func() string { return f.run.path(n) }
	return f.fill(t, n.Start, nil)
}
