package usecase

import (
	"io"
	"sync"

	"github.com/muesli/cancelreader"
)

// ahead reads a stream while what it read before is worked on, a few pieces ahead at most. What
// has come is there at once, however little it is.
type ahead struct {
	in      cancelreader.CancelReader
	reading sync.WaitGroup

	pieces chan piece
	free   chan []byte
	now    piece
	rest   []byte
}

type piece struct {
	text []byte
	err  error
}

// Of pieces, how many there are, and how long each may be, bytes.
const (
	pieces    = 4
	pieceSize = 256 << 10
)

func newAhead(in io.Reader) (*ahead, error) {
	a := &ahead{pieces: make(chan piece, pieces), free: make(chan []byte, pieces)}
	for range pieces {
		a.free <- make([]byte, pieceSize)
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
			a.pieces <- piece{buffer[:n], err} // for which there always is room
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
			a.free <- a.now.text[:pieceSize]
		}
		a.now = <-a.pieces
		a.rest = a.now.text
	}
	n := copy(p, a.rest)
	a.rest = a.rest[n:]
	return n, nil
}
