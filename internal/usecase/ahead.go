package usecase

import (
	"io"
	"sync"

	"github.com/muesli/cancelreader"
)

// An ahead reads a stream concurrently with its processing, at most a few chunks ahead. It never waits for a chunk
// to be full.
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

// The number of chunks, and their size in bytes.
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
	if a.in, err = cancelreader.NewReader(in); err != nil { // a regular file, on which reads do not block
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

// Read returns the bytes that have arrived. It waits if there are none.
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
