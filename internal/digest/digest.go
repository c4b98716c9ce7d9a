// Package digest tells contents apart by sums that nobody can make two contents with.
package digest

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"strings"

	"github.com/zeebo/blake3"
	"golang.org/x/sys/cpu"
)

// Algorithm is how a digest is made. All give 32 bytes, and nobody can make two contents with one
// digest.
type Algorithm byte

// The algorithms, by the numbers that they have in records.
const (
	SHA256 Algorithm = 1 // FIPS 180-4
	BLAKE3 Algorithm = 2 // J. O'Connor and others, "BLAKE3: one function, fast everywhere", 2020
)

// Fastest is the algorithm that takes the least time on this machine: with wide vectors BLAKE3 is
// several times as fast as SHA-256, and without them slower than what the processor has for that.
// Tests take the other one as well.
var Fastest = func() Algorithm {
	if cpu.X86.HasAVX2 {
		return BLAKE3
	}
	return SHA256
}()

// New returns what makes a digest of what is written to it; Sum returns it.
func (a Algorithm) New() hash.Hash {
	if a == BLAKE3 {
		return blake3.New()
	}
	return sha256.New()
}

// Of returns the digest of a content.
func (a Algorithm) Of(content []byte) Digest {
	if a == BLAKE3 {
		return Digest{a, blake3.Sum256(content)}
	}
	return Digest{a, sha256.Sum256(content)}
}

// Sum returns the digest of what was written to what New returned.
func (a Algorithm) Sum(h hash.Hash) Digest {
	d := Digest{By: a}
	h.Sum(d.Sum[:0])
	return d
}

// Digest tells a content from all others, on any machine and at any time. The two of a change, of
// what a file was and of what it becomes, are made in the same way, so that either can be held
// against what the file is. The zero value is that of nothing known.
type Digest struct {
	By  Algorithm
	Sum [sha256.Size]byte
}

// Of returns the digest of a content, made in the way that is fastest here.
func Of(content []byte) Digest { return Fastest.Of(content) }

// Fits reports whether a content is the one that the digest is of; where nothing is known any is.
func (d Digest) Fits(content []byte) bool { return d == (Digest{}) || d.By.Of(content) == d }

// By is how the first of the digests that is known was made, and where none is, the way that is
// fastest here: other digests that are to be held against these are made like that.
func By(digests ...Digest) Algorithm {
	for _, d := range digests {
		if d != (Digest{}) {
			return d.By
		}
	}
	return Fastest
}

// prefix stands before the hexadecimal digits of a digest.
func (a Algorithm) prefix() string {
	if a == BLAKE3 {
		return "blake3:"
	}
	return ""
}

// Hex gives the hexadecimal digits of the digest.
func (d Digest) Hex() string { return hex.EncodeToString(d.Sum[:]) }

// MarshalText gives the digest in hexadecimal digits, after the name of its algorithm unless that
// is SHA-256, which was the only one once.
func (d Digest) MarshalText() ([]byte, error) { return []byte(d.By.prefix() + d.Hex()), nil }

// UnmarshalText reads what MarshalText gives.
func (d *Digest) UnmarshalText(text []byte) error {
	digits, isBLAKE3 := strings.CutPrefix(string(text), BLAKE3.prefix())
	if d.By = SHA256; isBLAKE3 {
		d.By = BLAKE3
	}
	if hex.DecodedLen(len(digits)) != len(d.Sum) {
		return fmt.Errorf("a digest of %d characters", len(text))
	}
	_, err := hex.Decode(d.Sum[:], []byte(digits))
	if d.Sum == (Digest{}).Sum {
		*d = Digest{}
	}
	return err
}
