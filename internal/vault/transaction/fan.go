package transaction

import (
	"errors"
	"io"
	"sync"
	"sync/atomic"
)

// A fan passes written data through several steps, which run concurrently. Each step receives all data in order;
// the steps are at most a few portions apart.
type fan struct {
	size  int // bytes of a portion
	free  chan *portion
	full  []chan *portion // of each step
	at    *portion        // being filled, or nil
	made  int             // portions
	steps sync.WaitGroup

	failed   atomic.Bool // so that further bytes are discarded
	once     sync.Once
	err      error // the first one, once failed
	panicked any
}

// portion is some bytes on their way.
type portion struct {
	bytes []byte
	steps atomic.Int32 // that are not done with them
}

// portions is the number of a fan's portions.
const portions = 4

// newFan returns a fan for portions of size bytes, to be closed.
func newFan(size int, steps ...func([]byte) error) *fan {
	f := &fan{size: max(size, 1), free: make(chan *portion, portions)}
	for _, step := range steps {
		full := make(chan *portion, portions)
		f.full = append(f.full, full)
		f.steps.Go(func() {
			for p := range full {
				f.take(p, step)
			}
		})
	}
	return f
}

// take takes a portion through one step.
func (f *fan) take(p *portion, step func([]byte) error) {
	defer func() {
		if r := recover(); r != nil {
			f.fail(nil, r)
		}
		if p.steps.Add(-1) == 0 {
			f.free <- p
		}
	}()
	if f.failed.Load() {
		return
	}
	if err := step(p.bytes); err != nil {
		f.fail(err, nil)
	}
}

func (f *fan) fail(err error, panicked any) {
	f.once.Do(func() {
		f.err, f.panicked = err, panicked
		f.failed.Store(true)
	})
}

// errFailed ends the writing to a fan after a step failed.
var errFailed = errors.New("a step failed")

// next makes sure that there is a portion with room.
func (f *fan) next() error {
	if f.failed.Load() {
		return errFailed
	}
	switch {
	case f.at != nil:
		return nil
	case f.made < portions:
		select {
		case f.at = <-f.free:
		default:
			f.made++
			f.at = &portion{bytes: make([]byte, 0, f.size)}
		}
	default:
		f.at = <-f.free
	}
	f.at.bytes = f.at.bytes[:0]
	return nil
}

// pass sends the current portion to all steps.
func (f *fan) pass() {
	p := f.at
	f.at = nil
	p.steps.Store(int32(len(f.full)))
	for _, full := range f.full {
		full <- p
	}
}

// Write copies bytes and passes them to the steps.
func (f *fan) Write(text []byte) (int, error) {
	for rest := text; len(rest) > 0; {
		if err := f.next(); err != nil {
			return 0, err
		}
		n := min(len(rest), f.size-len(f.at.bytes))
		f.at.bytes = append(f.at.bytes, rest[:n]...)
		if rest = rest[n:]; len(f.at.bytes) == f.size {
			f.pass()
		}
	}
	return len(text), nil
}

// readAll takes all that in reads.
func (f *fan) readAll(in io.Reader) error {
	for {
		if err := f.next(); err != nil {
			return err
		}
		n, err := io.ReadFull(in, f.at.bytes[:f.size])
		if f.at.bytes = f.at.bytes[:n]; n > 0 {
			f.pass()
		}
		switch {
		case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
			return nil
		case err != nil:
			return err
		}
	}
}

// close waits for all steps, and returns the first error of one.
func (f *fan) close() error {
	if f.at != nil && len(f.at.bytes) > 0 && !f.failed.Load() {
		f.pass()
	}
	for _, full := range f.full {
		close(full)
	}
	f.steps.Wait()
	if f.panicked != nil {
		panic(f.panicked)
	}
	return f.err
}
