// Package literals finds any of many texts at once, in one pass, whole words or as
// they stand.
//
// The central type is [Set].
package literals

import (
	"slices"
	"unicode/utf8"

	"frizzel/core/word"
)

// Set finds any of many literals in one pass: at each place the longest that
// stands there and is accepted, from left to right, none overlapping another. It
// is safe for use by several goroutines at once.
//
// A window of the shortest literal's length slides over the text, by as much as
// its last bytes allow (Wu and Manber, "A fast algorithm for multi-pattern
// searching", 1994); where it cannot rule a literal out, a trie finds the longest.
type Set struct {
	whole      bool // at whole-word boundaries
	joiners    word.Joiners
	ignoreCase bool
	nodes      []node
	edges      []edge
	first      [utf8.RuneSelf]int32 // the root's edges for ASCII, node 0 for none

	window int     // bytes, 0 where the text is walked character by character
	shift  []uint8 // by the hash of a window's last three bytes
}

type node struct {
	edges, end int32 // edges[edges:end]
	which      int32 // the literal that ends here, -1 for none
}

type edge struct {
	r  rune
	to int32
}

// Spec says what a Set finds.
type Spec struct {
	Literals   []string // none empty, none twice, none with a line break
	Word       bool     // at whole-word boundaries
	IgnoreCase bool
	Joiners    string
}

// New compiles a Set. Find reports literals by their index in spec.Literals.
func New(spec Spec) *Set {
	s := &Set{whole: spec.Word, joiners: word.Joiners(spec.Joiners), ignoreCase: spec.IgnoreCase}
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
	if !s.ignoreCase {
		s.makeWindow(spec.Literals)
	}
	return s
}

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

// step follows the edge for r from node n; 0 where there is none.
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

const (
	blockBytes = 3
	hashBits   = 15
)

func hash(a, b, c byte) uint32 {
	return (uint32(a) | uint32(b)<<8 | uint32(c)<<16) * 0x9e3779b1 >> (32 - hashBits)
}

// makeWindow fills the table of shifts.
func (s *Set) makeWindow(literals []string) {
	s.window = 255
	for _, l := range literals {
		s.window = min(s.window, len(l))
	}
	if s.window < blockBytes {
		s.window = 0
		return
	}
	s.shift = make([]uint8, 1<<hashBits)
	for i := range s.shift {
		s.shift[i] = uint8(s.window - blockBytes + 1)
	}
	for _, l := range literals {
		for end := blockBytes; end <= s.window; end++ {
			h := hash(l[end-3], l[end-2], l[end-1])
			s.shift[h] = min(s.shift[h], uint8(s.window-end))
		}
	}
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

// skip returns the first place at or after at where a literal may begin.
func (s *Set) skip(text []byte, at int) int {
	if s.window == 0 {
		for at < len(text) && text[at] < utf8.RuneSelf && s.first[foldASCII(text[at], s.ignoreCase)] == 0 {
			at++
		}
		return at
	}
	for end := at + s.window; end <= len(text); {
		shift := s.shift[hash(text[end-3], text[end-2], text[end-1])]
		if shift > 0 {
			end += int(shift)
			continue
		}
		start := end - s.window
		if c := text[start]; (c >= utf8.RuneSelf || s.first[c] != 0) && (!s.whole || !s.joiners.Before(text, start)) {
			return start
		}
		end++
	}
	return len(text)
}

func foldASCII(c byte, ignoreCase bool) byte {
	if ignoreCase && 'a' <= c && c <= 'z' {
		c -= 'a' - 'A'
	}
	return c
}

// longest returns the end and the index of the longest literal that stands at
// text[at] and is accepted, or -1 for the index.
func (s *Set) longest(text []byte, at, hi int) (end, which int) {
	which = -1
	if s.whole && s.joiners.Before(text, at) {
		return 0, which
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
