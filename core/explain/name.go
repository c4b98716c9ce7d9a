package explain

import (
	"frizzel/core/program"
	"frizzel/core/script"
)

// subject returns what the leaf's statement acts on.
func (l *leaf) subject() script.Subject {
	if len(l.around) == 0 {
		return script.Content
	}
	return l.around[0].SubjectOf()
}

// name runs a statement on what the file is called, or on where a link leads, and says what it does.
func (x *explaining) name(l *leaf, p *program.Program, of script.Subject) {
	old := x.called[of]
	made := p.Name(program.Input{Of: of, Text: []byte(old), File: x.file})
	for _, n := range made.Failures {
		x.why(l, 0, n.Text)
		return
	}
	fresh := string(made.Edits.Apply([]byte(old)))
	if fresh == old {
		x.notInName(l, made, of)
		return
	}
	x.called[of] = fresh
	x.account.Steps = append(x.account.Steps, Step{Of: of, Rule: l.name(), Statement: l.shown, Before: old, After: fresh})
}

// notInName says why a statement changes no name.
func (x *explaining) notInName(l *leaf, made *program.Result, of script.Subject) {
	p := patternOf(l.node)
	switch {
	case made.Any():
		x.why(l, 0, "the "+of.String()+" is so already")
	case p == nil:
		x.why(l, 0, "none of the texts that it looks for is in the "+of.String())
	default:
		x.why(l, 0, pattern(p)+" is not in the "+of.String()+" “"+x.called[of]+"”")
	}
}

// namedBy returns how an address of a name is said.
func namedBy(of script.Subject) string {
	return [script.Subjects]string{
		script.FileName: "in the names of files", script.DirectoryName: "in the names of directories", script.LinkTarget: "in the targets of links",
	}[of]
}
