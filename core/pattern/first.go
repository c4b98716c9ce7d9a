package pattern

import (
	"regexp/syntax"
	"unicode"
	"unicode/utf8"
)

// firstBytes are the bytes that a match of an expression can begin with.
type firstBytes [256]bool

// firstBytesOf returns the bytes that a match of re can begin with, or nil where it
// may begin with almost any, or match nothing at all. It follows the compiled
// program from its start to the instructions that take a character.
func firstBytesOf(re *syntax.Regexp) *firstBytes {
	prog, err := syntax.Compile(re)
	if err != nil {
		return nil
	}
	var first firstBytes
	seen := make([]bool, len(prog.Inst))
	pending := []uint32{uint32(prog.Start)}
	for len(pending) > 0 {
		pc := pending[len(pending)-1]
		pending = pending[:len(pending)-1]
		if seen[pc] {
			continue
		}
		seen[pc] = true
		switch in := &prog.Inst[pc]; in.Op {
		case syntax.InstAlt, syntax.InstAltMatch:
			pending = append(pending, in.Out, in.Arg)
		case syntax.InstCapture, syntax.InstEmptyWidth, syntax.InstNop:
			pending = append(pending, in.Out)
		case syntax.InstRune, syntax.InstRune1:
			first.addRunes(in)
		case syntax.InstFail:
		default: // a match of nothing, or any character
			return nil
		}
	}
	return first.worth()
}

// addRunes adds the first bytes of the characters that an instruction takes.
func (f *firstBytes) addRunes(in *syntax.Inst) {
	if len(in.Rune) == 1 {
		r := in.Rune[0]
		f.add(r, r)
		if syntax.Flags(in.Arg)&syntax.FoldCase != 0 {
			for c := unicode.SimpleFold(r); c != r; c = unicode.SimpleFold(c) {
				f.add(c, c)
			}
		}
		return
	}
	for i := 0; i+1 < len(in.Rune); i += 2 {
		f.add(in.Rune[i], in.Rune[i+1])
	}
}

// add adds the first bytes of the characters from lo to hi. Bytes that are no UTF-8
// are matched as U+FFFD, so all above 127 go together.
func (f *firstBytes) add(lo, hi rune) {
	for r := lo; r <= hi && r < utf8.RuneSelf; r++ {
		f[r] = true
	}
	if hi >= utf8.RuneSelf {
		for b := utf8.RuneSelf; b < len(f); b++ {
			f[b] = true
		}
	}
}

// worth returns f, or nil where it rules out too little to be asked.
func (f *firstBytes) worth() *firstBytes {
	n := 0
	for b := range utf8.RuneSelf {
		if f[b] {
			n++
		}
	}
	if n > 64 {
		return nil
	}
	return f
}

// from returns the first place at or after at where a match can begin, or -1.
func (f *firstBytes) from(text []byte, at int) int {
	for i, c := range text[at:] {
		if f[c] {
			return at + i
		}
	}
	return -1
}
