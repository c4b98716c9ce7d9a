// Package bound has the number of an expectation with its sense: exactly 3, at least 3 or at most 3.
package bound

import "strconv"

// Bound is a count and how it binds.
type Bound struct {
	Kind  Kind
	Count int
}

// Kind says how a Bound's count is meant.
type Kind int

const (
	Exactly Kind = iota
	AtLeast
	AtMost
)

// Holds reports whether n is within the bound.
func (b Bound) Holds(n int) bool {
	switch b.Kind {
	case AtLeast:
		return n >= b.Count
	case AtMost:
		return n <= b.Count
	default:
		return n == b.Count
	}
}

// String returns the bound as the rule language has it.
func (b Bound) String() string {
	return [...]string{"", "at least ", "at most "}[b.Kind] + strconv.Itoa(b.Count)
}
