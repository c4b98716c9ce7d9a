package program

import (
	"errors"
	"fmt"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// judge notes in Result.Broken if Input.Text parses in the file's syntax and the changed text does not. It
// checks only texts that change.
func (r *run) judge() {
	if len(r.edits) == 0 || !r.unproven || r.in.Window != nil || !r.program.judges(r.in.File) {
		return
	}
	r.result.Broken = append(r.result.Broken, r.program.Breaks(r.in.File, r.in.Text, r.edits.Apply(r.in.Text))...)
}

// Breaks returns a note if the text before parses in the file's syntax and the text after does not.
func (p *Program) Breaks(f File, before, after []byte) []Note {
	syntax := syntaxFor(f, p.Syntax(f))
	if p.AllowBroken || !syntax.IsJudged() {
		return nil
	}
	err := tree.Judge(syntax, before, after)
	if err == nil {
		return nil
	}
	n := Note{Text: fmt.Sprintf("this would be %s no more: %v", syntax, err)}
	var fault *tree.SyntaxError
	if errors.As(err, &fault) {
		n.Text = fmt.Sprintf("this would not be %s any more: %s", syntax, fault.Reason)
		if fault.Line > 0 {
			n.Text = fmt.Sprintf("this would not be %s any more: line %d: %s", syntax, fault.Line, fault.Reason)
		}
	}
	return []Note{n}
}

// judges reports whether the result for a file is checked against its syntax.
func (p *Program) judges(f File) bool {
	return !p.AllowBroken && p.Statements > 0 && syntaxFor(f, p.Syntax(f)).IsJudged()
}

// Syntax returns the syntax that the script declares for a file whose name implies none.
func (p *Program) Syntax(f File) syntax.Syntax {
	for _, r := range p.Rules {
		if r.Syntax != syntax.None && r.selects(f) {
			return r.Syntax
		}
	}
	return syntax.None
}
