package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/script"
)

// A Proposal is a change that a person may accept or decline: of a match, of a span, or all changes of a
// statement to the file.
type Proposal struct {
	Key  Key
	Of   script.Subject
	Rule int // index in Program.Rules
	Line int // 1-based line of Input.Text on which the change begins; 0 for a name
	// Edits are against Text, the text before the statement, which is immutable. The list is valid only
	// during the call; the texts in it stay valid.
	Edits edit.List
	Text  []byte
	// Value is the new text of a value, without its syntax, if the proposal is a single edit within a value;
	// otherwise nil.
	Value *ValueText
}

// A ValueText is the new text of a value, without quotes and escapes.
type ValueText struct {
	New   []byte
	write func(fresh []byte) edit.List
}

// Write returns the edits, against Proposal.Text, that write fresh instead; nil if the value cannot
// contain it.
func (v *ValueText) Write(fresh []byte) edit.List { return v.write(fresh) }

// A Key identifies a change of a text, independent of the answers about other changes: its statement, its
// offset in Input.Text, and its number among the statement's changes at that offset.
type Key struct {
	Statement, Origin, Nth int
}

// An Answer is a person's answer to a Proposal.
type Answer struct {
	Leave bool
	// New, if not nil, is written instead of the proposed text of a Proposal with one edit. For a value it
	// is the new meaning, not its notation.
	New []byte
}

// Answered returns the edits of the proposal, against its Text, with the text of an answer. The list is the caller's, and
// stays valid.
func (p *Proposal) Answered(a Answer) edit.List {
	switch {
	case a.New == nil:
	case p.Of != script.Content:
		return edit.One(p.Text, a.New, p.Rule)
	case p.Value != nil:
		if edits := p.Value.Write(a.New); len(edits) > 0 {
			return edits
		}
	case len(p.Edits) == 1:
		edits := slices.Clone(p.Edits)
		edits[0].New = a.New
		return edits
	}
	return slices.Clone(p.Edits)
}
