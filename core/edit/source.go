package edit

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"iter"
	"slices"
	"sync"

	"frizzel/core/codec"
)

// A Source is a sequence of edits in order, possibly too many for memory: a [List], or a reader of stored edits.
// It can be read any number of times.
type Source interface {
	// All yields the edits, and an error, which ends them, if they cannot be read.
	All() iter.Seq2[Edit, error]
	// Len returns the number of edits.
	Len() int
}

// All yields the edits.
func (l List) All() iter.Seq2[Edit, error] {
	return func(yield func(Edit, error) bool) {
		for _, e := range l {
			if !yield(e, nil) {
				return
			}
		}
	}
}

// Len returns how many edits there are.
func (l List) Len() int { return len(l) }

// Gather reads all edits of a source.
func Gather(s Source) (List, error) {
	if l, ok := s.(List); ok {
		return l, nil
	}
	l := make(List, 0, s.Len())
	for e, err := range s.All() {
		if err != nil {
			return nil, err
		}
		l = append(l, e)
	}
	return l, nil
}

// ErrMisfit is the error of edits that are not in order, or reach beyond the text.
var ErrMisfit = errors.New("these edits do not fit the text")

// Rewriter is written a text to, and writes what edits make of it.
type Rewriter struct {
	out  io.Writer
	next func() (Edit, error, bool)
	stop func()
	e    Edit // the next one
	more bool
	at   int // bytes of the text so far
	gone int // end of the deleted range
}

// NewRewriter returns what writes to out. It is closed once all of the text was written.
func NewRewriter(out io.Writer, edits Source) (*Rewriter, error) {
	w := &Rewriter{out: out}
	w.next, w.stop = iter.Pull2(edits.All())
	return w, w.pull()
}

// pull takes the next edit.
func (w *Rewriter) pull() error {
	end := w.e.End
	var err error
	if w.e, err, w.more = w.next(); err == nil && w.more && (w.e.Start < end || w.e.End < w.e.Start) {
		err = ErrMisfit
	}
	return err
}

// Write takes the next bytes of the text.
func (w *Rewriter) Write(text []byte) (int, error) {
	for rest := text; len(rest) > 0; {
		n := len(rest)
		if w.more && w.e.Start < w.at+n && w.at >= w.gone {
			n = w.e.Start - w.at
		}
		if w.at < w.gone {
			n = min(n, w.gone-w.at)
		} else if _, err := w.out.Write(rest[:n]); err != nil {
			return 0, err
		}
		w.at, rest = w.at+n, rest[n:]
		if len(rest) > 0 && w.at >= w.gone && w.more && w.e.Start == w.at {
			if err := w.make(); err != nil {
				return 0, err
			}
		}
	}
	return len(text), nil
}

// make writes the text of the next edit.
func (w *Rewriter) make() error {
	_, err := w.out.Write(w.e.New)
	w.gone = w.e.End
	return errors.Join(err, w.pull())
}

// Stop ends the writing before the text's end.
func (w *Rewriter) Stop() { w.stop() }

// Close writes the edits at the text's end. The error is ErrMisfit if edits reach beyond it.
func (w *Rewriter) Close() error {
	defer w.stop()
	for w.more && w.e.Start == w.at && w.at >= w.gone {
		if err := w.make(); err != nil {
			return err
		}
	}
	if w.more || w.gone > w.at {
		return ErrMisfit
	}
	return nil
}

// copyBuffers are used again and again, since most texts are far shorter than one.
var copyBuffers = sync.Pool{New: func() any { return new([64 << 10]byte) }}

// Rewrite writes what edits make of the text that in reads.
func Rewrite(out io.Writer, in io.Reader, edits Source) error {
	b := bufio.NewWriter(out)
	w, err := NewRewriter(b, edits)
	if err == nil {
		buffer := copyBuffers.Get().(*[64 << 10]byte)
		defer copyBuffers.Put(buffer)
		_, err = io.CopyBuffer(struct{ io.Writer }{w}, struct{ io.Reader }{in}, buffer[:])
	}
	if err == nil {
		err = w.Close()
	} else {
		w.Stop()
	}
	return errors.Join(err, b.Flush())
}

// Inverse is the edits that take others back.
type Inverse struct {
	Edits Source
	Open  Opener // reads the text that the edits are against
}

// Len returns how many edits there are.
func (i Inverse) Len() int { return i.Edits.Len() }

