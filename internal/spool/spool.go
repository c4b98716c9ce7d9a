// Package spool stores data made in one pass for the next one, on disk if it is large.
//
// The central type is [Spool]: records are appended, and read again by their offsets. They stay in memory up to a
// limit; then they go to a temporary file without a name, which the kernel removes however the program
// ends.
package spool

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"sync"

	"frizzel/internal/exit"
)

// Spool is pieces of bytes. It is safe for use by several goroutines at once.
type Spool struct {
	mu   sync.Mutex
	head []byte   // not in the file yet
	file *os.File // nil while all is in head
	size int64    // bytes in the file

	blocks [8]block // of the file, read last
	oldest int      // of them
}

// block is a part of the file, that begins at a multiple of its size.
type block struct {
	number int64
	text   []byte
}

// A Ref is the position of a piece.
type Ref struct {
	at   int64
	size int
}

// held is the maximum number of bytes in memory.
const held = 1 << 20

// Append keeps a piece.
func (s *Spool) Append(piece []byte) (Ref, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	r := Ref{s.size + int64(len(s.head)), len(piece)}
	s.head = append(s.head, piece...)
	if len(s.head) < held {
		return r, nil
	}
	if s.file == nil {
		f, err := Temporary()
		if err != nil {
			return r, err
		}
		s.file = f
	}
	n, err := s.file.WriteAt(s.head, s.size)
	s.size += int64(n)
	s.head = s.head[:0]
	if err != nil {
		err = &Error{err}
	}
	return r, err
}

// An Error is the error of a temporary file: not of a file of the user's, but of the directory for temporary ones.
type Error struct{ Reason error }

// ExitStatus returns Unreadable.
func (*Error) ExitStatus() exit.Status { return exit.Unreadable }

func (e *Error) Error() string {
	reason := e.Reason
	var path *fs.PathError
	if errors.As(reason, &path) {
		reason = path.Err
	}
	return fmt.Sprintf("a temporary file in %s cannot be written: %v; set TMPDIR to a directory with more room", os.TempDir(), reason)
}

func (e *Error) Unwrap() error { return e.Reason }

// Temporary makes a file without a name, for the caller to close.
func Temporary() (*os.File, error) {
	f, err := os.CreateTemp("", "frizzel-")
	if err != nil {
		return nil, &Error{err}
	}
	return f, os.Remove(f.Name())
}

// Read reads a piece into the buffer, or a larger one.
func (s *Spool) Read(r Ref, buffer []byte) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if cap(buffer) < r.size {
		buffer = make([]byte, r.size)
	}
	buffer = buffer[:r.size]
	if r.at >= s.size {
		copy(buffer, s.head[r.at-s.size:])
		return buffer, nil
	}
	return buffer, s.read(buffer, r.at)
}

// blockSize is the number of bytes that are read at once for small pieces.
const blockSize = 64 << 10

// read reads bytes of the file.
func (s *Spool) read(buffer []byte, at int64) error {
	number, from := at/blockSize, int(at%blockSize)
	if from+len(buffer) > blockSize || len(buffer) > blockSize/4 || (number+1)*blockSize > s.size { // which may grow
		_, err := s.file.ReadAt(buffer, at)
		return err
	}
	for i := range s.blocks {
		if b := &s.blocks[i]; b.text != nil && b.number == number {
			copy(buffer, b.text[from:])
			return nil
		}
	}
	b := &s.blocks[s.oldest]
	s.oldest = (s.oldest + 1) % len(s.blocks)
	if b.text == nil {
		b.text = make([]byte, blockSize)
	}
	if _, err := s.file.ReadAt(b.text, number*blockSize); err != nil {
		b.number = -1
		return err
	}
	b.number = number
	copy(buffer, b.text[from:])
	return nil
}

// Close releases everything.
func (s *Spool) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.file != nil {
		_ = s.file.Close()
	}
	s.file, s.head = nil, nil
}
