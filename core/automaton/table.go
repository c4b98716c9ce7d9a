package automaton

import (
	"bytes"
	"encoding/binary"
	"regexp/syntax"
	"slices"
	"unicode/utf8"

	"frizzel/core/frequency"
)

// A table is the states of a machine that were reached, with their transitions by class. Only one goroutine may
// use it.
type table struct {
	*machine
	// next is, for each state, a row of entries: one for each class, one for the text's end,
	// and one for the bytes that tell no class by themselves.
	next   []uint32
	states []state
	byKey  map[string]uint32
	begins [edge + 1]uint32 // the states in which nothing was read yet, by what stands before

	skips bool      // bytes are skipped with which nothing begins, since they are most
	away  [256]bool // the others
	only  int       // the one of those, or -1

	size    int // bytes that the states take, about
	read    int // bytes of texts since the states were dropped last
	seen    []uint32
	round   uint32
	pending []uint32
	key     []byte
}

// A state is the set of instructions that the text so far may have reached.
type state struct {
	places  []uint32 // in the program, the preferred ones first
	seeking bool     // a match may begin here, less preferred than those
	before  kind     // of the last character
}

// The entries of a row: the index in next of another state's row, or, with the bit stop, one of these:
const (
	stop    = 1 << 31
	matched = 1 << 30 // a match ended before this byte; the other bits are the state's
	unknown = stop    // not computed yet
	ask     = stop | 1
	dead    = stop | 2 // nothing more can match
	home    = stop | 3 // back to where nothing has begun, from where bytes are skipped
	rows    = matched - 1
)

// maxSize is the approximate limit in bytes on the states of a table.
const maxSize = 2 << 20

func newTable(m *machine) *table {
	t := &table{machine: m, seen: make([]uint32, len(m.prog.Inst))}
	t.clear()
	if m.seeks && !m.looks {
		t.findAway()
	}
	return t
}

// clear drops all states.
func (t *table) clear() {
	t.next, t.states, t.byKey = t.next[:0], t.states[:0], map[string]uint32{}
	t.size, t.read = 0, 0
	for before := range t.begins {
		s := state{seeking: t.seeks, before: kind(before), places: t.first}
		if !t.looks { // no assertion depends on the preceding character
			s.before = other
		}
		t.begins[before] = t.row(s)
	}
}

// findAway computes which bytes leave the home state, and whether they are few.
func (t *table) findAway() {
	begin, share, n := t.begins[edge], 0.0, 0
	t.only = -1
	for b := range t.away {
		if b >= utf8.RuneSelf {
			t.away[b] = slices.ContainsFunc(t.classes.others, func(class uint8) bool { return t.step(begin, int(class)) != begin })
			continue
		}
		if t.away[b] = t.step(begin, int(t.classes.ascii[b])) != begin; t.away[b] {
			share, t.only, n = share+frequency.Of(byte(b)), b, n+1
		}
	}
	if n != 1 || t.away[utf8.RuneSelf] {
		t.only = -1
	}
	if t.skips = share < maxShare; t.skips {
		t.clear() // since what leads back is to say so
	}
}

// maxShare is up to which share of a text's bytes others are skipped.
const maxShare = 0.15

// skip returns the next place at which something may begin.
func (t *table) skip(text []byte, at int) int {
	begun := at
	defer func() { t.read += at - begun }()
	if t.only >= 0 {
		n := bytes.IndexByte(text[at:], byte(t.only))
		if n < 0 {
			n = len(text) - at
		}
		at += n
		return at
	}
	for at < len(text) && !t.away[text[at]] {
		at++
	}
	return at
}

// row returns the row of a state, or dead.
func (t *table) row(s state) uint32 {
	if len(s.places) == 0 && !s.seeking {
		return dead
	}
	t.key = append(t.key[:0], byte(s.before), 0)
	if s.seeking {
		t.key[1] = 1
	}
	for _, pc := range s.places {
		t.key = binary.LittleEndian.AppendUint32(t.key, pc)
	}
	if row, ok := t.byKey[string(t.key)]; ok {
		return row
	}
	row := uint32(len(t.next))
	s.places = append([]uint32(nil), s.places...)
	t.states = append(t.states, s)
	for range t.width {
		t.next = append(t.next, unknown)
	}
	t.next[row+uint32(t.width)-1] = ask
	t.byKey[string(t.key)] = row
	t.size += 4*t.width + 2*len(t.key) + 100
	return row
}

// full reports whether there is no room for another state.
func (t *table) full() bool { return t.size > maxSize }

// step computes the transition from a state by a class, or by the text's end.
func (t *table) step(row uint32, column int) uint32 {
	s := t.states[int(row)/t.width]
	after, r := edge, rune(-1)
	if column < len(t.classes.some) {
		r = t.classes.some[column]
		after = kindOf(r)
	}
	list, isMatch := t.closure(s, between(s.before, after))
	var to state
	if after != edge {
		to = state{seeking: s.seeking && !isMatch && !t.anchored, before: after}
		if !t.looks {
			to.before = other
		}
		t.round++
		for _, pc := range list {
			if in := &t.prog.Inst[pc]; in.MatchRune(r) && t.seen[in.Out] != t.round {
				t.seen[in.Out] = t.round
				to.places = append(to.places, in.Out)
			}
		}
	}
	found := t.row(to)
	if found == t.begins[edge] && t.skips {
		found = home
	}
	if isMatch {
		if found == dead {
			found = rows // no row has this index
		}
		found |= stop | matched
	}
	t.next[int(row)+column] = found
	return found
}

// closure returns the instructions that consume the next character, in order of preference, up to the first
// that completes a match.
func (t *table) closure(s state, at syntax.EmptyOp) (list []uint32, isMatch bool) {
	t.round++
	for i := 0; i <= len(s.places); i++ {
		switch {
		case i < len(s.places):
			t.pending = append(t.pending[:0], s.places[i])
		case s.seeking:
			t.pending = append(t.pending[:0], uint32(t.prog.Start))
		default:
			return list, isMatch
		}
		for n := len(t.pending); n > 0; n = len(t.pending) {
			pc := t.pending[n-1]
			t.pending = t.pending[:n-1]
			if t.seen[pc] == t.round {
				continue
			}
			t.seen[pc] = t.round
			switch in := &t.prog.Inst[pc]; in.Op {
			case syntax.InstAlt, syntax.InstAltMatch:
				t.pending = append(t.pending, in.Arg, in.Out)
			case syntax.InstCapture, syntax.InstNop:
				t.pending = append(t.pending, in.Out)
			case syntax.InstEmptyWidth:
				if syntax.EmptyOp(in.Arg)&^at == 0 {
					t.pending = append(t.pending, in.Out)
				}
			case syntax.InstMatch:
				if !t.longest {
					return list, true
				}
				isMatch = true
			case syntax.InstFail:
			default:
				list = append(list, pc)
			}
		}
	}
	return list, isMatch
}
