// Package literals finds any of many texts at once, in one pass, anywhere or as whole words.
//
// The central type is [Set].
package literals

import (
	"encoding/binary"
	"math/bits"
	"slices"
	"unicode/utf8"

	"frizzel/core/word"
)

// Set finds any of many literals in one pass: at each place the longest that
// stands there and is accepted, from left to right, none overlapping another. It
// is safe for use by several goroutines at once.
//
// Some bytes of each window, as long as the shortest literal, rule out most places (see [grams]); if they cannot,
// those of each length are asked for by their hash, or a trie if there are very many lengths. If case is
// ignored, or a literal is shorter than a window may be, the trie is asked at each character.
type Set struct {
	whole      bool // at whole-word boundaries
	joiners    word.Joiners
	ignoreCase bool
	nodes      []node
	edges      []edge
	first      [utf8.RuneSelf]int32 // the root's edges for ASCII, node 0 for none

	window int     // bytes, 0 if the text is walked character by character
	grams  grams   // in windows
	heads  heads   // what windows begin with
	all    *hashed // nil if there is no window, or they have very many lengths
}

// heads is a set of the literals' first bytes, that may say yes to a few others (B. H. Bloom,
// "Space/time trade-offs in hash coding with allowable errors", 1970, with one bit for each).
type heads struct {
	mask uint64 // of the bytes that count, eight at most
	down int    // by how many bits their hash is shifted
	bits []uint64
}

func headsOf(literals []string, window int) heads {
	h := heads{mask: 1<<(8*min(window, 8)) - 1, down: 64 - bits.Len(uint(16*len(literals)+1000))}
	if window >= 8 {
		h.mask = 1<<64 - 1
	}
	h.bits = make([]uint64, 1<<(64-h.down)/64)
	var first [8]byte
	for _, l := range literals {
		copy(first[:], l)
		at := h.hash(first[:])
		h.bits[at/64] |= 1 << (at % 64)
	}
	return h
}

// hash returns the bit of the first bytes of a text of eight bytes or more.
func (h *heads) hash(text []byte) uint64 {
	return (binary.LittleEndian.Uint64(text) & h.mask) * 0x9e3779b97f4a7c15 >> h.down
}

// may reports whether a literal may begin at text[at].
func (h *heads) may(text []byte, at int) bool {
	if at+8 > len(text) {
		return true
	}
	bit := h.hash(text[at:])
	return h.bits[bit/64]&(1<<(bit%64)) != 0
}

type node struct {
	edges, end int32 // edges[edges:end]
	which      int32 // the literal that ends here, -1 for none
}

type edge struct {
	r  rune
	to int32
}

// A Spec is the literals of a Set and the conditions for their matches.
type Spec struct {
	Literals   []string // none empty, none twice, none with a line break
	Word       bool     // at whole-word boundaries
	IgnoreCase bool
	Joiners    string
}

// New compiles a Set. Find reports literals by their index in spec.Literals.
func New(spec Spec) *Set {
	s := &Set{whole: spec.Word, joiners: word.Joiners(spec.Joiners), ignoreCase: spec.IgnoreCase}
	if !s.ignoreCase {
		s.makeWindow(spec.Literals)
	}
	if lengths := lengthsOf(spec.Literals); s.window > 0 && len(lengths) <= manyLengths {
		s.all = hashedOf(spec.Literals, lengths)
		return s
	}
	keys := make([]key, len(spec.Literals))
	for i, l := range spec.Literals {
		keys[i] = key{[]rune(l), int32(i)}
		if s.ignoreCase {
			for j, r := range keys[i].runes {
				keys[i].runes[j] = word.Fold(r)
			}
		}
	}
	slices.SortFunc(keys, func(a, b key) int { return slices.Compare(a.runes, b.runes) })
	s.grow(keys)
	for _, e := range s.edges[s.nodes[0].edges:s.nodes[0].end] {
		if e.r < utf8.RuneSelf {
			s.first[e.r] = e.to
		}
	}
	return s
}

// manyLengths is the number of lengths from which a trie is faster than a hash for each length.
const manyLengths = 64

type key struct {
	runes []rune
	which int32
}

// branch is a node whose edges are still to be made: for keys, in order, that agree on
// their first depth runes.
type branch struct {
	node  int32
	keys  []key
	depth int
}

// grow makes the trie, level by level.
func (s *Set) grow(keys []key) {
	s.nodes = append(s.nodes, node{})
	for todo := []branch{{0, keys, 0}}; len(todo) > 0; todo = todo[1:] {
		b := todo[0]
		at := &s.nodes[b.node]
		at.which, at.edges = -1, int32(len(s.edges))
		if len(b.keys) > 0 && len(b.keys[0].runes) == b.depth {
			at.which = b.keys[0].which
			b.keys = b.keys[1:]
		}
		for len(b.keys) > 0 {
			r, end := b.keys[0].runes[b.depth], 1
			for end < len(b.keys) && b.keys[end].runes[b.depth] == r {
				end++
			}
			to := int32(len(s.nodes))
			s.edges = append(s.edges, edge{r, to})
			s.nodes = append(s.nodes, node{})
			todo = append(todo, branch{to, b.keys[:end], b.depth + 1})
			b.keys = b.keys[end:]
		}
		s.nodes[b.node].end = int32(len(s.edges))
	}
}