// All yields the inverse edits, which are against the edited text.
func (i Inverse) All() iter.Seq2[Edit, error] {
	return func(yield func(Edit, error) bool) {
		file, err := i.Open()
		if err != nil {
			yield(Edit{}, err)
			return
		}
		defer func() { _ = file.Close() }()
		text, at, shift := bufio.NewReaderSize(file, 256<<10), 0, 0
		for e, err := range i.Edits.All() {
			if err == nil && (e.Start < at || e.End < e.Start) {
				err = ErrMisfit
			}
			var old []byte
			if err == nil {
				_, err = text.Discard(e.Start - at)
			}
			if err == nil {
				old, err = readBytes(text, int64(e.End-e.Start))
			}
			if err != nil {
				yield(Edit{}, err)
				return
			}
			back := Edit{Start: e.Start + shift, End: e.Start + shift + len(e.New), New: old, Rules: e.Rules}
			if !yield(back, nil) {
				return
			}
			at, shift = e.End, shift+len(e.New)-(e.End-e.Start)
		}
	}
}

// maxEdits is the maximum number of edits in an encoded piece.
const maxEdits = 1024

// Append appends edits to dst as Write writes them.
func Append(dst []byte, edits Source) ([]byte, error) {
	if l, ok := edits.(List); ok && len(l) > 0 && len(l) <= maxEdits {
		body := l.Encode(make([]byte, 0, 64)) // as much as a change of a word takes
		dst = binary.AppendUvarint(slices.Grow(dst, len(body)+binary.MaxVarintLen32), uint64(len(body)))
		return append(dst, body...), nil
	}
	out := bytes.NewBuffer(dst)
	err := Write(out, edits)
	return out.Bytes(), err
}

// Write writes edits as Read reads them, a bounded number of them at once.
func Write(out io.Writer, edits Source) error {
	var some List
	var text []byte
	size := 0
	flush := func() error {
		if len(some) == 0 {
			return nil
		}
		body := some.Encode(nil)
		text = append(binary.AppendUvarint(text[:0], uint64(len(body))), body...)
		some, size = some[:0], 0
		_, err := out.Write(text)
		return err
	}
	for e, err := range edits.All() {
		if err != nil {
			return err
		}
		some, size = append(some, e), size+len(e.New)
		if len(some) == maxEdits || size > 1<<20 {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return flush()
}

// Read reads what Write wrote, and yields the edits.
func Read(in io.Reader) iter.Seq2[Edit, error] {
	return func(yield func(Edit, error) bool) {
		r := bufio.NewReader(in)
		for {
			size, err := binary.ReadUvarint(r)
			if err == io.EOF {
				return
			}
			var some List
			if err == nil && size > 1<<40 {
				err = codec.ErrInvalid
			}
			if err == nil {
				some, err = readList(r, int64(size))
			}
			if err != nil {
				yield(Edit{}, err)
				return
			}
			for _, e := range some {
				if !yield(e, nil) {
					return
				}
			}
		}
	}
}

// ReadAll reads all edits of what Write wrote; their texts share those bytes.
func ReadAll(text []byte) (List, error) {
	var all List
	for len(text) > 0 {
		size, n := binary.Uvarint(text)
		if n <= 0 || size > uint64(len(text)-n) {
			return nil, codec.ErrInvalid
		}
		some, err := Decode(text[n : n+int(size) : n+int(size)])
		if err != nil {
			return nil, err
		}
		if text = text[n+int(size):]; all == nil {
			all = some
		} else {
			all = append(all, some...)
		}
	}
	return all, nil
}

// readList reads a list of size bytes; the error is that of a missing end.
func readList(r io.Reader, size int64) (List, error) {
	body, err := readBytes(r, size)
	if err != nil {
		return nil, err
	}
	return Decode(body)
}

// shortText is the maximum length in bytes that is allocated before the bytes are read.
const shortText = 64 << 10

// readBytes reads size bytes, which may be missing: no more room is made than for those that
// are.
func readBytes(r io.Reader, size int64) ([]byte, error) {
	if size <= shortText {
		text := make([]byte, size)
		_, err := io.ReadFull(r, text)
		return text, err
	}
	text, err := io.ReadAll(io.LimitReader(r, size))
	if err == nil && int64(len(text)) < size {
		err = io.ErrUnexpectedEOF
	}
	return text, err
}
