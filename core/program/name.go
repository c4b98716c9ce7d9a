package program

import (
	"slices"
	"strings"

	"frizzel/core/script"
)

// has reports whether the rule has statements or assertions about a subject.
func (r *Rule) has(of script.Subject) bool {
	return len(r.actions(of)) > 0 || slices.ContainsFunc(r.Asserts, func(a *Assertion) bool { return a.Of == of })
}

// actions returns the rule's statements about a subject.
func (r *Rule) actions(of script.Subject) []Action {
	if of == script.Content {
		return r.Body
	}
	return r.Names[of]
}

// named reports whether the rule has statements or assertions about names.
func (r *Rule) named() bool {
	return r.has(script.FileName) || r.has(script.DirectoryName) || r.has(script.LinkTarget)
}

// Has reports whether any rule has statements or assertions about a subject.
func (p *Program) Has(of script.Subject) bool {
	return slices.ContainsFunc(p.Rules, func(r *Rule) bool { return r.has(of) })
}

// Named reports whether any rule is about names or the targets of links.
func (p *Program) Named() bool { return slices.ContainsFunc(p.Rules, (*Rule).named) }

// Conditional reports whether a rule that renames files has a condition on their contents.
func (p *Program) Conditional() bool {
	return slices.ContainsFunc(p.Rules, func(r *Rule) bool { return len(r.When) > 0 && r.has(script.FileName) })
}

// Reads reports whether a rule needs the file's content. A rule that only renames needs it for its conditions alone.
func (p *Program) Reads(f File) bool {
	for _, r := range p.Rules {
		if r.selects(f) && (!r.named() || r.has(script.Content) || len(r.When) > 0) {
			return true
		}
	}
	return len(p.Rules) == 0
}

// holds reports whether the conditions of a rule hold for the name of a file.
func (in *Input) holds(rule *Rule) bool {
	return len(rule.When) == 0 || in.Held != nil && in.Held[rule.Index]
}

// Held returns which rules were for the text and had conditions that held, by index. The caller must not modify it.
func (r *Result) Held() []bool { return r.asked }

// Name runs the rules' statements about a subject other than the content: in.Of. The text is the name, or the target. The
// counts of changes are 1 at most, since a name is one change.
func (p *Program) Name(in Input) *Result {
	made := p.Run(in)
	for i := range made.Changes {
		made.Changes[i] = min(made.Changes[i], 1)
	}
	return made
}

// Renamed returns the path that the program gives a file: each directory in it and the file have their names changed.
// held says which conditions hold, as Input.Held does.
func (p *Program) Renamed(path string, held []bool) (fresh string, made []*Result) {
	parts := strings.Split(path, "/")
	for i, name := range parts {
		of := script.DirectoryName
		if i == len(parts)-1 {
			of = script.FileName
		}
		old := strings.Join(strings.Split(path, "/")[:i+1], "/")
		res := p.Name(Input{Of: of, Text: []byte(name), File: File{Path: old, Rel: old}, Held: held})
		parts[i], made = string(res.Edits.Apply([]byte(name))), append(made, res)
	}
	return strings.Join(parts, "/"), made
}

// Join adds the result of one more text of the same file, such as its name. The texts' edits are not joined.
func (r *Result) Join(more *Result) {
	for i := range r.Changes {
		r.Changes[i] += more.Changes[i]
		r.asked[i] = r.asked[i] || more.asked[i]
	}
	for i, n := range more.Found {
		r.Found[i] += n
	}
	for i, n := range more.asserted {
		r.asserted[i] += n
	}
	for table, rows := range more.hits {
		for row := range rows {
			r.hit(table, row)
		}
	}
	r.Notes = append(r.Notes, more.Notes...)
}

// Clone returns a copy that Join may change.
func (r *Result) Clone() *Result {
	c := *r
	c.Changes, c.Found, c.asserted, c.asked = slices.Clone(r.Changes), slices.Clone(r.Found), slices.Clone(r.asserted), slices.Clone(r.asked)
	c.Notes = slices.Clone(r.Notes)
	c.hits = nil
	for table, rows := range r.hits {
		for row := range rows {
			c.hit(table, row)
		}
	}
	return &c
}

// Any reports whether anything matched, was asserted or is to be said of the text.
func (r *Result) Any() bool {
	positive := func(n int) bool { return n > 0 }
	return slices.ContainsFunc(r.Found, positive) || slices.ContainsFunc(r.asserted, positive) || len(r.Notes)+len(r.Failures) > 0
}

// Blank returns the result for a name in which nothing matches, without looking at it.
func (p *Program) Blank(in Input) *Result {
	r := p.NewResult()
	for _, rule := range p.Rules {
		r.asked[rule.Index] = rule.selects(in.File) && rule.has(in.Of) && in.holds(rule)
	}
	return r
}
