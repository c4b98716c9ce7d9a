package pattern

import (
	"errors"
	"strings"

	"frizzel/core/lines"
	"frizzel/core/word"
)

// Kind is how a pattern's source is meant.
type Kind int

const (
	Text  Kind = iota // literal characters
	Word              // the same, at whole-word boundaries
	Regex             // a regular expression in RE2's syntax
	Lines             // literal characters that are whole lines
)

// Spec says what to match.
type Spec struct {
	Kind        Kind
	Source      string
	Whole       bool // of a Regex: at whole-word boundaries
	IgnoreCase  bool // as unicode.SimpleFold has it; for the guards too
	AcrossLines bool // of a Regex: matched against all lines at once
	Captures    bool // report the places of a Regex's groups
	Joiners     string
	Guards      []Guard
}

// A Guard is a pattern that must, or must not, touch a match within its line.
type Guard struct {
	Not      bool
	Preceded bool // else followed
	Kind     Kind // Text, Word or Regex
	Source   string
}

// Pattern is a compiled Spec. It is safe for use by several goroutines at once.
type Pattern struct {
	spec    Spec
	joiners word.Joiners
	literal *literal // of every kind but Regex
	regex   *regex   // of Regex
	guards  []guard
}

// ErrLineBreak is returned for a regular expression that names a line feed and
// would be matched a line at a time, if it cannot match.
var ErrLineBreak = errors.New("this expression names a line break, and is matched within one line")

// Compile makes a Pattern. Errors are those of regexp/syntax, and ErrLineBreak.
func Compile(spec Spec) (*Pattern, error) {
	p := &Pattern{spec: spec, joiners: word.Joiners(spec.Joiners)}
	if spec.Kind == Regex {
		var err error
		if p.regex, err = newRegex(spec); err != nil {
			return nil, err
		}
	} else {
		p.literal = newLiteral(spec.Source, spec.IgnoreCase)
	}
	for _, g := range spec.Guards {
		compiled, err := newGuard(g, spec.IgnoreCase, p.joiners)
		if err != nil {
			return nil, err
		}
		p.guards = append(p.guards, compiled)
	}
	return p, nil
}

// Groups returns the names of a Regex's groups, group 0 included, "" for those
// without one.
func (p *Pattern) Groups() []string {
	if p.regex == nil {
		return []string{""}
	}
	return p.regex.re.SubexpNames()
}

// SpansLines reports whether a match may hold a line break.
func (p *Pattern) SpansLines() bool {
	return p.spec.AcrossLines && p.regex != nil || p.literal != nil && p.literal.lines
}

// MatchesEmpty reports whether the pattern matches the empty text.
func (p *Pattern) MatchesEmpty() bool {
	return p.regex != nil && p.regex.re.MatchString("")
}

// Holds returns a text within one line that each match holds, in this case, or "".
func (p *Pattern) Holds() string {
	if p.literal == nil || p.literal.runes != nil || p.literal.lines {
		return ""
	}
	return p.spec.Source
}

// Has reports whether the whole lines text[lo:hi] hold a match.
func (p *Pattern) Has(text []byte, lo, hi int) bool {
	found := false
	p.Find(text, lo, hi, func([]int) bool {
		found = true
		return false
	})
	return found
}

// Find calls yield with each match in the whole lines text[lo:hi], from left to
// right, none overlapping another, until yield returns false. loc holds byte
// offsets in text: start and end of the match, then of each group, -1 where it
// took no part; groups are there where the Spec asked for them. loc is valid
// only during the call.
func (p *Pattern) Find(text []byte, lo, hi int, yield func(loc []int) bool) {
	switch {
	case p.literal != nil:
		p.findLiteral(text, lo, hi, yield)
	case p.spec.AcrossLines:
		p.findAcross(text, lo, hi, yield)
	default:
		p.findInLines(text, lo, hi, yield)
	}
}

// findLiteral tries every place.
func (p *Pattern) findLiteral(text []byte, lo, hi int, yield func([]int) bool) {
	seek := p.literal.seek(text[:hi])
	var loc [2]int
	for at := lo; ; {
		start, end := seek.from(at)
		if start < 0 {
			return
		}
		if !p.accepts(text, lo, hi, start, end) {
			at = start + 1
			continue
		}
		loc = [2]int{start, end}
		if !yield(loc[:]) {
			return
		}
		at = end
	}
}

// accepts asks the boundaries and the guards about a match.
func (p *Pattern) accepts(text []byte, lo, hi, start, end int) bool {
	if p.spec.Kind == Lines && !p.wholeLines(text, hi, start, end) {
		return false
	}
	if (p.spec.Kind == Word || p.spec.Whole) && !p.joiners.Whole(text, start, end) {
		return false
	}
	if len(p.guards) == 0 {
		return true
	}
	for _, g := range p.guards {
		if g.holds(text[lo:hi], start-lo, end-lo) == g.not {
			return false
		}
	}
	return true
}

// wholeLines reports whether a match covers whole lines. An empty last line counts as a line.
func (p *Pattern) wholeLines(text []byte, hi, start, end int) bool {
	if strings.HasSuffix(p.spec.Source, "\n") && end >= hi {
		return false
	}
	return lines.AtStart(text, start) && lines.AtEnd(text, end)
}

// MatchesWhole reports whether the pattern matches all of s. Guards see no text before or after it.
func (p *Pattern) MatchesWhole(s string) bool {
	for _, g := range p.guards {
		if !g.not {
			return false
		}
	}
	if p.regex != nil {
		return p.regex.matchesWhole(s)
	}
	end, ok := p.literal.matchAt([]byte(s), 0)
	return ok && end == len(s)
}

// First returns the first match in the whole lines text[lo:hi] that begins at or after
// at.
func (p *Pattern) First(text []byte, lo, hi, at int) (start, end int, ok bool) {
	p.Find(text, lo, hi, func(loc []int) bool {
		start, end, ok = loc[0], loc[1], loc[0] >= at
		return !ok
	})
	return start, end, ok
}
