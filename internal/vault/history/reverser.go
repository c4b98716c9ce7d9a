package history

import (
	"errors"
	"io"
	"path/filepath"
	"slices"
	"sync"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// reverser takes one run back.
type reverser struct {
	*store.Store
	record   *store.Record
	force    bool
	trust    Trust
	sameBoot bool                               // devices have the numbers that they had
	anew     func(path string, id disk.ID) bool // whether a later run made the directory
	names    *names

	path   string // of the current directory
	dir    disk.Dir
	failed error // why there is none
}

// close releases the current directory.
func (w *reverser) close() {
	if w.dir != nil {
		disk.Close(w.dir)
	}
}

// open opens a directory, unless it is the current one.
func (w *reverser) open(path string) (disk.Dir, error) {
	if path != w.path {
		w.close()
		w.path = path
		if w.dir, w.failed = w.System.OpenDir(path); w.failed != nil {
			w.dir = nil
		}
	}
	return w.dir, w.failed
}

// Why a file is left alone.
var (
	errAlready = errors.New("it is as it was already")
	errLarge   = errors.New("it has changed since, and is too large to take the run back around that; --force puts it back all the same")
	errChanged = errors.New("it has changed since; --force puts it back all the same")
	errNoDir   = errors.New("its directory is gone")
	errMoved   = errors.New("its directory is not the one that the run wrote in")
	errGone    = errors.New("it is gone; --force makes it anew")
	errOdd     = errors.New("it is a link, a directory or the like by now")
	errAnew    = errors.New("it was made anew since; --force puts it back all the same")
)

// entry returns the change that takes entry i back, or why it is left alone.
func (w *reverser) entry(i int, e *store.Entry) (*Back, error) {
	if err := w.names.stuck[i]; err != nil {
		return nil, err
	}
	b, err := w.file(e)
	if errors.Is(err, errAlready) && e.NewName != "" && e.Op == change.Rewrite { // the content is, and the name is not
		path := w.names.now(w.record, e)
		b, err = &Back{Change: change.Change{Path: path, Dir: filepath.Dir(path), Name: filepath.Base(path), In: w.dir.ID(), Op: change.Rename, Rules: e.Rules}}, nil
	}
	if err != nil {
		return nil, err
	}
	if b.Of = i; e.NewName != "" && b.Op != change.Create {
		b.NewName = e.Base()
	}
	return b, nil
}

// file returns the change that takes one file back, or why it is left alone.
func (w *reverser) file(e *store.Entry) (*Back, error) {
	path := w.names.now(w.record, e)
	at := change.Change{Path: path, Dir: string(e.Dir), Name: string(e.Name), Role: e.Role, Rules: e.Rules}
	if path != e.Absolute() {
		at.Dir, at.Name = filepath.Dir(path), filepath.Base(path)
	}
	dir, err := w.open(filepath.Dir(path))
	switch {
	case disk.Missing(err) && e.Op == change.Remove && (w.force || slices.Contains(w.record.Unmade, change.Path(filepath.Dir(path)))):
		b := &Back{Change: at}
		return b, w.missing(b, e) // the directory is made with it
	case disk.Missing(err):
		return nil, errNoDir
	case errors.Is(err, disk.ErrNotDir):
		return nil, errMoved
	case err != nil:
		return nil, err
	}
	id := dir.ID()
	at.In = id
	moved := e.In != (disk.ID{}) && (id.Inode != e.In.Inode || w.sameBoot && id.Device != e.In.Device) && !w.anew(filepath.Dir(path), id)
	b := &Back{Moved: moved, Change: at}
	name := filepath.Base(path)
	if !e.HasContent() {
		return b, w.nameOnly(b, e, dir, name)
	}
	if w.trusts(e) && !moved {
		if is, err := dir.Stat(name); err == nil && w.looksSo(e, is) {
			b.Before = e.After
			return b, w.there(b, e, nil, func() error { return nil })
		}
	}
	f, err := dir.Open(name)
	switch {
	case errors.Is(err, disk.ErrNotRegular):
		return nil, errOdd
	case disk.Missing(err) && moved && e.Op != change.Remove:
		return nil, errMoved
	case disk.Missing(err):
		b.Name = filepath.Join(filepath.Dir(b.Name), e.Base()) // made anew, it has its old name
		b.Path = filepath.Join(filepath.Dir(b.Path), e.Base())
		return b, w.missing(b, e)
	case err != nil:
		return nil, err
	}
	defer disk.Close(f)
	kept, join := w.kept(e)
	defer join()
	if b.Before, b.Print, err = change.ReadFile(f, digest.By(e.Before, e.After)); err != nil {
		return nil, err
	}
	if moved && b.Before != e.After && b.Before != e.Before { // whatever else is there is not the run's, even by force
		return nil, errMoved
	}
	return b, w.there(b, e, f, kept)
}

// trusts reports whether it is enough that a file looks as the run left it.
func (w *reverser) trusts(e *store.Entry) bool {
	return w.trust == TrustAll || w.trust == TrustLarge && e.Old.Size > long
}

// looksSo reports whether a file looks as the run left it, by all that is known of it but its
// content.
func (w *reverser) looksSo(e *store.Entry, is disk.Info) bool {
	return is.Kind == disk.Regular && e.Op == change.Rewrite && e.Modified != 0 && is.Modified == e.Modified &&
		is.Inode == e.Staged.Inode && (!w.sameBoot || is.Device == e.Staged.Device) && e.After != e.Before
}

// long is the size in bytes from which a file and its stored content are read concurrently.
const long = 4 << 20

// kept returns a function that verifies the stored content of a file. For a large file the verification has
// already begun; join waits for its end.
func (w *reverser) kept(e *store.Entry) (verify func() error, join func()) {
	if e.Op != change.Rewrite || e.Old.Size <= long && e.Edits.Size <= long || e.Edits.Digest == (digest.Digest{}) {
		return func() error { return w.Verify(w.record, e) }, func() {}
	}
	verify = sync.OnceValue(exit.Async(func() error {
		err := w.Readable(w.record, e)
		var editsErr error
		for _, err := range w.Edits(w.record, e).All() {
			editsErr = err
		}
		return errors.Join(err, editsErr)
	}))
	return verify, func() { _ = verify() }
}

// missing takes back a file that is not there.
func (w *reverser) missing(b *Back, e *store.Entry) error {
	switch {
	case e.Op == change.Create:
		return errAlready
	case e.Op == change.Rewrite && !w.force:
		return errGone
	}
	if err := w.Readable(w.record, e); err != nil {
		return err
	}
	b.Op, b.Meta, b.After = change.Create, e.Was, e.Before
	b.Edits = edit.Between{Old: edit.Empty, Fresh: w.old(e)}
	return nil
}

// old opens the old content of a file.
func (w *reverser) old(e *store.Entry) edit.Opener {
	return func() (io.ReadCloser, error) { return w.OpenOld(w.record, e) }
}

// there undoes the change of an existing file. now is the open file, or nil if it is known to be unchanged since
// the run.
func (w *reverser) there(b *Back, e *store.Entry, now disk.File, kept func() error) error {
	switch {
	case e.Op == change.Create && b.Before != e.After && !w.force:
		return errChanged
	case e.Op == change.Create:
		b.Op, b.Edits = change.Remove, edit.Between{Old: w.opener(e), Fresh: edit.Empty}
		return nil
	case b.Before == e.Before:
		return errAlready
	case e.Op == change.Remove && !w.force:
		return errAnew
	}
	if b.Later = b.Before != e.After && !w.force; b.Later {
		return w.around(b, e, now)
	}
	b.After = e.Before
	if e.Op == change.Remove || b.Before != e.After {
		b.Edits = edit.Between{Old: w.opener(e), Fresh: w.old(e)}
		return w.Readable(w.record, e)
	}
	if e.Old.Size <= long && e.Edits.Size <= long {
		old, edits, err := w.Contents(w.record, e)
		if err == nil {
			b.Edits = edits.Invert(old)
		}
		return err
	}
	b.Edits = edit.Inverse{
		Edits: w.Edits(w.record, e),
		Open:  func() (io.ReadCloser, error) { return w.PeekOld(w.record, e) },
	}
	return kept()
}

// opener returns a function that opens the current file.
func (w *reverser) opener(e *store.Entry) edit.Opener {
	path := w.names.now(w.record, e)
	return func() (io.ReadCloser, error) {
		c := change.Change{Path: path, Dir: filepath.Dir(path), Name: filepath.Base(path)}
		f, err := c.Open(w.System)
		if err != nil {
			return nil, err
		}
		return disk.Open(f), nil
	}
}
