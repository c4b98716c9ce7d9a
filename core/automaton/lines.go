package automaton

import (
	"bytes"
	"regexp/syntax"
	"sync"
	"unicode/utf8"
)

// Machine finds matches within lines. It is safe for use by several goroutines at once.
type Machine struct {
	ends    *machine // finds where a match ends
	begins  *machine // finds, read backwards, where it begins
	finders sync.Pool
}

// New returns a machine for an expression, or nil if package regexp is the better choice: for a very large
// expression, or one with very many character classes.
func New(re *syntax.Regexp) *Machine {
	re = re.Simplify()
	m := &Machine{ends: newMachine(re, true), begins: newMachine(reversed(re), false)}
	if m.ends == nil || m.begins == nil {
		return nil
	}
	m.finders.New = func() any { return &Finder{machine: m, ends: newTable(m.ends), begins: newTable(m.begins)} }
	return m
}

// Finder looks for a machine's matches. It is one goroutine's, until it is done.
type Finder struct {
	machine      *Machine
	ends, begins *table
	found        []int
}

// Finder returns one, nil if the machine turned out not to be worth it, or there is none.
func (m *Machine) Finder() *Finder {
	if m == nil || m.ends.slow.Load() || m.begins.slow.Load() {
		return nil
	}
	return m.finders.Get().(*Finder)
}

// Done gives the finder back; nil is none.
func (f *Finder) Done() {
	if f != nil {
		f.machine.finders.Put(f)
	}
}

// Line returns a place in the first line of text[at:] that may hold a match, or -1; at is where a
// line begins. If the machine turns out not to be worth it, every line may.
func (f *Finder) Line(text []byte, at int) int {
	t := f.ends
	row, i := t.begins[edge], at
	for !t.slow.Load() {
		if t.skips && row == t.begins[edge] {
			i = t.skip(text, i)
		}
		var to uint32
		if i, row, to = t.run(text, i, row); i == len(text) {
			if i > at && text[i-1] != '\n' && t.atEnd(row) {
				return i
			}
			return -1
		}
		size := 1
		if to == ask {
			if size = ending(text[i:]); size > 0 {
				if t.atEnd(row) {
					return i
				}
				i, row = i+size, t.begins[edge]
				continue
			}
		}
		to, size = t.take(text[i:], row, to)
		switch {
		case to&(stop|matched) == stop|matched:
			return i
		case to == dead:
			n := bytes.IndexByte(text[i:], '\n')
			if n < 0 {
				return -1
			}
			i, row = i+n+1, t.begins[edge]
		case to == home:
			i, row = i+size, t.begins[edge]
		default:
			i, row = i+size, to
		}
	}
	if i == len(text) && i > at && text[i-1] == '\n' { // behind the last line
		return -1
	}
	return i
}

// take returns the row that the first character of text leads to, and builds it if the entry is unknown.
func (t *table) take(text []byte, row, entry uint32) (to uint32, size int) {
	switch entry {
	case ask:
		r, size := utf8.DecodeRune(text)
		return t.enter(row, int(t.classes.of(r))), size
	case unknown:
		return t.enter(row, int(t.column[text[0]])), 1
	}
	return entry, 1
}

// ending returns the length in bytes of the line ending that text begins with, or 0.
func ending(text []byte) int {
	switch {
	case text[0] == '\n':
		return 1
	case text[0] == '\r' && len(text) > 1 && text[1] == '\n':
		return 2
	}
	return 0
}

// All returns the places of all matches in a line, one after another and none overlapping another,
// as the package regexp finds them: start and end of each, until it is called again. It reports
// false if the machine turns out not to be worth it.
func (f *Finder) All(line []byte) (found []int, sure bool) {
	found = f.found[:0]
	defer func() { f.found = found }()
	last := -1 // the end of the match before
	for at := 0; at <= len(line); {
		end, ok := f.end(line, at)
		if end < 0 || !ok {
			return found, ok
		}
		start := end
		if end > at {
			if start, ok = f.start(line, at, end); !ok {
				return found, false
			}
		}
		if start < end || end != last {
			found = append(found, start, end)
		}
		if last = end; end > at {
			at = end
		} else if _, size := utf8.DecodeRune(line[at:]); size > 0 {
			at += size
		} else {
			break
		}
	}
	return found, true
}

// end returns where the first match ends that begins at or after at, or -1.
func (f *Finder) end(line []byte, at int) (last int, sure bool) {
	t := f.ends
	row, last := t.begins[before(line[:at])], -1
	for i := at; !t.slow.Load(); {
		if t.skips && row == t.begins[edge] {
			i = t.skip(line, i)
		}
		var to uint32
		if i, row, to = t.run(line, i, row); i == len(line) {
			if t.atEnd(row) {
				last = i
			}
			return last, true
		}
		to, size := t.take(line[i:], row, to)
		if to&(stop|matched) == stop|matched {
			last, to = i, unmatched(to)
		}
		switch to {
		case dead:
			return last, true
		case home:
			to = t.begins[edge]
		}
		i, row = i+size, to
	}
	return last, false
}

// start returns where the match begins that ends at end, at or after at.
func (f *Finder) start(line []byte, at, end int) (first int, sure bool) {
	t := f.begins
	row, first := t.begins[after(line[end:])], end
	for i := end; !t.slow.Load(); {
		if i == 0 {
			if t.atEnd(row) {
				first = 0
			}
			return first, true
		}
		r, size := utf8.DecodeLastRune(line[:i])
		to := t.enter(row, int(t.classes.of(r)))
		if to&(stop|matched) == stop|matched {
			first, to = i, unmatched(to)
		}
		if i == at || to == dead {
			return first, true
		}
		i, row = i-size, to
		t.read += size
	}
	return first, false
}

// unmatched returns the row of an entry that marks the end of a match.
func unmatched(entry uint32) uint32 {
	if entry &= rows; entry == rows {
		return dead
	}
	return entry
}

// before returns the kind of the character that text ends with: the one before the current offset.
func before(text []byte) kind {
	if len(text) == 0 {
		return edge
	}
	r, _ := utf8.DecodeLastRune(text)
	return kindOf(r)
}

func after(text []byte) kind {
	if len(text) == 0 {
		return edge
	}
	r, _ := utf8.DecodeRune(text)
	return kindOf(r)
}

// reversed returns what matches the characters of a match in the other order.
func reversed(re *syntax.Regexp) *syntax.Regexp {
	out := *re
	out.Sub = make([]*syntax.Regexp, len(re.Sub))
	for i, sub := range re.Sub {
		if re.Op == syntax.OpConcat {
			i = len(re.Sub) - 1 - i
		}
		out.Sub[i] = reversed(sub)
	}
	switch re.Op {
	case syntax.OpLiteral:
		out.Rune = make([]rune, len(re.Rune))
		for i, r := range re.Rune {
			out.Rune[len(re.Rune)-1-i] = r
		}
	case syntax.OpBeginLine:
		out.Op = syntax.OpEndLine
	case syntax.OpEndLine:
		out.Op = syntax.OpBeginLine
	case syntax.OpBeginText:
		out.Op = syntax.OpEndText
	case syntax.OpEndText:
		out.Op = syntax.OpBeginText
	}
	return &out
}
