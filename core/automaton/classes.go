package automaton

import (
	"encoding/binary"
	"regexp/syntax"
	"slices"
	"unicode"
	"unicode/utf8"
)

// classes divides all characters into those that an expression does not tell apart.
type classes struct {
	ascii  [utf8.RuneSelf]uint8
	starts []rune  // where other characters' classes change, the first at utf8.RuneSelf
	others []uint8 // the class from there on
	some   []rune  // one character of each class
}

// Limits on the number of classes, and on the comparisons made to find them.
const (
	maxClasses = 200
	maxAsked   = 1 << 20
)

// classesOf returns the classes of a program's characters; nil if they are too many.
func classesOf(prog *syntax.Prog) *classes {
	at := []rune{0, '\n', '\n' + 1, '0', '9' + 1, 'A', 'Z' + 1, '_', '_' + 1, 'a', 'z' + 1, utf8.RuneSelf, utf8.RuneError, utf8.RuneError + 1}
	var consuming []*syntax.Inst
	for i := range prog.Inst {
		if in := &prog.Inst[i]; consumes(in) {
			consuming = append(consuming, in)
			at = append(at, edges(in)...)
		}
	}
	slices.Sort(at)
	at = slices.Compact(at)
	if len(at)*len(consuming) > maxAsked {
		return nil
	}
	c := &classes{}
	byKey := map[string]uint8{}
	key := make([]byte, 0, len(consuming)/8+2)
	for i, from := range at {
		key = keyOf(key[:0], from, consuming)
		class, ok := byKey[string(key)]
		if !ok {
			if len(c.some) == maxClasses {
				return nil
			}
			class = uint8(len(c.some))
			byKey[string(key)] = class
			c.some = append(c.some, from)
		}
		to := rune(utf8.RuneSelf)
		if i+1 < len(at) {
			to = at[i+1]
		}
		for r := from; r < min(to, utf8.RuneSelf); r++ {
			c.ascii[r] = class
		}
		if from >= utf8.RuneSelf && (len(c.others) == 0 || c.others[len(c.others)-1] != class) {
			c.starts, c.others = append(c.starts, from), append(c.others, class)
		}
	}
	return c
}

// keyOf says which parts of an expression take a character, and what places such as \b see in it.
func keyOf(key []byte, r rune, consuming []*syntax.Inst) []byte {
	bits := uint64(kindOf(r))
	n := 2
	for _, in := range consuming {
		if in.MatchRune(r) {
			bits |= 1 << n
		}
		if n++; n == 64 {
			key, bits, n = binary.LittleEndian.AppendUint64(key, bits), 0, 0
		}
	}
	return binary.LittleEndian.AppendUint64(key, bits)
}

// consumes reports whether an instruction takes a character.
func consumes(in *syntax.Inst) bool {
	switch in.Op {
	case syntax.InstRune, syntax.InstRune1, syntax.InstRuneAny, syntax.InstRuneAnyNotNL:
		return true
	}
	return false
}

// edges returns where an instruction begins or ends to take characters.
func edges(in *syntax.Inst) (at []rune) {
	if len(in.Rune) == 1 {
		r := in.Rune[0]
		at = append(at, r, r+1)
		if syntax.Flags(in.Arg)&syntax.FoldCase != 0 {
			for c := unicode.SimpleFold(r); c != r; c = unicode.SimpleFold(c) {
				at = append(at, c, c+1)
			}
		}
		return at
	}
	if in.Op == syntax.InstRune || in.Op == syntax.InstRune1 {
		for i := 0; i+1 < len(in.Rune); i += 2 {
			at = append(at, in.Rune[i], in.Rune[i+1]+1)
		}
	}
	return at
}

// of returns a character's class.
func (c *classes) of(r rune) uint8 {
	if r < utf8.RuneSelf {
		return c.ascii[r]
	}
	i, ok := slices.BinarySearch(c.starts, r)
	if !ok {
		i--
	}
	return c.others[i]
}

// A kind is what empty-width assertions such as $ and \b distinguish in a character.
type kind uint8

const (
	other kind = iota
	word
	lineFeed
	edge // the text's beginning, or its end
)

func kindOf(r rune) kind {
	switch {
	case r == '\n':
		return lineFeed
	case syntax.IsWordChar(r):
		return word
	}
	return other
}

// between returns which places there are between two characters.
func between(before, after kind) (at syntax.EmptyOp) {
	if before == edge {
		at |= syntax.EmptyBeginText
	}
	if before == edge || before == lineFeed {
		at |= syntax.EmptyBeginLine
	}
	if after == edge {
		at |= syntax.EmptyEndText
	}
	if after == edge || after == lineFeed {
		at |= syntax.EmptyEndLine
	}
	if (before == word) != (after == word) {
		return at | syntax.EmptyWordBoundary
	}
	return at | syntax.EmptyNoWordBoundary
}
