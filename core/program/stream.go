package program

import (
	"bytes"

	"frizzel/core/script"
)

// Stream runs a program over a text that comes piece by piece.
type Stream struct {
	program *Program
	in      Input
}

// Stream begins a text. It is only for a program that is LineByLine.
func (p *Program) Stream(f File) *Stream {
	return &Stream{program: p, in: Input{File: f, continued: true}}
}

// Lines runs the program over the next whole lines, the last of which may lack its
// ending at the text's end. The result's edits are against lines, its notes count
// lines from the text's beginning.
func (s *Stream) Lines(lines []byte) *Result {
	if s.in.ending == "" {
		s.in.ending = firstEnding(lines)
	}
	s.in.Text = lines
	res := s.program.Run(s.in)
	s.in.Before = res.Counters
	s.in.linesBefore += bytes.Count(lines, []byte("\n"))
	return res
}

// LineByLine reports whether what becomes of a line never depends on another one,
// so that it can be written as soon as it was read. The one thing that a stream
// cannot do is to take back an ending: where a last line without one is deleted, the
// line before keeps its own.
func (p *Program) LineByLine() bool {
	var all lineNeeds
	for _, r := range p.rules {
		if len(r.when)+len(r.expects)+len(r.asserts) > 0 {
			return false
		}
		all = all.and(needsOf(r.body, false))
	}
	return !all.others && !(all.numbers && all.moves)
}

// lineNeeds is what statements need to know beyond the line at hand.
type lineNeeds struct {
	others  bool // other lines
	numbers bool // the line's number
	moves   bool // they may change the number of lines
}

func (n lineNeeds) and(m lineNeeds) lineNeeds {
	return lineNeeds{n.others || m.others, n.numbers || m.numbers, n.moves || m.moves}
}

// needsOf returns what statements need; alone says that each span is one line.
func needsOf(body []action, alone bool) (n lineNeeds) {
	for _, a := range body {
		n = n.and(needs(a, alone))
	}
	return n
}

func needs(a action, alone bool) lineNeeds {
	switch a := a.(type) {
	case numbered:
		return needs(a.action, alone)
	case *block:
		single := !a.address.Outside && (a.address.Kind == script.Line || a.address.Kind == script.LinesWith || a.address.Kind == script.LinesWithout)
		return a.address.needs().and(needsOf(a.body, alone || single))
	case *replace:
		n := a.with.needs()
		n.others = a.InFile || a.AcrossLines || a.pattern.SpansLines()
		return n
	case *replaceEach:
		var n lineNeeds
		for _, with := range a.with {
			n = n.and(with.needs())
		}
		return n
	case *comment:
		return a.mark.needs()
	case *rewrite:
		return a.text.needs().and(lineNeeds{others: !alone, moves: true})
	case *insert:
		atEdge := a.Where == script.Above || a.Where == script.Below
		return a.text.needs().and(lineNeeds{others: !alone || !atEdge || a.UnlessPresent, moves: true})
	case remove:
		return lineNeeds{moves: true}
	case trimEnds, *useEndings, useFinalEnding:
		return lineNeeds{}
	}
	return lineNeeds{others: true}
}

func (a *address) needs() lineNeeds {
	switch a.Kind {
	case script.Line, script.Lines:
		return lineNeeds{numbers: true}
	case script.LinesWith, script.LinesWithout:
		return lineNeeds{others: a.Above+a.Below > 0 || a.pattern.SpansLines()}
	}
	return lineNeeds{others: true}
}

// needs returns what a template needs; nil needs nothing.
func (t *template) needs() (n lineNeeds) {
	if t == nil {
		return n
	}
	for _, p := range t.parts {
		n.numbers = n.numbers || p.from == sourceLine
		n.moves = n.moves || bytes.ContainsRune([]byte(p.literal), '\n')
	}
	return n
}
