package program

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// A value is the position of a run's text within a larger text, as a value of it.
type value struct {
	outer  *run
	doc    *tree.Document
	shown  *tree.Value
	node   *tree.Node
	empty  bool          // shown as one empty line
	syntax syntax.Syntax // of the value's text
}

// inside returns a run over the text of v.
func (r *run) inside(doc *tree.Document, v *tree.Value) *run {
	text := v.Text
	empty := len(text) == 0
	if empty {
		text = []byte("\n")
	}
	inner := &run{program: r.program, result: r.result, rule: r.rule, statement: r.statement, worked: r.worked, changed: r.changed}
	inner.in = Input{Text: text, File: r.in.File, Before: r.in.Before}
	inner.value = &value{outer: r, doc: doc, shown: v, node: v.Node(), empty: empty}
	inner.ending = "\n"
	if v.Node().HasMembers() { // its text is a range of the file's text
		inner.ending, inner.value.syntax = r.lineEnding(), r.syntax()
	}
	inner.text = inner.read(text)
	inner.ended = lines.Ending(text) != ""
	if r.in.Decide != nil {
		inner.in.Decide = inner.value.decide
	}
	return inner
}

// valueEdits returns the edits that a run over a value made.
func (r *run) valueEdits() edit.List {
	if len(r.edits) == 0 {
		return nil
	}
	if !r.value.empty {
		if !r.ended && string(r.edits.Apply(r.in.Text)) == "\n" { // a single empty line is an empty value
			return edit.List{{Start: 0, End: len(r.in.Text), Rules: r.edits[0].Rules}}
		}
		return r.edits
	}
	fresh := bytes.TrimSuffix(r.edits.Apply(r.in.Text), []byte("\n"))
	if len(fresh) == 0 {
		return nil
	}
	return edit.List{{Start: 0, End: 0, New: fresh, Rules: r.edits[0].Rules}}
}

// place returns the offset in the larger text of a byte of the value's original text.
func (v *value) place(at int) int {
	if v.empty {
		at = 0
	}
	return v.shown.Place(at)
}

// decide proposes a change of a value's text as a change of the larger text.
func (v *value) decide(p Proposal) Answer {
	text, shown := v.outer.text.Bytes, v.shown
	if !bytes.Equal(p.Text, v.shown.Text) && !v.empty { // earlier statements changed the value
		if now, in := v.changed(p.Text); in != nil {
			text, shown = now, in
		}
	}
	edits := slices.Clone(p.Edits)
	if v.empty {
		edits = edit.List{{New: bytes.TrimSuffix(p.Edits.Apply(p.Text), []byte("\n")), Rules: p.Edits[0].Rules}}
	}
	doc := v.doc
	if shown != v.shown {
		doc = shown.Document()
	}
	out, _, err := doc.Write(shown, edits)
	if err != nil || len(out) == 0 { // propose the value's own text; the result is refused later
		return v.outer.in.Decide(p)
	}
	for i := range out {
		out[i].Rules = edits[0].Rules
	}
	at := v.outer.changes()
	from := at.origin(min(v.node.Start, len(v.outer.text.Bytes)))
	p.Key.Origin += from + v.outer.in.bytesBefore()
	p.Line = v.outer.in.linesBefore() + at.lineOf(at.origin(min(out[0].Start, len(v.outer.text.Bytes))))
	if len(edits) == 1 {
		p.Value = &ValueText{New: slices.Clone(edits[0].New), write: func(fresh []byte) edit.List {
			e := edit.Edit{Start: edits[0].Start, End: edits[0].End, New: fresh, Rules: out[0].Rules}
			list, _, err := doc.Write(shown, edit.List{e})
			if err != nil { // the result is refused later with this reason
				return nil
			}
			for i := range list {
				list[i].Rules = e.Rules
			}
			return list
		}}
	}
	p.Edits, p.Text = out, text
	return v.outer.in.Decide(p)
}

// changed returns the larger text with the value's current text, and the value in it; nil if the value cannot
// be found.
func (v *value) changed(now []byte) ([]byte, *tree.Value) {
	out, kind, err := v.doc.Write(v.shown, edit.List{{Start: 0, End: len(v.shown.Text), New: now}})
	if err != nil {
		return nil, nil
	}
	text := out.Apply(v.outer.text.Bytes)
	changes := tree.Changes{}
	changes.Become(v.node, string(now), kind)
	doc, nodes, err := v.doc.Prove(text, changes, v.node)
	if err != nil || nodes[v.node] == nil {
		return nil, nil
	}
	return text, doc.Show(nodes[v.node])
}

// path returns the path of the enclosing value, or "".
func (r *run) path(at *tree.Node) string {
	switch {
	case at != nil && r.tree.doc != nil:
		return r.tree.doc.Path(at)
	case r.value != nil:
		return r.value.doc.Path(r.value.node)
	}
	return ""
}
