// Package history is what became of runs: which files are taken back by now, what takes a
// run back, and whether what is kept of it still is what was written.
//
// The central function is [Reverse]: from a run it makes the changes that take it back, to
// be shown, asked about and written like any others.
package history

import (
	"bytes"
	"errors"
	"fmt"
	"path/filepath"

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
	undone := undoneFiles(records)
	for i := len(records) - 1; i >= 0; i-- {
		if r := records[i]; r.State().Succeeded() && r.Kind == kind && len(undone[r.ID]) < len(r.Files) {
			return r, nil
		}
	}
	return nil, ErrNothing
}

// UndoOf returns the last run that took a run back and was not taken back in turn, or
// ErrNothing.
func UndoOf(records []*store.Record, r *store.Record) (*store.Record, error) {
	undone := undoneFiles(records)
	for i := len(records) - 1; i >= 0; i-- {
		if u := records[i]; u.State().Succeeded() && u.Undoes == r.ID && len(undone[u.ID]) < len(u.Files) {
			return u, nil
		}
	}
	return nil, ErrNothing
}

// Undone returns how many files of each run have been taken back, by its ID.
func Undone(records []*store.Record) map[string]int {
	counts := map[string]int{}
	for id, files := range undoneFiles(records) {
		counts[id] = len(files)
	}
	return counts
}

