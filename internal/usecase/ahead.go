package usecase

import (
	"io"
	"sync"

	"github.com/muesli/cancelreader"
)

// ahead reads a stream while what it read before is worked on, a few chunks ahead at most. What
// has come is there at once, however little it is.
type ahead struct {
	in      cancelreader.CancelReader
	reading sync.WaitGroup

	chunks chan chunk
	free   chan []byte
	now    chunk
	rest   []byte
}

type chunk struct {
	text []byte
	err  error
}

// Of chunks, how many there are, and how long each may be, bytes.
const (
	chunks    = 4
	chunkSize = 256 << 10
)

func newAhead(in io.Reader) (*ahead, error) {
	a := &ahead{chunks: make(chan chunk, chunks), free: make(chan []byte, chunks)}
	for range chunks {
		a.free <- make([]byte, chunkSize)
	}
	var err error
	if a.in, err = cancelreader.NewReader(in); err != nil { // a regular file, which is never waited for
		if a.in, err = cancelreader.NewReader(struct{ io.Reader }{in}); err != nil {
			return nil, err
		}
	}
	a.reading.Go(func() {
		for buffer := range a.free {
			n, err := a.in.Read(buffer)
			a.chunks <- chunk{buffer[:n], err} // for which there always is room
			if err != nil {
				return
			}
		}
	})
	return a, nil
}

// stop ends the reading. A read of what cannot be interrupted, as of a regular file, is waited for.
func (a *ahead) stop() {
	a.in.Cancel()
	close(a.free)
	a.reading.Wait()
	_ = a.in.Close()
}

// Read returns what has come.
func (a *ahead) Read(p []byte) (int, error) {
	for len(a.rest) == 0 {
		if a.now.err != nil {
			return 0, a.now.err
		}
		if a.now.text != nil {
			a.free <- a.now.text[:chunkSize]
		}
		a.now = <-a.chunks
		a.rest = a.now.text
	}
	n := copy(p, a.rest)
	a.rest = a.rest[n:]
	return n, nil
}
