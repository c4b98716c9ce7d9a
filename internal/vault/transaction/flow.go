package transaction

import (
	"bufio"
	"crypto/sha256"
	"errors"
	"hash"
	"io"
	"sync"
	"sync/atomic"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/progress"
	"frizzel/internal/vault/store"
)

// flow is a file's old content on its way, once, to the backup, and through the edits to the new
// one: whatever its size, no more than a few chunks of it are held.
type flow struct {
	old    io.Reader
	size   int64 // about
	change *change.Change
	backup *store.Backup   // nil where the old content is kept already
	done   *progress.Meter // nil to tell nobody

	// What came of it.
	before, after change.Digest
	print         change.Print
	blob          store.Blob
}

// chunks are read while those before them are still on their way.
const chunks = 2

// to writes the new content to out, nil where there is to be none.
func (f *flow) to(out io.Writer) error {
	f.print, f.before = change.Print{}, f.change.Before
	steps := []func([]byte) error{func(chunk []byte) error {
		f.print = f.print.With(change.SumOf(chunk), len(chunk))
		return nil
	}}
	before := sha256.New()
	unknown := f.change.Print == (change.Print{}) || f.before == (change.Digest{}) // else the print tells it
	if unknown {
		steps = append(steps, hashing(before))
	}
	var fresh *rewriting
	if out != nil {
		var err error
		if fresh, err = f.rewriting(out); err != nil {
			return err
		}
		steps = append(steps, writing(fresh))
	}
	err := f.backedUp(steps)
	if unknown {
		f.before = change.Digest(before.Sum(nil))
	}
	if fresh == nil || err != nil {
		return err
	}
	err = fresh.close()
	f.after = change.Digest(fresh.hash.Sum(nil))
	return err
}

// backedUp takes the old content through the steps, and to the backup unless it is kept already.
func (f *flow) backedUp(steps []func([]byte) error) error {
	if f.backup == nil {
		return f.chunks(steps)
	}
	piece, err := f.backup.Begin(f.size)
	if err == nil {
		err = f.chunks(append(steps, writing(piece)))
	}
	var endErr error
	f.blob, endErr = piece.End()
	return errors.Join(err, endErr)
}

// chunks reads the old content, and takes each chunk through all steps at once.
func (f *flow) chunks(steps []func([]byte) error) error {
	free, full := make(chan []byte, chunks), make(chan []byte, chunks)
	for range chunks {
		free <- nil
	}
	var readErr error
	over := make(chan struct{})
	var panicked any
	go func() {
		defer close(full)
		defer func() { panicked = recover() }()
		for {
			var chunk []byte
			select {
			case chunk = <-free:
			case <-over:
				return
			}
			if chunk == nil {
				chunk = make([]byte, min(change.ChunkSize, f.size+1))
			}
			n, err := io.ReadFull(f.old, chunk[:cap(chunk)])
			full <- chunk[:n]
			if err != nil {
				if !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
					readErr = err
				}
				return
			}
		}
	}()
	defer func() {
		close(over)
		for range full { // until nothing reads any more
		}
	}()
	for chunk := range full {
		if err := atOnce(chunk, steps); err != nil {
			return err
		}
		f.done.Add(2 * int64(len(chunk)) / stages) // read, and backed up
		free <- chunk
	}
	if panicked != nil {
		panic(panicked)
	}
	return readErr
}

// worthwhile is from how many bytes on steps are taken at once.
const worthwhile = 32 << 10

// atOnce takes a chunk through all steps, each by itself.
func atOnce(chunk []byte, steps []func([]byte) error) error {
	if len(chunk) < worthwhile {
		for _, step := range steps {
			if err := step(chunk); err != nil {
				return err
			}
		}
		return nil
	}
	errs := make([]error, len(steps))
	var all sync.WaitGroup
	var panicked atomic.Value
	for i, step := range steps[1:] {
		all.Go(func() {
			defer func() {
				if r := recover(); r != nil {
					panicked.Store(r)
				}
			}()
			errs[i+1] = step(chunk)
		})
	}
	errs[0] = steps[0](chunk)
	all.Wait()
	if r := panicked.Load(); r != nil { // it goes on where somebody may wait for it
		panic(r)
	}
	return errors.Join(errs...)
}

func hashing(h hash.Hash) func([]byte) error {
	return func(chunk []byte) error { h.Write(chunk); return nil }
}

func writing(out io.Writer) func([]byte) error {
	return func(chunk []byte) error { _, err := out.Write(chunk); return err }
}

// rewriting makes the new content, and its digest.
type rewriting struct {
	*edit.Rewriter
	out  *bufio.Writer
	file io.Writer
	hash hash.Hash
	done *progress.Meter
}

func (f *flow) rewriting(out io.Writer) (*rewriting, error) {
	r := &rewriting{file: out, hash: sha256.New(), done: f.done}
	r.out = bufio.NewWriterSize(fresh{r}, int(min(change.ChunkSize/4, f.size+4096)))
	var err error
	r.Rewriter, err = edit.NewRewriter(r.out, f.change.Edits)
	return r, err
}

func (r *rewriting) close() error { return errors.Join(r.Rewriter.Close(), r.out.Flush()) }

// fresh takes the new content.
type fresh struct{ *rewriting }

func (f fresh) Write(text []byte) (int, error) {
	err := atOnce(text, []func([]byte) error{writing(f.file), hashing(f.hash)})
	f.done.Add(int64(len(text)) / stages)
	return len(text), err
}
