package program

import (
	"bytes"

	"frizzel/core/lines"
)

// Stream runs a program over a text that comes piece by piece.
type Stream struct {
	program *Program
	in      Input
	// The last line's ending is held back, if the next line may be the last one, without
	// an ending, and be deleted.
	holds bool
	held  string
	ended bool // what came last is to have an ending
}

// Stream begins a text. It is only for a program that is LineByLine.
func (p *Program) Stream(f File) *Stream {
	var needs lineNeeds
	for _, r := range p.Rules {
		needs = needs.and(needsOf(r.Body, acted{}))
	}
	return &Stream{program: p, in: Input{File: f, Window: &Window{}}, holds: needs.takes}
}

// Lines runs the program over the next whole lines, the last of which may lack its
// ending at the text's end. The result's edits are against text, its notes count
// lines from the text's beginning.
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

// Out returns what is to be written by now, after the lines that came last have become
// fresh.
func (s *Stream) Out(fresh []byte) []byte {
	if !s.holds {
		return fresh
	}
	if len(fresh) == 0 {
		if !s.ended { // the last line is gone
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

// End returns what is still to be written.
func (s *Stream) End() []byte { return []byte(s.held) }

// LineByLine reports whether the result of a line never depends on another line,
// so that it can be written as soon as it was read.
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

// lineNeeds says what statements need besides the current line.
type lineNeeds struct {
	others  bool // other lines
	numbers bool // the line's number
	moves   bool // they may change the number of lines
	takes   bool // they may take lines away
	counts  bool // what was changed before
	spans   bool // they make one change of all that they do to a span
	parts   bool // all of a section, paragraph or range
}

func (n lineNeeds) and(m lineNeeds) lineNeeds {
	return lineNeeds{n.others || m.others, n.numbers || m.numbers, n.moves || m.moves, n.takes || m.takes, n.counts || m.counts, n.spans || m.spans, n.parts || m.parts}
}

// acted says what statements act on.
type acted struct {
	alone bool // each span is one line
	part  bool // each span is within what no window ends within
	runs  bool // spans are runs of lines that end where others begin
}

// whole reports whether each span is all in one window.
func (a acted) whole() bool { return a.alone || a.part && !a.runs }

// perSpan returns what a statement needs that makes one change of all that it does to a span.
func (a acted) perSpan() lineNeeds {
	return lineNeeds{others: a.runs && !a.whole(), spans: !a.whole()}
}

// wholeText are the needs of a statement that reads the whole text.
var wholeText = lineNeeds{others: true}

// needsOf returns what statements need.
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

// needs returns what a template needs; nil needs nothing.
func (t *Template) needs() (n lineNeeds) {
	if t == nil {
		return n
	}
	for _, p := range t.Parts {
		n.numbers = n.numbers || p.From == FromLine
		n.counts = n.counts || p.From == FromCount || p.From == FromCountAll || p.From == FromPseudonym
		n.moves = n.moves || bytes.ContainsRune([]byte(p.Literal), '\n')
	}
	return n
}
