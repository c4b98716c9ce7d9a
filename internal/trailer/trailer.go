// Package trailer ends a content in a line with its digest, so that what was flipped, cut
// or lengthened is noticed.
package trailer

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"io"
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

// Writer passes a content on that may be too long to be held, and ends it in a digest.
type Writer struct {
	out  io.Writer
	hash hash.Hash
	size int64
}

// NewWriter returns what writes to out; the name goes into the digest.
func NewWriter(name string, out io.Writer) *Writer {
	w := &Writer{out: out, hash: sha256.New()}
	fmt.Fprintf(w.hash, "%s\n", name)
	return w
}

// Write passes the next bytes on.
func (w *Writer) Write(text []byte) (int, error) {
	w.hash.Write(text)
	w.size += int64(len(text))
	return w.out.Write(text)
}

// Close writes the digest.
func (w *Writer) Close() error {
	_, err := io.WriteString(w.out, w.line())
	return err
}

func (w *Writer) line() string {
	fmt.Fprintf(w.hash, "%d\n", w.size)
	return word + hex.EncodeToString(w.hash.Sum(nil)) + "\n"
}

// Check reads what a Writer wrote, of length bytes in all, and returns the body, or ErrDamaged.
func Check(name string, in io.ReaderAt, length int64) (*io.SectionReader, error) {
	if length < int64(size) {
		return nil, ErrDamaged
	}
	body := io.NewSectionReader(in, 0, length-int64(size))
	w := NewWriter(name, io.Discard)
	if _, err := io.Copy(w, body); err != nil {
		return nil, err
	}
	last := make([]byte, size)
	if _, err := in.ReadAt(last, body.Size()); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	if string(last) != w.line() {
		return nil, ErrDamaged
	}
	_, err := body.Seek(0, io.SeekStart)
	return body, err
}