// undoneFiles returns the files of each run that have been taken back, by a run that
// has not been taken back in turn.
func undoneFiles(records []*store.Record) map[string]map[string]bool {
	undone := map[string]map[string]bool{}
	for i := len(records) - 1; i >= 0; i-- {
		r := records[i]
		if !r.State().Succeeded() || r.Undoes == "" {
			continue
		}
		if undone[r.Undoes] == nil {
			undone[r.Undoes] = map[string]bool{}
		}
		for f := range r.Files {
			if path := r.Files[f].Absolute(); !undone[r.ID][path] {
				undone[r.Undoes][path] = true
			}
		}
	}
	return undone
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
				for i := range r.Files {
					if e := &r.Files[i]; e.Role != change.Target && r.State().Succeeded() {
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
}

// Back is a change that takes a file of a run back.
type Back struct {
	change.Change
	// Later says that the file has changed since, and what the run changed is taken
	// back around that.
	Later bool
}

// Reverse returns the changes that take a run back, the files that are left alone, and
// how many are as they were already. records are all runs.
func Reverse(s *store.Store, records []*store.Record, r *store.Record, how Reversal) (back []Back, left []store.Left, already int, err error) {
	undone := undoneFiles(records)[r.ID]
	w := reverser{Store: s, record: r, force: how.Force, sameBoot: r.Boot == disk.Boot()}
	for i := range r.Files {
		e := &r.Files[i]
		if undone[e.Absolute()] || !touched(e, how.Paths) {
			continue
		}
		b, reason := w.file(e)
		switch {
		case reason != nil && errors.Is(reason, errAlready):
			already++
		case reason != nil:
			left = append(left, store.Left{Path: change.Path(e.Absolute()), Reason: reason.Error()})
		default:
			back = append(back, *b)
		}
	}
	return back, left, already, nil
}

// Touched reports whether any file of a run is one of the paths, or lies below one.
func Touched(r *store.Record, path string) bool {
	for i := range r.Files {
		if r.Files[i].Touches(path) {
			return true
		}
	}
	return false
}

func touched(e *store.Entry, paths []string) bool {
	for _, p := range paths {
		if e.Touches(p) {
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
	sameBoot bool // devices have the numbers that they had
}

// Why a file is left alone.
var (
	errAlready  = errors.New("it is as it was already")
	errChanged  = errors.New("it has changed since; --force puts it back all the same")
	errNoFolder = errors.New("its folder is gone")
	errMoved    = errors.New("its folder is not the one that the run wrote in")
	errGone     = errors.New("it is gone; --force makes it anew")
	errOdd      = errors.New("it is a link, a folder or the like by now")
	errAnew     = errors.New("it was made anew since; --force puts it back all the same")
)

// file returns the change that takes one file back, or why it is left alone.
func (w *reverser) file(e *store.Entry) (*Back, error) {
	folder, err := w.System.OpenFolder(filepath.Dir(e.Absolute()))
	switch {
	case disk.Missing(err):
		return nil, errNoFolder
	case errors.Is(err, disk.ErrNotFolder):
		return nil, errMoved
	case err != nil:
		return nil, err
	}
	defer disk.Close(folder)
	if id := folder.ID(); e.In != (disk.ID{}) && (id.Inode != e.In.Inode || w.sameBoot && id.Device != e.In.Device) {
		return nil, errMoved
	}
	b := &Back{Change: change.Change{Path: e.Absolute(), Folder: string(e.Folder), Name: string(e.Name), In: folder.ID(), Role: e.Role}}
	now, _, err := disk.ReadFile(folder, filepath.Base(string(e.Name)))
	switch {
	case errors.Is(err, disk.ErrNotRegular):
		return nil, errOdd
	case disk.Missing(err):
		return b, w.missing(b, e)
	case err != nil:
		return nil, err
	}
	b.Before = change.DigestOf(now)
	return b, w.there(b, e, now)
}

// missing takes back a file that is not there.
func (w *reverser) missing(b *Back, e *store.Entry) error {
	switch {
	case e.What == change.Create:
		return errAlready
	case e.What == change.Rewrite && !w.force:
		return errGone
	}
	old, err := w.Old(w.record, e)
	if err != nil {
		return err
	}
	b.What, b.Meta, b.Edits = change.Create, e.Was, edit.List{{New: old}}
	if w.record.Format == 1 {
		b.Meta = disk.Meta{Mode: 0o600}
	}
	return nil
}

// there takes back a file that is there and holds now.
func (w *reverser) there(b *Back, e *store.Entry, now []byte) error {
	switch {
	case e.What == change.Create && b.Before != e.After && !w.force:
		return errChanged
	case e.What == change.Create:
		b.What, b.Edits = change.Remove, edit.List{{End: len(now)}}
		return nil
	case b.Before == e.Before:
		return errAlready
	case e.What == change.Remove && !w.force:
		return errAnew
	}
	old, err := w.Old(w.record, e)
	if err != nil {
		return err
	}
	if e.What == change.Remove || b.Before != e.After && w.force {
		b.Edits = whole(now, old)
		return nil
	}
	if b.Before != e.After {
		b.Later = true
		edits, err := w.Edits(w.record, e, old)
		if err == nil {
			b.Edits, err = around(edits.Apply(old), now, edits.Invert(old))
		}
		b.Edits = b.Edits.Clone()
		return err
	}
	edits, err := w.EditsOf(w.record, e, old)
	if err == nil && !bytes.Equal(edits.Apply(old), now) {
		err = fmt.Errorf("the backup of run %s is damaged", w.record.ID)
	}
	b.Edits = edits.Invert(old).Clone()
	return err
}

// whole replaces what differs between two contents, but for what they begin and end
// with in common.
func whole(now, old []byte) edit.List {
	front := 0
	for front < len(now) && front < len(old) && now[front] == old[front] {
		front++
	}
	back := 0
	for back < len(now)-front && back < len(old)-front && now[len(now)-1-back] == old[len(old)-1-back] {
		back++
	}
	return edit.List{{Start: front, End: len(now) - back, New: old[front : len(old)-back]}}.Changing(now)
}

// Content returns what a run made of one of its files, and the edits that did.
func Content(s *store.Store, r *store.Record, e *store.Entry) (old []byte, edits edit.List, err error) {
	if old, err = s.Old(r, e); err != nil {
		return nil, nil, err
	}
	edits, err = s.Edits(r, e, old)
	return old, edits, err
}

// Verify reads everything that is kept of all runs, and returns what is not as it was
// written, and how many runs there are.
func Verify(s *store.Store) (damaged []store.Damaged, runs int, err error) {
	records, damaged, err := s.Runs()
	for _, r := range records {
		for i := range r.Files {
			e := &r.Files[i]
			if e.What == change.Create || !r.Staged || r.State() == store.PutBack {
				continue
			}
			if _, _, err := Content(s, r, e); err != nil {
				damaged = append(damaged, store.Damaged{ID: r.ID, Reason: fmt.Errorf("%w", err)})
			}
		}
	}
	return damaged, len(records), err
}
