package literals

import (
	"hash/maphash"
	"math/bits"
	"slices"
	"unicode/utf8"

	"frizzel/core/word"
)

// hashed finds literals by their bytes.
type hashed struct {
	literals []string
	seed     maphash.Seed
	table    []int32     // 1 and the index of a literal by its hash, or by one of the next places; 0 for none
	kinds    [256]uint64 // of bytes: 1 for an ASCII character of words, 2 for one that a literal begins with
	lengths  []int       // bytes, that there are, the longest first
	plain    int         // the number of ASCII word characters that all literals begin with
}

func hashedOf(literals []string, lengths []int) *hashed {
	h := &hashed{literals: literals, lengths: lengths, seed: maphash.MakeSeed(), plain: lengths[len(lengths)-1], table: make([]int32, 1<<bits.Len(uint(2*len(literals))))}
	for c := range rune(utf8.RuneSelf) {
		if word.Is(c) {
			h.kinds[c] = 1
		}
	}
	for i, l := range literals {
		at := h.place(maphash.String(h.seed, l))
		for h.table[at] != 0 {
			at = (at + 1) & (len(h.table) - 1)
		}
		h.table[at] = int32(i + 1)
		h.kinds[l[0]] |= 2
		n := 0
		for n < len(l) && n < h.plain && h.kinds[l[n]]&1 == 1 {
			n++
		}
		h.plain = n
	}
	return h
}

// lengthsOf returns the lengths, bytes, that literals have, the longest first.
func lengthsOf(literals []string) []int {
	all := make([]int, len(literals))
	for i, l := range literals {
		all[i] = -len(l)
	}
	slices.Sort(all)
	all = slices.Compact(all)
	for i := range all {
		all[i] = -all[i]
	}
	return all
}

func (h *hashed) place(sum uint64) int { return int(sum) & (len(h.table) - 1) }

// find returns the index of a literal, or -1.
func (h *hashed) find(text []byte) int {
	for at := h.place(maphash.Bytes(h.seed, text)); h.table[at] != 0; at = (at + 1) & (len(h.table) - 1) {
		if i := h.table[at] - 1; h.literals[i] == string(text) {
			return int(i)
		}
	}
	return -1
}

// many reports whether the last bytes of a window rarely rule out a match, because there are many literals.
func (h *hashed) many() bool { return len(h.literals) > 4000 }