// step follows the edge for r from node n; 0 if there is none.
func (s *Set) step(n int32, r rune) int32 {
	if n == 0 && r < utf8.RuneSelf {
		return s.first[r]
	}
	at := s.nodes[n]
	edges := s.edges[at.edges:at.end]
	if len(edges) > 8 {
		i, ok := slices.BinarySearchFunc(edges, r, func(e edge, r rune) int { return int(e.r - r) })
		if !ok {
			return 0
		}
		return edges[i].to
	}
	for _, e := range edges {
		if e.r == r {
			return e.to
		}
	}
	return 0
}

// makeWindow determines the window and what it holds.
func (s *Set) makeWindow(literals []string) {
	s.window = 255
	for _, l := range literals {
		s.window = min(s.window, len(l))
	}
	if s.window < Fewest {
		s.window = 0
		return
	}
	s.heads, s.grams = headsOf(literals, s.window), gramsOf(literals, s.window)
}

// Find calls yield with each match in text[lo:hi], whole lines, and the index of
// its literal, until yield returns false. Offsets are bytes in text.
func (s *Set) Find(text []byte, lo, hi int, yield func(start, end, which int) bool) {
	for at := lo; at < hi; {
		at = s.skip(text[:hi], at)
		if at >= hi {
			return
		}
		end, which := s.longest(text, at, hi)
		if which < 0 {
			if text[at] < utf8.RuneSelf {
				at++
				continue
			}
			_, size := utf8.DecodeRune(text[at:hi])
			at += size
			continue
		}
		if !yield(at, end, which) {
			return
		}
		at = end
	}
}

// skip returns the first offset at or after at where a literal may begin.
func (s *Set) skip(text []byte, at int) int {
	if s.window == 0 {
		for at < len(text) && text[at] < utf8.RuneSelf && s.first[foldASCII(text[at], s.ignoreCase)] == 0 {
			at++
		}
		return at
	}
	if s.all != nil && s.all.many() {
		return s.next(text, at)
	}
	return s.grams.skip(text, at, func(at int) bool { return at+s.window <= len(text) && s.begins(text, at) })
}

// begins reports whether a literal may begin at text[at].
func (s *Set) begins(text []byte, at int) bool {
	return s.heads.may(text, at) && (!s.whole || !s.joiners.Before(text, at))
}

// next is skip for a large set, for which the last bytes of a window rule out little. It stops at the starts of
// words, or at each character that begins a literal, unless fewer word characters follow than after the start of
// every literal. The classes of 32 bytes are computed as bits first, without branches.
func (s *Set) next(text []byte, at int) int {
	const words, firsts = 0x5555555555555555, 0xaaaaaaaaaaaaaaaa // which bits tell what of 32 bytes
	for last := len(text) - s.window; at <= last; {
		block := text[at:min(at+32, last+1)]
		kinds := uint64(0)
		for i, c := range block {
			kinds |= s.all.kinds[c] << (2 * i & 63)
		}
		begin := kinds & firsts
		if s.whole { // none begins behind a character of words
			begin &^= kinds & words << 3
		}
		plain := kinds&words | words<<(2*len(block)) // assume a word after the block
		for range min(s.all.plain, 8) - 1 {
			plain = plain>>2 | 1<<62
			begin &= plain << 1
		}
		for ; begin != 0; begin &= begin - 1 {
			if start := at + bits.TrailingZeros64(begin)/2; s.begins(text, start) {
				return start
			}
		}
		at += len(block)
	}
	return len(text)
}

func foldASCII(c byte, ignoreCase bool) byte {
	if ignoreCase && 'a' <= c && c <= 'z' {
		c -= 'a' - 'A'
	}
	return c
}

// longest returns the end and the index of the longest accepted literal at text[at]. The index is -1 if there is
// none.
func (s *Set) longest(text []byte, at, hi int) (end, which int) {
	which = -1
	if s.whole && s.joiners.Before(text, at) {
		return 0, which
	}
	if s.all != nil {
		for _, n := range s.all.lengths {
			if end = at + n; end > hi || s.whole && s.joiners.After(text, end) {
				continue
			}
			if which = s.all.find(text[at:end]); which >= 0 {
				break
			}
		}
		return end, which
	}
	for n, i := int32(0), at; i < hi; {
		r, size := rune(text[i]), 1
		if r >= utf8.RuneSelf {
			if r, size = utf8.DecodeRune(text[i:hi]); r == utf8.RuneError && size == 1 {
				break
			}
		}
		if s.ignoreCase {
			r = word.Fold(r)
		}
		if n = s.step(n, r); n == 0 {
			break
		}
		i += size
		if w := s.nodes[n].which; w >= 0 && (!s.whole || !s.joiners.After(text, i)) {
			end, which = i, int(w)
		}
	}
	return end, which
}
