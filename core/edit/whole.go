package edit

import (
	"bytes"
	"errors"
	"io"
	"iter"
)

// Opener opens a text to be read from its beginning.
type Opener func() (io.ReadCloser, error)

// Empty opens a text without anything in it.
func Empty() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(nil)), nil }

// Between is the edits that turn one text into another, piece by piece, for texts that may be too large for
// memory or for a comparison of lines.
type Between struct{ Old, Fresh Opener }

// Len returns 1, because the number is unknown before the texts are read.
func (Between) Len() int { return 1 }

// piece is the number of bytes of two texts that are compared at once.
const piece = 64 << 10

// All yields the edits.
func (b Between) All() iter.Seq2[Edit, error] {
	return func(yield func(Edit, error) bool) {
		old, err := b.Old()
		if err != nil {
			yield(Edit{}, err)
			return
		}
		defer func() { _ = old.Close() }()
		fresh, err := b.Fresh()
		if err != nil {
			yield(Edit{}, err)
			return
		}
		defer func() { _ = fresh.Close() }()
		before := make([]byte, piece)
		for at := 0; ; {
			after := make([]byte, piece)
			n, oldErr := io.ReadFull(old, before)
			m, freshErr := io.ReadFull(fresh, after)
			if err := errors.Join(failure(oldErr), failure(freshErr)); err != nil {
				yield(Edit{}, err)
				return
			}
			e := Edit{Start: at, End: at + n, New: after[:m]}
			if !bytes.Equal(before[:n], e.New) && !yield(e, nil) || n == 0 && m == 0 {
				return
			}
			at += n
		}
	}
}

// failure is an error of reading other than that there is no more.
func failure(err error) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return nil
	}
	return err
}

// Edited opens what edits make of a text.
func Edited(open Opener, edits Source) Opener {
	return func() (io.ReadCloser, error) {
		in, err := open()
		if err != nil {
			return nil, err
		}
		p := &pulled{in: in}
		p.next, p.stop = iter.Pull(func(yield func([]byte) bool) {
			if p.err = Rewrite(yielding(yield), in, edits); p.err == nil {
				p.err = io.EOF
			}
		})
		return p, nil
	}
}

// A pulled is a reader of a text that is written on demand.
type pulled struct {
	in   io.Closer
	next func() ([]byte, bool)
	stop func()
	some []byte
	err  error // once all was read
}

func (p *pulled) Read(b []byte) (int, error) {
	for len(p.some) == 0 {
		var ok bool
		if p.some, ok = p.next(); !ok {
			return 0, p.err
		}
	}
	n := copy(b, p.some)
	p.some = p.some[n:]
	return n, nil
}

func (p *pulled) Close() error {
	p.stop()
	return p.in.Close()
}

// errStopped ends a writing that nobody reads any more.
var errStopped = errors.New("nobody reads on")

type yielding func([]byte) bool

func (y yielding) Write(text []byte) (int, error) {
	if len(text) > 0 && !y(text) {
		return 0, errStopped
	}
	return len(text), nil
}
