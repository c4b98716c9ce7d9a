package run

import (
	"slices"

	"frizzel/core/lines"
	"frizzel/core/program"
)

// surroundings copies the lines around proposals in a window of a large file, because the window's memory is
// reused and a review retains the proposals. Nearby proposals share a copy.
type surroundings struct {
	of       []byte // the window's text
	from, to int
	text     []byte
}

// Numbers of lines to copy around a proposal, and below it, where the next proposals are likely.
const (
	linesAround = 12
	linesAhead  = 400
)

// cut returns a proposal whose text is only the lines around it.
func (s *surroundings) cut(p program.Proposal) program.Proposal {
	start, end := p.Edits[0].Start, p.Edits[len(p.Edits)-1].End
	from, to := lines.Above(p.Text, start, linesAround), lines.Below(p.Text, end, linesAround+1)
	same := len(s.of) == len(p.Text) && len(p.Text) > 0 && &s.of[0] == &p.Text[0]
	if !same || from < s.from || to > s.to {
		if same && from < s.to && from >= s.from {
			to = lines.Below(p.Text, to, linesAhead)
		}
		s.of, s.from, s.to, s.text = p.Text, from, to, slices.Clone(p.Text[from:to])
	}
	p.Text, p.Edits = s.text, slices.Clone(p.Edits)
	for i := range p.Edits {
		p.Edits[i].Start, p.Edits[i].End = p.Edits[i].Start-s.from, p.Edits[i].End-s.from
	}
	return p
}
