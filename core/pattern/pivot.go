package pattern

import (
	"bytes"
	"math/bits"
	"regexp/syntax"
	"unicode"
	"unicode/utf8"

	"frizzel/core/frequency"
)

// A pivot is a byte that every match of an expression contains, with the sets of bytes that may precede and
// follow it, for example the dot of an address between two digits.
type pivot struct {
	at            byte
	before, after *byteSet // nil if anything may
	share         float64  // of the bytes of a text that are one, about

	// kinds has, if the byte itself is frequent, a bit 1 for it, and a bit 2 for each byte of after.
	kinds *[256]uint64
}

// byteSet are bytes; of characters above ASCII all or none.
type byteSet [256]bool

// Up to which share of the bytes a pivot is worth being searched for, and up to which the byte itself is searched for.
const (
	rare     = 0.015
	rareByte = 0.02
)

// pivotOf returns the rarest pivot of an expression, nil if none is rare.
func pivotOf(re *syntax.Regexp) *pivot {
	best := &pivot{share: 1}
	best.seek(re, nil, nil)
	if best.share > rare {
		return nil
	}
	if frequency.Of(best.at) > rareByte && best.after != nil {
		best.kinds = new([256]uint64)
		for b, in := range best.after {
			if in {
				best.kinds[b] = 2
			}
		}
		best.kinds[best.at] |= 1
	}
	return best
}

// seek searches for a rarer pivot in a required part of the expression. before and after are the bytes that may
// surround that part.
func (p *pivot) seek(re *syntax.Regexp, before, after *byteSet) {
	switch re.Op {
	case syntax.OpLiteral:
		p.literal(re, before, after)
	case syntax.OpCapture:
		p.seek(re.Sub[0], before, after)
	case syntax.OpPlus:
		first, last := edgeOf(re.Sub[0], false), edgeOf(re.Sub[0], true)
		p.seek(re.Sub[0], before.or(last.set), after.or(first.set))
	case syntax.OpConcat:
		for i, sub := range re.Sub {
			left := edgeOf(&syntax.Regexp{Op: syntax.OpConcat, Sub: re.Sub[:i]}, true)
			right := edgeOf(&syntax.Regexp{Op: syntax.OpConcat, Sub: re.Sub[i+1:]}, false)
			p.seek(sub, left.beside(before), right.beside(after))
		}
	}
}

// literal takes the rarest ASCII character of a literal that is the same in both cases, or not
// folded.
func (p *pivot) literal(re *syntax.Regexp, before, after *byteSet) {
	fold := re.Flags&syntax.FoldCase != 0
	for i, r := range re.Rune {
		if r >= utf8.RuneSelf || r == '\n' || fold && unicode.SimpleFold(r) != r {
			continue
		}
		q := pivot{at: byte(r), before: before, after: after}
		if i > 0 {
			q.before = setOf(re.Rune[i-1], fold)
		}
		if i+1 < len(re.Rune) {
			q.after = setOf(re.Rune[i+1], fold)
		}
		if q.share = frequency.Of(q.at) * q.before.share() * q.after.share(); q.share < p.share {
			*p = q
		}
	}
}

// from returns the first offset of the pivot at or after at, or -1.
func (p *pivot) from(text []byte, at int) int {
	if p.kinds != nil {
		return p.fromFrequent(text, at)
	}
	for {
		i := bytes.IndexByte(text[at:], p.at)
		if i < 0 {
			return -1
		}
		at += i
		if p.before.holds(text, at-1) && p.after.holds(text, at+1) {
			return at
		}
		at++
	}
}

// fromFrequent is from for a frequent byte. The kinds of 32 bytes are computed as bits first, without branches.
func (p *pivot) fromFrequent(text []byte, at int) int {
	const ats = 0x5555555555555555     // which bits tell of the byte itself
	for ; at < len(text)-1; at += 31 { // the last byte of a block is the first one of the next
		kinds := uint64(0)
		for i, c := range text[at:min(at+32, len(text))] {
			kinds |= p.kinds[c] << (2 * i & 63)
		}
		for pairs := kinds & (kinds >> 3) & ats; pairs != 0; pairs &= pairs - 1 {
			if found := at + bits.TrailingZeros64(pairs)/2; p.before.holds(text, found-1) {
				return found
			}
		}
	}
	return -1
}

