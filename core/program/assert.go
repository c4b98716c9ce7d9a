package program

import (
	"frizzel/core/bound"
	"frizzel/core/pattern"
	"frizzel/core/script"
	"frizzel/core/tree"
)

// An Expectation is a compiled `expect`.
type Expectation struct {
	Bound   bound.Bound
	Matches bool // count matches, not changes
	PerFile bool
	Place   string // in the script
}

// holds reports whether the numbers of a rule's changes and matches are as expected. A rule that changes nothing breaks no
// expectation of changes; none is no expected number of matches.
func (e Expectation) holds(changes, matches int) bool {
	if e.Matches {
		return matches > 0 && e.Bound.Holds(matches)
	}
	return changes == 0 || e.Bound.Holds(changes)
}

// An Assertion is a compiled `forbid` or `require`.
type Assertion struct {
	Of        script.Subject
	Forbid    bool
	Bound     bound.Bound // the required number of matches
	PerFile   bool
	Pattern   *pattern.Pattern // nil if each value of a path counts as one match
	Shown     string           // the pattern, for messages
	Addresses []*Address       // outermost first
	Place     string           // in the script
}

// Groups returns the names of the pattern's groups, including group 0.
func (a *Assertion) Groups() []string {
	if a.Pattern == nil {
		return []string{""}
	}
	return a.Pattern.Groups()
}

// count returns the number of matches in the assertion's addresses.
func (a *Assertion) count(r *run) int {
	n := 0
	a.each(r, func(*run, []int) { n++ })
	return n
}

// each calls act with each match in the assertion's addresses, and with the run whose text contains the
// match: r, or a run over a value.
func (a *Assertion) each(r *run, act func(in *run, loc []int)) { a.look(r, a.Addresses, act) }

func (a *Assertion) look(r *run, within []*Address, act func(*run, []int)) {
	switch {
	case len(within) == 0 && r.lacks(a.Pattern):
	case len(within) == 0:
		for _, span := range r.parts() {
			a.Pattern.Find(r.text.Bytes, span.Start, span.End, func(loc []int) bool {
				r.progress(loc[0])
				act(r, loc)
				return true
			})
		}
	case within[0].Path() != nil:
		a.lookAt(r, within, act)
	case !r.enter(within[0]):
		r.bindParts(within[1:]...)
	default:
		a.look(r, within[1:], act)
		r.leave()
	}
}

// lookAt is look for an `at` address.
func (a *Assertion) lookAt(r *run, within []*Address, act func(*run, []int)) {
	nodes, ok := r.values(within[0])
	if !ok {
		return
	}
	r.stack = append(r.stack, selection{address: within[0], nodes: nodes})
	defer r.leave()
	if rest := within[1:]; len(rest) > 0 && rest[0].Path() != nil {
		a.look(r, rest, act)
		return
	}
	if a.Pattern != nil {
		nodes = innermost(nodes)
	}
	for _, n := range nodes {
		r.progress(n.Start)
		a.lookInside(r, n, within[1:], act)
	}
}

func (a *Assertion) lookInside(r *run, n *tree.Node, within []*Address, act func(*run, []int)) {
	inner := r.inside(r.tree.doc, r.tree.doc.Show(n))
	if a.Pattern == nil && len(within) == 0 {
		act(inner, []int{0, len(inner.value.shown.Text)})
		return
	}
	a.look(inner, within, act)
}
