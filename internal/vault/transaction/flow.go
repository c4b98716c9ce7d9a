package transaction

import (
	"errors"
	"hash"
	"io"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/progress"
	"frizzel/internal/vault/store"
)

// A flow reads a file's old content once and writes it to the backup, and through the edits to the new
// one: whatever its size, no more than a few chunks of it are held.
type flow struct {
	old    io.Reader
	size   int64 // about
	change *change.Change
	backup *store.Backup   // nil if the old content is kept already
	done   *progress.Meter // nil to tell nobody

	// What came of it.
	before, after digest.Digest
	print         change.Print
	blob          store.Blob
}

// readAtOnce is the size in bytes of the portions of a content: while the disk writes one portion, the other steps
// process the next ones.
const readAtOnce = 1 << 20

// by is how its digests are made.
func (f *flow) by() digest.Algorithm { return digest.By(f.change.Before, f.change.After) }

// to writes the new content to out, nil if there is to be none.
func (f *flow) to(out io.Writer) error {
	f.before = f.change.Before
	var print change.Printing
	steps := []func([]byte) error{func(portion []byte) error {
		_, err := print.Write(portion)
		f.done.Add(2 * int64(len(portion)) / stages) // read, and backed up
		return err
	}}
	before := f.by().New()
	unknown := f.change.Print == (change.Print{}) || f.before == (digest.Digest{}) // else the print tells it
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
	f.print = print.Print()
	if unknown {
		f.before = f.by().Sum(before)
	}
	if fresh != nil {
		err = fresh.end(err)
		f.after = f.by().Sum(fresh.hash)
	}
	return err
}

// backedUp takes the old content through the steps, and to the backup unless it is kept already.
func (f *flow) backedUp(steps []func([]byte) error) error {
	if f.backup == nil {
		return f.through(steps)
	}
	piece, err := f.backup.Begin(f.size)
	if err == nil {
		err = f.through(append(steps, writing(piece)))
	}
	var endErr error
	f.blob, endErr = piece.End()
	return errors.Join(err, endErr)
}

// through reads the old content and passes it through all steps.
func (f *flow) through(steps []func([]byte) error) error {
	all := newFan(int(min(readAtOnce, f.size+1)), steps...)
	err := all.readAll(f.old)
	if failed := all.close(); failed != nil {
		return failed
	}
	return err
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
	out  *fan
	hash hash.Hash
}

func (f *flow) rewriting(out io.Writer) (*rewriting, error) {
	r := &rewriting{hash: f.by().New()}
	r.out = newFan(int(min(readAtOnce/2, f.size+4096)), func(text []byte) error {
		_, err := out.Write(text)
		f.done.Add(int64(len(text)) / stages)
		return err
	}, hashing(r.hash))
	var err error
	if r.Rewriter, err = edit.NewRewriter(r.out, f.change.Edits); err != nil {
		err = errors.Join(err, r.out.close())
	}
	return r, err
}

// end writes the rest, unless an error ended the writing, and returns the first error.
func (r *rewriting) end(err error) error {
	if err == nil {
		err = r.Close()
	} else {
		r.Stop()
	}
	if failed := r.out.close(); failed != nil {
		return failed
	}
	return err
}
