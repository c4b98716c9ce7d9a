package automaton

import (
	"regexp/syntax"
	"sync/atomic"
	"unicode/utf8"
)

// A machine is an expression compiled, before any text is read.
type machine struct {
	prog     *syntax.Prog
	classes  *classes
	width    int        // of a row
	column   [256]uint8 // of a byte
	longest  bool       // all that may match is followed, not only what is preferred
	seeks    bool       // a match may begin anywhere
	anchored bool       // it begins at the beginning alone
	looks    bool       // places such as ^ and \b are asked
	first    []uint32   // where a match begins that is not sought

	slow atomic.Bool // texts lead to new states again and again
}

// maxProgram is how many instructions an expression may have.
const maxProgram = 2000

// newMachine returns the machine of an expression, or nil if it would take too much.
func newMachine(re *syntax.Regexp, seeks bool) *machine {
	prog, err := syntax.Compile(re)
	if err != nil || len(prog.Inst) > maxProgram {
		return nil
	}
	m := &machine{prog: prog, classes: classesOf(prog), seeks: seeks, longest: !seeks}
	if m.classes == nil {
		return nil
	}
	m.width = len(m.classes.some) + 2
	for b := range m.column {
		switch {
		case b >= utf8.RuneSelf || b == '\n' || b == '\r':
			m.column[b] = uint8(m.width - 1)
		default:
			m.column[b] = m.classes.ascii[b]
		}
	}
	m.anchored = prog.StartCond()&(syntax.EmptyBeginText|syntax.EmptyBeginLine) != 0
	for i := range prog.Inst {
		m.looks = m.looks || prog.Inst[i].Op == syntax.InstEmptyWidth
	}
	if !seeks {
		m.first = []uint32{uint32(prog.Start)}
	}
	return m
}

// run follows text from at on, up to an entry that wants more than to be followed; at its end
// that of the end.
func (t *table) run(text []byte, at int, row uint32) (int, uint32, uint32) {
	begun := at
	next := t.next
	for ; at < len(text); at++ {
		to := next[int(row)+int(t.column[text[at]])]
		if to >= stop {
			t.read += at - begun
			return at, row, to
		}
		row = to
	}
	t.read += at - begun
	return at, row, ask
}

// enter returns the row that a column of a row leads to: that of a class, or, in the last column but one, that
// of the text's end. It invalidates row.
func (t *table) enter(row uint32, column int) uint32 {
	if to := t.next[int(row)+column]; to != unknown {
		return to
	}
	if t.full() {
		s := t.states[int(row)/t.width]
		if t.read < worthIt*len(t.states) {
			t.slow.Store(true)
		}
		t.clear()
		row = t.row(s)
	}
	return t.step(row, column)
}

// worthIt is the minimum number of bytes read for each built state. Below it, the machine is given up as too slow.
const worthIt = 8

// atEnd reports whether a match ends with the text.
func (t *table) atEnd(row uint32) bool {
	to := t.enter(row, t.width-2)
	return to&(stop|matched) == stop|matched
}
