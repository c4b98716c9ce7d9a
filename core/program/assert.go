package program

import (
	"frizzel/core/bound"
	"frizzel/core/pattern"
)

// Expectation is a compiled `expect`.
type Expectation struct {
	Bound   bound.Bound
	PerFile bool
	Place   string // in the script
}

// Assertion is a compiled `forbid` or `require`.
type Assertion struct {
	Forbid    bool
	Bound     bound.Bound // of a require
	PerFile   bool
	Pattern   *pattern.Pattern
	Shown     string     // the pattern, for messages
	Addresses []*Address // outermost first
	Place     string     // in the script
}

// count returns how many matches the text holds where the assertion looks.
func (a *Assertion) count(r *run) int {
	n := 0
	a.each(r, func([]int) { n++ })
	return n
}

// each calls act with each match where the assertion looks.
func (a *Assertion) each(r *run, act func(loc []int)) {
	depth := 0
	for _, address := range a.Addresses {
		if !r.enter(address) {
			r.holdParts(a.Addresses[depth+1:]...)
			break
		}
		depth++
	}
	if depth == len(a.Addresses) {
		for _, span := range r.parts() {
			a.Pattern.Find(r.text.Bytes, span.Start, span.End, func(loc []int) bool {
				r.progress(loc[0])
				act(loc)
				return true
			})
		}
	}
	for range depth {
		r.leave()
	}
}
