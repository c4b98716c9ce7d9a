package literals

import "encoding/binary"

// grams are the byte sequences of 3 or 4 bytes in the literals' windows, their first bytes up to the shortest one's
// length. If literals are looked for at every stride-th byte of a text only, each place where one may begin still has
// exactly one gram of it examined (L. Salmela, J. Tarhio and J. Kytöjoki, "Multi-pattern string matching with q-grams",
// ACM Journal of Experimental Algorithmics 11, 2006). Unlike shifts, by which one look decides where the next one is, the
// looks do not wait for each other.
//
// The set of grams is one bit for each hash, so it may say yes to a few others.
type grams struct {
	size, stride int    // bytes
	mask         uint32 // of the bytes of four that count
	bits         *[1 << gramBits / 64]uint64
}

// gramBits is the number of bits of a hash. Their table takes 32 KiB, which the first cache of most processors has room for.
const gramBits = 18

// Fewest is the length in bytes of the shortest literal from which a text need not be walked character by character.
const Fewest = 3

func gramsOf(literals []string, window int) grams {
	g := grams{size: 3, mask: 1<<24 - 1}
	if window > 5 && len(literals) > 50 { // many grams of three bytes are in most texts
		g.size, g.mask = 4, 1<<32-1
	}
	g.stride = window - g.size + 1
	g.bits = new([1 << gramBits / 64]uint64)
	var four [4]byte
	for _, l := range literals {
		for at := range g.stride {
			copy(four[:], l[at:at+g.size])
			h := gramHash(binary.LittleEndian.Uint32(four[:]) & g.mask)
			g.bits[h/64] |= 1 << (h % 64)
		}
	}
	return g
}

func gramHash(gram uint32) uint32 { return gram * 0x9e3779b1 >> (32 - gramBits) }

// may reports whether text[at:] may begin with a gram. It reads four bytes.
func (g *grams) may(text []byte, at int) bool {
	h := gramHash(binary.LittleEndian.Uint32(text[at:]) & g.mask)
	return g.bits[h/64]>>(h%64)&1 != 0
}

// skip returns the first offset at or after at where begins accepts a literal's beginning, len(text) if there is none.
// It asks only where a gram allows it.
func (g *grams) skip(text []byte, at int, begins func(at int) bool) int {
	last := len(text) - 4
	among := func(gram int) int { // the literals of which this is the gram that is examined
		for start := gram - g.stride + 1; start <= gram; start++ {
			if begins(start) {
				return start
			}
		}
		return -1
	}
	bits, mask, stride := g.bits, g.mask, g.stride
	gram := at + stride - 1
	for ; gram+3*stride <= last; gram += 4 * stride {
		h0 := gramHash(binary.LittleEndian.Uint32(text[gram:]) & mask)
		h1 := gramHash(binary.LittleEndian.Uint32(text[gram+stride:]) & mask)
		h2 := gramHash(binary.LittleEndian.Uint32(text[gram+2*stride:]) & mask)
		h3 := gramHash(binary.LittleEndian.Uint32(text[gram+3*stride:]) & mask)
		if (bits[h0/64]>>(h0%64)|bits[h1/64]>>(h1%64)|bits[h2/64]>>(h2%64)|bits[h3/64]>>(h3%64))&1 == 0 {
			continue
		}
		for i := range 4 {
			if g.may(text, gram+i*stride) {
				if start := among(gram + i*stride); start >= 0 {
					return start
				}
			}
		}
	}
	for ; gram <= len(text)-g.size; gram += g.stride {
		if gram > last || g.may(text, gram) {
			if start := among(gram); start >= 0 {
				return start
			}
		}
	}
	return len(text)
}
