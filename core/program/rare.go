package program

import (
	"maps"
	"slices"
	"sync"

	"frizzel/core/literals"
	"frizzel/core/pattern"
)

// A Rare is the texts that the matches of several patterns hold. One pass over a file for all of them rules all of the
// patterns out in most files.
type Rare struct {
	texts map[string]bool
	of    map[*pattern.Pattern]bool
	set   func() *literals.Set
}

// fewRare is the number of texts from which one pass for all is faster than one for each.
const fewRare = 3

// Add adds a pattern, if its matches hold a text of some length.
func (s *Rare) Add(p *pattern.Pattern) {
	text := p.Holds()
	if len(text) < literals.Fewest {
		return
	}
	if s.texts == nil {
		s.texts, s.of = map[string]bool{}, map[*pattern.Pattern]bool{}
	}
	s.texts[text], s.of[p] = true, true
	s.set = sync.OnceValue(func() *literals.Set { // anew, should the last one be in use already
		return literals.New(literals.Spec{Literals: slices.Sorted(maps.Keys(s.texts))})
	})
}

// none reports whether a text holds none of them.
func (s *Rare) none(text []byte) bool {
	none := true
	s.set().Find(text, 0, len(text), func(int, int, int) bool {
		none = false
		return false
	})
	return none
}

// lacks reports whether a pattern is known to have no match in the current text.
func (r *run) lacks(p *pattern.Pattern) bool {
	s := &r.program.Rare
	if len(s.texts) < fewRare || len(r.edits) > 0 || !s.of[p] {
		return false
	}
	if r.rare == notLooked {
		if r.rare = present; s.none(r.in.Text) {
			r.rare = absent
		}
	}
	return r.rare == absent
}

// A presence is whether a text holds any of a Rare.
type presence byte

const (
	notLooked presence = iota
	absent
	present
)
