// Package trailer ends a content with a line that has its digest, so that a flipped bit, a missing end or
// an addition is detected.
package trailer

import (
	"bytes"
	"errors"
	"fmt"
	"hash"
	"io"

	"frizzel/internal/digest"
)

// ErrDamaged is the error of a content that does not match its digest.
var ErrDamaged = errors.New("it is not what was written: its digest differs")

// words begin the trailer's line, and say how the digest is made; they are of one length.
var words = map[digest.Algorithm]string{digest.SHA256: "sha256 ", digest.BLAKE3: "blake3 "}

// size is the length of the trailer's line.
const size = len("sha256 ") + 2*len(digest.Digest{}.Sum) + 1

// algorithm is how the digest in a trailer's line is made.
func algorithm(line []byte) digest.Algorithm {
	if bytes.HasPrefix(line, []byte(words[digest.BLAKE3])) {
		return digest.BLAKE3
	}
	return digest.SHA256
}

// Add returns body, which must end in a newline, followed by its digest. The digest covers the name, so one
// file's content is not valid for another.
func Add(name string, body []byte) []byte {
	return append(body[:len(body):len(body)], line(name, body, digest.Fastest())...)
}

func line(name string, body []byte, by digest.Algorithm) string {
	h := by.New()
	fmt.Fprintf(h, "%s %d\n", name, len(body))
	_, _ = h.Write(body)
	return words[by] + by.Sum(h).Hex() + "\n"
}

// Cut returns the body of what Add made, or ErrDamaged.
func Cut(name string, text []byte) ([]byte, error) {
	if len(text) < size {
		return nil, ErrDamaged
	}
	body, last := text[:len(text)-size], text[len(text)-size:]
	if !bytes.Equal(last, []byte(line(name, body, algorithm(last)))) {
		return nil, ErrDamaged
	}
	return body, nil
}

// Writer passes a content on that may be too long to be held, and ends it in a digest.
type Writer struct {
	out  io.Writer
	by   digest.Algorithm
	hash hash.Hash
	size int64
}

// NewWriter returns what writes to out; the name goes into the digest.
func NewWriter(name string, out io.Writer) *Writer { return newWriter(name, out, digest.Fastest()) }

func newWriter(name string, out io.Writer, by digest.Algorithm) *Writer {
	w := &Writer{out: out, by: by, hash: by.New()}
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
	return words[w.by] + w.by.Sum(w.hash).Hex() + "\n"
}

// Check verifies the output of a Writer, of length bytes, and returns the body, or ErrDamaged.
func Check(name string, in io.ReaderAt, length int64) (*io.SectionReader, error) {
	if length < int64(size) {
		return nil, ErrDamaged
	}
	body := io.NewSectionReader(in, 0, length-int64(size))
	last := make([]byte, size)
	if _, err := in.ReadAt(last, body.Size()); err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	w := newWriter(name, io.Discard, algorithm(last))
	if _, err := io.Copy(w, body); err != nil {
		return nil, err
	}
	if string(last) != w.line() {
		return nil, ErrDamaged
	}
	_, err := body.Seek(0, io.SeekStart)
	return body, err
}
