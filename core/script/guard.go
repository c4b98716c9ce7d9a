package script

import (
	"strings"

	"frizzel/core/bound"
)

// Guards and assertions.
type (
	// When is a guard of a rule: exactly one of Pattern and Changed is in use.
	When struct {
		Head
		Lacks   bool
		Pattern *Pattern // nil for `when file changed`
		By      string   // the rule that changed it, "" for any
	}
	// Expect declares the number of changes that a rule must make if it makes any, or, if Matches is set, the number of
	// matches that it must find.
	Expect struct {
		Head
		Bound   bound.Bound
		Matches bool
		PerFile bool
	}
	// Assert is `forbid` or `require`.
	Assert struct {
		Head
		Forbid  bool
		Bound   bound.Bound // of a require; {AtLeast, 1} if none is written
		Plain   bool        // written without a bound
		Pattern *Pattern    // nil for each value of the path around it, as a search may ask for
		PerFile bool
	}
)

var guards = []row{
	{"when", inRule, (*parser).when, []Use{
		{"when file has PATTERN", "the rule runs only on files that hold it", "rule x {\n    when file has word \"depot-3\"\n    insert at end \"moved\" unless present\n}"},
		{"when file lacks PATTERN", "only on files that do not", "rule x {\n    when file lacks word \"moved\"\n    insert at end \"moved\" unless present\n}"},
		{"when file changed", "only on files that a rule before it changed", "rule x {\n    when file changed\n    insert at end \"moved\" unless present\n}"},
		{"when file changed by RULE", "only on files that this rule changed",
			"rule host {\n    replace word \"depot-3\" with \"depot-4\"\n}\n\nrule x {\n    when file changed by host\n    insert at end \"moved\" unless present\n}"},
	}},
	{"expect", inRule, (*parser).expectation, []Use{
		{"expect N matches", "the rule's patterns find exactly N matches, changed or not; none is no match. Also `at least N`, `at most N` and `per file`",
			"rule x {\n    expect at least 1 match\n    replace word \"depot-3\" with \"depot-4\"\n}"},
		{"expect N changes", "a run that changes anything makes exactly N changes; also `at least N` and `at most N`, and `per file`",
			"rule x {\n    expect at least 2 changes per file\n    replace word \"depot-3\" with \"depot-4\"\n}"},
	}},
	{"forbid", anywhere, func(p *parser, h Head) Node { return p.assert(h, true) }, []Use{
		{"forbid PATTERN", "nothing is written if it is found when all rules have run", `forbid word "depot-3"`},
	}},
	{"require", anywhere, func(p *parser, h Head) Node { return p.assert(h, false) }, []Use{
		{"require PATTERN", "nothing is written unless it is found", `require word "depot-4"`},
		{"require N of PATTERN", "there are exactly N matches; also `at least N` and `at most N`, and `per file`", `require at most 2 of word "depot-4" per file`},
	}},
}

func (n *When) chunks() []chunk {
	switch {
	case n.Pattern != nil && n.Lacks:
		return patternChunks("when file lacks", n.Pattern)
	case n.Pattern != nil:
		return patternChunks("when file has", n.Pattern)
	case n.By != "":
		return oneOf("when file changed by " + n.By)
	}
	return oneOf("when file changed")
}

func (n *Expect) chunks() []chunk {
	s := "expect " + n.Bound.String()
	switch {
	case n.Matches && n.Bound.Count == 1:
		s += " match"
	case n.Matches:
		s += " matches"
	case n.Bound.Count == 1:
		s += " change"
	default:
		s += " changes"
	}
	if n.PerFile {
		s += " per file"
	}
	return oneOf(s)
}

func (n *Assert) chunks() []chunk {
	head := "forbid"
	if !n.Forbid {
		head = "require"
		if !n.Plain {
			head += " " + n.Bound.String() + " of"
		}
	}
	ps := oneOf(head)
	if n.Pattern != nil {
		ps = patternChunks(head, n.Pattern)
	}
	return append(ps, when(n.PerFile, "per file")...)
}

func (p *parser) when(h Head) Node {
	p.want("file", "when")
	n := &When{Head: h}
	switch p.choice("what the file must be", "has", "lacks", "changed") {
	case "has":
		n.Pattern = p.pattern()
	case "lacks":
		n.Lacks, n.Pattern = true, p.pattern()
	default:
		p.expect("by")
		if p.accept("by") {
			n.By = p.name("a rule's name")
		}
	}
	return n
}

func (p *parser) expectation(h Head) Node {
	n := &Expect{Head: h, Bound: p.bound("the number of changes or matches")}
	word := p.choice("what is counted", "changes", "change", "matches", "match")
	n.Matches = strings.HasPrefix(word, "match")
	p.perFile(&n.PerFile)
	return n
}

// perFile reads the option that a number counts for each file.
func (p *parser) perFile(flag *bool) {
	o := p.options(func() []option { return []option{flagged(flag, "per file", "per", "file")} })
	o.read()
}

// bound reads `3`, `at least 3` or `at most 3`.
func (p *parser) bound(what string) bound.Bound {
	b := bound.Bound{}
	p.expect("at")
	if p.accept("at") {
		if p.choice("how the number binds", "least", "most") == "least" {
			b.Kind = bound.AtLeast
		} else {
			b.Kind = bound.AtMost
		}
	}
	b.Count = p.number(what, 0)
	return b
}

func (p *parser) assert(h Head, forbid bool) Node {
	n := &Assert{Head: h, Forbid: forbid, Bound: bound.Bound{Kind: bound.AtLeast, Count: 1}, Plain: true}
	if !forbid {
		p.expect("at")
	}
	if t := p.owed(); !forbid && (t.kind == kindNumber || t.kind == kindWord && t.text == "at") {
		n.Bound, n.Plain = p.bound("the number of matches"), false
		p.want("of", "the number")
	}
	n.Pattern = p.pattern()
	if !forbid {
		p.perFile(&n.PerFile)
	}
	return n
}
