// Package history is what became of runs: which files are taken back by now, what takes a
// run back, and whether what is kept of it still is what was written.
//
// The central function is [Reverse]: from a run it makes the changes that take it back, to
// be shown, asked about and written like any others.
package history

import (
	"errors"
	"fmt"
	"hash/maphash"
	"io"
	"path/filepath"
	"runtime"
	"sync"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// ErrNothing is returned where there is no run to take back.
var ErrNothing = errors.New("there is no run to take back")

// Last returns the last run of the kind that was not taken back whole: the one that
// an undo of an Apply, or a redo of an Undo, is about.
func Last(records []*store.Record, kind store.Kind) (*store.Record, error) {
	undone, err := undoneFiles(records)
	if err != nil {
		return nil, err
	}
	for i := len(records) - 1; i >= 0; i-- {
		if r := records[i]; r.State().Succeeded() && r.Kind == kind && len(undone[r.ID]) < r.Files.Len() {
			return r, nil
		}
	}
	return nil, ErrNothing
}

// UndoOf returns the last run that took a run back and was not taken back in turn, or
// ErrNothing.
func UndoOf(records []*store.Record, r *store.Record) (*store.Record, error) {
	undone, err := undoneFiles(records)
	if err != nil {
		return nil, err
	}
	for i := len(records) - 1; i >= 0; i-- {
		if u := records[i]; u.State().Succeeded() && u.Undoes == r.ID && len(undone[u.ID]) < u.Files.Len() {
			return u, nil
		}
	}
	return nil, ErrNothing
}

// Undone returns how many files of each run have been taken back, by its ID.
func Undone(records []*store.Record) (map[string]int, error) {
	undone, err := undoneFiles(records)
	counts := map[string]int{}
	for id, files := range undone {
		counts[id] = len(files)
	}
	return counts, err
}

// paths are paths by their sums, since they may be many.
type paths map[[2]uint64]struct{}

var seeds = [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()}

func sumOf(path string) [2]uint64 {
	return [2]uint64{maphash.String(seeds[0], path), maphash.String(seeds[1], path)}
}

func (p paths) has(path string) bool { _, ok := p[sumOf(path)]; return ok }

// undoneFiles returns the files of each run that have been taken back, by a run that
// has not been taken back in turn.
func undoneFiles(records []*store.Record) (map[string]paths, error) {
	undone := map[string]paths{}
	for i := len(records) - 1; i >= 0; i-- {
		r := records[i]
		if !r.State().Succeeded() || r.Undoes == "" {
			continue
		}
		if undone[r.Undoes] == nil {
			undone[r.Undoes] = paths{}
		}
		for path, err := range r.Files.Paths() {
			if err != nil {
				return nil, err
			}
			if !undone[r.ID].has(path) {
				undone[r.Undoes][sumOf(path)] = struct{}{}
			}
		}
	}
	return undone, nil
}

// LeftBy reports of a path and a content's digest whether one of the runs left that there:
// an old content beside a new one, or a changed copy. The records are read when it is
// first asked.
func LeftBy(s *store.Store) func(path string, content change.Digest) bool {
	var left map[string][]change.Digest
	return func(path string, content change.Digest) bool {
		if left == nil {
			left = map[string][]change.Digest{}
			records, _, _ := s.Runs()
			for _, r := range records {
				for e, err := range r.Files.All() {
					if err == nil && e.Role != change.Target && r.State().Succeeded() {
						left[e.Absolute()] = append(left[e.Absolute()], e.After)
					}
				}
			}
		}
		for _, digest := range left[path] {
			if digest == content {
				return true
			}
		}
		return false
	}
}

// Reversal says what of a run is to be taken back.
type Reversal struct {
	Paths []string // absolute files and folders; none is all of the run
	// Force takes back files that have changed since, too, whose present content is
	// lost from there.
	Force bool
	// Trusting takes a large file that looks as the run left it for just that, and what is kept of
	// it for what was put there. Whoever writes it finds out, and writes nothing.
	Trusting bool
}

// Back is a change that takes a file of a run back.
type Back struct {
	change.Change
	// Later says that the file has changed since, and what the run changed is taken
	// back around that.
	Later bool
}

// Reverse calls take with each change that takes a run back, and returns the files that are
// left alone, and how many are as they were already. records are all runs.
func Reverse(s *store.Store, records []*store.Record, r *store.Record, how Reversal, take func(*Back) error) (left []store.Left, already int, err error) {
	all, err := undoneFiles(records)
	if err != nil {
		return nil, 0, err
	}
	undone := all[r.ID]
	var some []*store.Entry
	flush := func() error {
		backs, reasons := make([]*Back, len(some)), make([]error, len(some))
		each(len(some), func(from, to int) {
			w := reverser{Store: s, record: r, force: how.Force, trusting: how.Trusting, sameBoot: r.Boot == disk.Boot()}
			defer w.close()
			for i := from; i < to; i++ {
				backs[i], reasons[i] = w.file(some[i])
			}
		})
		for i, e := range some {
			switch reason := reasons[i]; {
			case errors.Is(reason, errAlready):
				already++
			case reason != nil:
				left = append(left, store.Left{Path: change.Path(e.Absolute()), Reason: reason.Error()})
			default:
				if err := take(backs[i]); err != nil {
					return err
				}
			}
		}
		some = some[:0]
		return nil
	}
	for e, err := range r.Files.All() {
		if err != nil {
			return left, already, err
		}
		if undone.has(e.Absolute()) || !touched(e, how.Paths) {
			continue
		}
		if some = append(some, e); len(some) == together {
			if err := flush(); err != nil {
				return left, already, err
			}
		}
	}
	err = flush()
	return left, already, err
}

// together is how many files are looked at at once.
const together = 1024

// each does something for n files, by several workers where they are many, each taking
// neighbours.
func each(n int, do func(from, to int)) {
	workers := runtime.GOMAXPROCS(0)
	if n < together {
		workers = 1
	}
	var all sync.WaitGroup
	for k := 1; k < workers; k++ {
		all.Go(func() { do(k*n/workers, (k+1)*n/workers) })
	}
	do(0, n/workers)
	all.Wait()
}

// Touched reports whether any file of a run is one of the paths, or lies below one.
func Touched(r *store.Record, path string) bool {
	for file, err := range r.Files.Paths() {
		if err == nil && store.Touches(file, path) {
			return true
		}
	}
	return false
}

func touched(e *store.Entry, paths []string) bool {
	for _, p := range paths {
		if store.Touches(e.Absolute(), p) {
			return true
		}
	}
	return len(paths) == 0
}

// reverser takes one run back.
type reverser struct {
	*store.Store
	record   *store.Record
	force    bool
	trusting bool
	sameBoot bool // devices have the numbers that they had

	path   string // of the folder at hand
	folder disk.Folder
	failed error // why there is none
}

// close lets go of the folder at hand.
func (w *reverser) close() {
	if w.folder != nil {
		disk.Close(w.folder)
	}
}

// open opens a folder, unless it is the one at hand.
func (w *reverser) open(path string) (disk.Folder, error) {
	if path != w.path {
		w.close()
		w.path = path
		if w.folder, w.failed = w.System.OpenFolder(path); w.failed != nil {
			w.folder = nil
		}
	}
	return w.folder, w.failed
}

// Why a file is left alone.
var (
	errAlready  = errors.New("it is as it was already")
	errLarge    = errors.New("it has changed since, and is too large to take the run back around that; --force puts it back all the same")
	errChanged  = errors.New("it has changed since; --force puts it back all the same")
	errNoFolder = errors.New("its folder is gone")
	errMoved    = errors.New("its folder is not the one that the run wrote in")
	errGone     = errors.New("it is gone; --force makes it anew")
	errOdd      = errors.New("it is a link, a folder or the like by now")
	errAnew     = errors.New("it was made anew since; --force puts it back all the same")
)

// file returns the change that takes one file back, or why it is left alone.
func (w *reverser) file(e *store.Entry) (*Back, error) {
	folder, err := w.open(filepath.Dir(e.Absolute()))
	switch {
	case disk.Missing(err):
		return nil, errNoFolder
	case errors.Is(err, disk.ErrNotFolder):
		return nil, errMoved
	case err != nil:
		return nil, err
	}
	if id := folder.ID(); e.In != (disk.ID{}) && (id.Inode != e.In.Inode || w.sameBoot && id.Device != e.In.Device) {
		return nil, errMoved
	}
	b := &Back{Change: change.Change{
		Path: e.Absolute(), Folder: string(e.Folder), Name: string(e.Name), In: folder.ID(), Role: e.Role, Rules: e.Rules,
	}}
	f, err := folder.Open(filepath.Base(string(e.Name)))
	switch {
	case errors.Is(err, disk.ErrNotRegular):
		return nil, errOdd
	case disk.Missing(err):
		return b, w.missing(b, e)
	case err != nil:
		return nil, err
	}
	defer disk.Close(f)
	if w.trusting && w.looksSo(e, f) {
		b.Before = e.After
		return b, w.there(b, e, f, func() error { return nil })
	}
	kept := w.kept(e)
	if b.Before, b.Print, err = change.ReadFile(f); err != nil {
		return nil, err
	}
	return b, w.there(b, e, f, kept)
}

// looksSo reports whether a large file looks as the run left it, by all that is known of it but
// its content.
func (w *reverser) looksSo(e *store.Entry, f disk.File) bool {
	info, err := f.Stat()
	return err == nil && e.What == change.Rewrite && e.Old.Size > long && e.Modified != 0 && info.Modified == e.Modified &&
		info.Inode == e.Staged.Inode && (!w.sameBoot || info.Device == e.Staged.Device) && e.After != e.Before
}

// long is from how many bytes on what is kept of a file is read while the file itself is.
const long = 4 << 20

// kept returns what says why what is kept of a file is not what was put there.
func (w *reverser) kept(e *store.Entry) func() error {
	if e.What != change.Rewrite || e.Old.Size <= long && e.Edits.Size <= long || e.Edits.Digest == (change.Digest{}) {
		return func() error { return w.Verify(w.record, e) }
	}
	done := make(chan error, 1)
	go func() {
		err := w.readable(e)
		edits, editsErr := w.Edits(w.record, e)
		if editsErr == nil {
			for _, err := range edits.All() {
				editsErr = err
			}
		}
		done <- errors.Join(err, editsErr)
	}()
	return func() error { return <-done }
}

// missing takes back a file that is not there.
func (w *reverser) missing(b *Back, e *store.Entry) error {
	switch {
	case e.What == change.Create:
		return errAlready
	case e.What == change.Rewrite && !w.force:
		return errGone
	}
	if err := w.readable(e); err != nil {
		return err
	}
	b.What, b.Meta, b.After = change.Create, e.Was, e.Before
	b.Edits = edit.Between{Old: edit.Empty, Fresh: w.old(e)}
	if w.record.Format == 1 {
		b.Meta = disk.Meta{Mode: 0o600}
	}
	return nil
}

// old opens the old content of a file.
func (w *reverser) old(e *store.Entry) edit.Opener {
	return func() (io.ReadCloser, error) { return w.OpenOld(w.record, e) }
}

// readable returns why the old content of a file cannot be had.
func (w *reverser) readable(e *store.Entry) error {
	old, err := w.OpenOld(w.record, e)
	if err != nil {
		return err
	}
	defer disk.Close(old)
	_, err = io.Copy(io.Discard, old)
	return err
}

// there takes back a file that is there, and open.
func (w *reverser) there(b *Back, e *store.Entry, now disk.File, kept func() error) error {
	switch {
	case e.What == change.Create && b.Before != e.After && !w.force:
		return errChanged
	case e.What == change.Create:
		b.What, b.Edits = change.Remove, edit.Between{Old: w.opener(e), Fresh: edit.Empty}
		return nil
	case b.Before == e.Before:
		return errAlready
	case e.What == change.Remove && !w.force:
		return errAnew
	}
	if b.Later = b.Before != e.After && !w.force; b.Later {
		return w.around(b, e, now)
	}
	b.After = e.Before
	if e.What == change.Remove || b.Before != e.After {
		b.Edits = edit.Between{Old: w.opener(e), Fresh: w.old(e)}
		return w.readable(e)
	}
	if e.Old.Size <= long && e.Edits.Size <= long {
		old, edits, err := w.Contents(w.record, e)
		b.Edits = edits.Invert(old)
		return err
	}
	edits, err := w.Edits(w.record, e)
	b.Edits = edit.Inverse{Edits: edits, Open: func() (io.ReadCloser, error) { return w.PeekOld(w.record, e) }}
	if err == nil {
		err = kept()
	}
	return err
}

// opener opens a file as it is now.
func (w *reverser) opener(e *store.Entry) edit.Opener {
	return func() (io.ReadCloser, error) {
		c := change.Change{Path: e.Absolute(), Folder: string(e.Folder), Name: string(e.Name)}
		return c.Reader(w.System)
	}
}

// mostAround is up to how many bytes of a file what a run changed is taken back around later
// changes, for which it has to be compared.
const mostAround = 256 << 20

// around takes back what the run changed around what changed since.
func (w *reverser) around(b *Back, e *store.Entry, f disk.File) error {
	if max(e.Old.Size, b.Print.Size) > mostAround {
		return errLarge
	}
	old, err := read(w.old(e))
	if err != nil {
		return err
	}
	kept, err := w.Edits(w.record, e)
	if err != nil {
		return err
	}
	edits, err := edit.Gather(kept)
	if err == nil && !edits.Fits(len(old)) {
		err = edit.ErrMisfit
	}
	if err != nil {
		return err
	}
	now, err := disk.ReadAll(f, b.Print.Size)
	if err != nil {
		return err
	}
	back, err := around(edits.Apply(old), now, edits.Invert(old))
	b.Edits = back.Clone()
	return err
}

func read(open edit.Opener) ([]byte, error) {
	in, err := open()
	if err != nil {
		return nil, err
	}
	defer disk.Close(in)
	return io.ReadAll(in)
}

// Shown is what a run made of one of its files, to be shown.
func Shown(s *store.Store, r *store.Record, e *store.Entry) (diff.Windows, error) {
	edits, err := s.Edits(r, e)
	if err != nil {
		return nil, err
	}
	return diff.Stream(func() (io.ReadCloser, error) { return s.OpenOld(r, e) }, edits), nil
}

// Verify reads everything that is kept of all runs, and returns what is not as it was
// written, and how many runs there are.
func Verify(s *store.Store) (damaged []store.Damaged, runs int, err error) {
	records, damaged, err := s.Runs()
	for _, r := range records {
		for e, err := range r.Files.All() {
			if err != nil {
				damaged = append(damaged, store.Damaged{ID: r.ID, Reason: err})
				break
			}
			if e.What == change.Create || !r.Staged || r.State() == store.PutBack {
				continue
			}
			if err := s.Verify(r, e); err != nil {
				damaged = append(damaged, store.Damaged{ID: r.ID, Reason: fmt.Errorf("%w", err)})
			}
		}
	}
	return damaged, len(records), err
}
