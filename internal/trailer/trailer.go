// Package trailer ends a content in a line with its digest, so that what was flipped, cut
// or lengthened is noticed.
package trailer

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
)

// ErrDamaged is the reason where a content is not what was written.
var ErrDamaged = errors.New("it is not what was written: its digest differs")

const word = "sha256 "

// size is the length of the trailer's line.
const size = len(word) + 2*sha256.Size + 1

// Add returns body, which ends in a line feed, with its digest behind it. The name goes
// into the digest, so that no content stands for another.
func Add(name string, body []byte) []byte {
	return append(body[:len(body):len(body)], line(name, body)...)
}

func line(name string, body []byte) string {
	h := sha256.New()
	fmt.Fprintf(h, "%s %d\n", name, len(body))
	_, _ = h.Write(body)
	return word + hex.EncodeToString(h.Sum(nil)) + "\n"
}

// Cut returns the body of what Add made, or ErrDamaged.
func Cut(name string, text []byte) ([]byte, error) {
	if len(text) < size {
		return nil, ErrDamaged
	}
	body, last := text[:len(text)-size], text[len(text)-size:]
	if !bytes.Equal(last, []byte(line(name, body))) {
		return nil, ErrDamaged
	}
	return body, nil
}