// holds reports whether the set contains the byte at at.
func (s *byteSet) holds(text []byte, at int) bool {
	return s == nil || 0 <= at && at < len(text) && s[text[at]]
}

// or returns the bytes of both, nil if one of them is any.
func (s *byteSet) or(t *byteSet) *byteSet {
	if s == nil || t == nil {
		return nil
	}
	both := *s
	for b := range t {
		both[b] = both[b] || t[b]
	}
	return &both
}

// share returns about which share of a text's bytes is among them.
func (s *byteSet) share() (share float64) {
	if s == nil {
		return 1
	}
	for b, in := range s {
		if in {
			share += frequency.Of(byte(b))
		}
	}
	return share
}

// ends are the bytes that a match of a part may begin, or end with, and whether it may be of
// none.
type ends struct {
	set   *byteSet
	empty bool
}

// beside returns the bytes at this part's edge as seen by an adjacent part. If this part may be empty, they
// include further, the bytes beyond it.
func (e ends) beside(further *byteSet) *byteSet {
	if !e.empty {
		return e.set
	}
	return further.or(e.set)
}

// edgeOf returns the bytes that matches of re begin with, or where last is set end with.
func edgeOf(re *syntax.Regexp, last bool) ends {
	switch re.Op {
	case syntax.OpLiteral:
		r := re.Rune[0]
		if last {
			r = re.Rune[len(re.Rune)-1]
		}
		return ends{set: setOf(r, re.Flags&syntax.FoldCase != 0)}
	case syntax.OpCharClass:
		set := &byteSet{}
		for i := 0; i+1 < len(re.Rune); i += 2 {
			set.add(re.Rune[i], re.Rune[i+1])
		}
		return ends{set: set}
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return ends{}
	case syntax.OpCapture, syntax.OpPlus:
		return edgeOf(re.Sub[0], last)
	case syntax.OpStar, syntax.OpQuest, syntax.OpRepeat:
		e := edgeOf(re.Sub[0], last)
		e.empty = e.empty || re.Op != syntax.OpRepeat || re.Min == 0
		return e
	case syntax.OpConcat:
		e := ends{set: &byteSet{}, empty: true}
		for i := range re.Sub {
			if last {
				i = len(re.Sub) - 1 - i
			}
			sub := edgeOf(re.Sub[i], last)
			e.set, e.empty = e.set.or(sub.set), sub.empty
			if !e.empty {
				break
			}
		}
		return e
	case syntax.OpAlternate:
		e := ends{set: &byteSet{}}
		for _, s := range re.Sub {
			sub := edgeOf(s, last)
			e.set, e.empty = e.set.or(sub.set), e.empty || sub.empty
		}
		return e
	}
	return ends{set: &byteSet{}, empty: true} // a place, or nothing
}

// setOf returns a character's bytes, in all cases where case is ignored.
func setOf(r rune, fold bool) *byteSet {
	s := &byteSet{}
	s.add(r, r)
	if fold {
		for c := unicode.SimpleFold(r); c != r; c = unicode.SimpleFold(c) {
			s.add(c, c)
		}
	}
	return s
}

// add adds the bytes of the characters from lo to hi. All above ASCII go together, since bytes
// that are not UTF-8 are matched as U+FFFD; a newline may be written as two bytes.
func (s *byteSet) add(lo, hi rune) {
	for r := lo; r <= hi && r < utf8.RuneSelf; r++ {
		s[r] = true
	}
	if s['\n'] {
		s['\r'] = true
	}
	for b := utf8.RuneSelf; b < len(s) && hi >= utf8.RuneSelf; b++ {
		s[b] = true
	}
}
