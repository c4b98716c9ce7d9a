package program

import (
	"bytes"

	"frizzel/core/lines"
)

// A Stream runs a program over a text that arrives in pieces.
type Stream struct {
	program *Program
	in      Input
	// The last line's ending is written late if the next line may be the last one, lack an ending, and be
	// deleted.
	holds bool
	held  string
	ended bool // the last output line must have an ending
}

// Stream returns a stream for a new text. The program must be LineByLine.
func (p *Program) Stream(f File) *Stream {
	var needs lineNeeds
	for _, r := range p.Rules {
		needs = needs.and(needsOf(r.Body, acted{}))
	}
	return &Stream{program: p, in: Input{File: f, Window: &Window{}}, holds: needs.takes}
}

// Lines runs the program over the next whole lines; only the last line of the whole text may lack an ending.
// The result's edits are against text, and its notes number lines from the start of the whole text.
func (s *Stream) Lines(text []byte) *Result {
	if s.in.Window.Ending == "" {
		s.in.Window.Ending = lines.FirstEnding(text)
	}
	s.in.Text = text
	res := s.program.Run(s.in)
	s.ended = res.ended
	s.in.Before = res.Counters
	s.in.Window.Lines += bytes.Count(text, []byte("\n"))
	s.in.Window.Bytes += len(text)
	return res
}

// Out returns the output that is ready after the last lines became fresh.
func (s *Stream) Out(fresh []byte) []byte {
	if !s.holds {
		return fresh
	}
	if len(fresh) == 0 {
		if !s.ended { // the last line was deleted
			s.held = ""
		}
		return nil
	}
	out := []byte(s.held)
	s.held = lines.Ending(fresh)
	body := fresh[:len(fresh)-len(s.held)]
	if lines.AtStart(body, len(body)) { // an empty line keeps its ending
		body, s.held = fresh, ""
	}
	return append(out, body...)
}

// End returns the rest of the output.
func (s *Stream) End() []byte { return []byte(s.held) }

// LineByLine reports whether the result of a line never depends on another line, so each line can be written
// immediately.
func (p *Program) LineByLine(f File) bool {
	if p.judges(f) {
		return false
	}
	var all lineNeeds
	for _, r := range p.Rules {
		if len(r.When)+len(r.Expects)+len(r.Asserts) > 0 {
			return false
		}
		all = all.and(needsOf(r.Body, acted{}))
	}
	return !all.others && !all.parts && !(all.numbers && all.moves)
}

// lineNeeds are the requirements of statements besides the current line.
type lineNeeds struct {
	others  bool // other lines
	numbers bool // the line's number
	moves   bool // may change the number of lines
	takes   bool // may delete lines
	counts  bool // the counts of earlier changes
	spans   bool // all edits of a span are one change
	parts   bool // a section, paragraph or range as a whole
}

func (n lineNeeds) and(m lineNeeds) lineNeeds {
	return lineNeeds{n.others || m.others, n.numbers || m.numbers, n.moves || m.moves, n.takes || m.takes, n.counts || m.counts, n.spans || m.spans, n.parts || m.parts}
}

// acted describes the selection that statements act on.
type acted struct {
	alone bool // each span is one line
	part  bool // each span is within a part that no window splits
	runs  bool // spans are runs of lines, and each may end where another begins
}

// whole reports whether no window splits a span.
func (a acted) whole() bool { return a.alone || a.part && !a.runs }

// perSpan returns the needs of a statement that makes all edits of a span one change.
func (a acted) perSpan() lineNeeds {
	return lineNeeds{others: a.runs && !a.whole(), spans: !a.whole()}
}

// wholeText is the needs of a statement that reads the whole text.
var wholeText = lineNeeds{others: true}

// needsOf returns the union of the needs of body.
func needsOf(body []Action, on acted) (n lineNeeds) {
	for _, a := range body {
		n = n.and(a.needs(on))
	}
	return n
}

func (a *Assertion) needs() lineNeeds {
	n := lineNeeds{others: a.Pattern == nil || a.Pattern.SpansLines()}
	on := acted{}
	for _, address := range a.Addresses {
		n = n.and(address.needs(on))
		on.part = on.part || address.isPart()
	}
	return n
}

// needs returns the needs of a template, which may be nil.
func (t *Template) needs() (n lineNeeds) {
	if t == nil {
		return n
	}
	for _, p := range t.Parts {
		n.numbers = n.numbers || p.From == FromLine
		if p.From == FromCountHere {
			n = n.and(wholeText) // a span may begin before a window
		}
		n.counts = n.counts || p.From == FromCount || p.From == FromCountAll || p.From == FromPseudonym
		n.moves = n.moves || bytes.ContainsRune([]byte(p.Literal), '\n')
	}
	return n
}
