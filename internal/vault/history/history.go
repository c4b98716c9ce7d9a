// Package history is what happened to runs: which of their files are undone, how to undo the rest, and
// whether their backups are intact.
//
// The central function is [Reverse]: it makes the changes that undo a run, to
// be shown, asked about and written like any others.
package history

import (
	"fmt"
	"io"
	"slices"

	"frizzel/core/diff"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// Last returns the last run of the kind that was not taken back whole: the one that
// an undo of an Apply, or a redo of an Undo, is about.
func Last(records []*store.Record, kind store.Kind) (*store.Record, error) {
	undone, err := undoneFiles(records)
	if err != nil {
		return nil, err
	}
	for i := len(records) - 1; i >= 0; i-- {
		if r := records[i]; r.State().Succeeded() && r.Kind == kind && undone[r.ID].of(r) < r.Files.Len() {
			return r, nil
		}
	}
	if kind == store.Undo {
		return nil, exit.Wrongf("no run was taken back, so there is nothing to do again")
	}
	return nil, exit.Wrongf("there is no run to take back")
}

// UndosOf returns the runs that undid a run, in whole or in part, and were not undone in turn, the last one first. The
// error tells if there are none.
func UndosOf(records []*store.Record, r *store.Record) (undos []*store.Record, err error) {
	undone, err := undoneFiles(records)
	if err != nil {
		return nil, err
	}
	for _, u := range slices.Backward(records) {
		if u.State().Succeeded() && u.Undoes == r.ID && undone[u.ID].of(u) < u.Files.Len() {
			undos = append(undos, u)
		}
	}
	if len(undos) == 0 {
		return nil, exit.Wrongf("run %s was not taken back, so there is nothing to do again", r.Name())
	}
	return undos, nil
}

// Undone returns the number of undone files of each run, by its ID.
func Undone(records []*store.Record) (map[string]int, error) {
	undone, err := undoneFiles(records)
	counts := map[string]int{}
	for _, r := range records {
		if files := undone[r.ID]; files != nil {
			counts[r.ID] = files.of(r)
		}
	}
	return counts, err
}

// entries are some of a run's files, by index; nil has none.
type entries struct {
	all  bool
	some map[int]struct{}
}

func (p *entries) has(i int) bool {
	if p == nil || p.all {
		return p != nil
	}
	_, ok := p.some[i]
	return ok
}

// of returns the number of a run's files among the entries.
func (p *entries) of(r *store.Record) int {
	switch {
	case p == nil:
		return 0
	case p.all:
		return r.Files.Len()
	}
	return len(p.some)
}

// undoneFiles returns the files of each run that have been taken back, by a run that
// has not been taken back in turn.
func undoneFiles(records []*store.Record) (map[string]*entries, error) {
	undone, count := map[string]*entries{}, map[string]int{}
	for _, r := range records {
		count[r.ID] = r.Files.Len()
	}
	for i := len(records) - 1; i >= 0; i-- {
		r := records[i]
		if !r.State().Succeeded() || r.Undoes == "" {
			continue
		}
		into := undone[r.Undoes]
		if into == nil {
			into = &entries{some: map[int]struct{}{}}
			undone[r.Undoes] = into
		}
		if undone[r.ID] == nil && r.Targets() == count[r.Undoes] { // as most do; their entries need not be read
			into.all = true
		}
		if into.all {
			continue
		}
		k := -1
		for e, err := range r.Files.All() {
			if err != nil {
				return nil, err
			}
			if k++; e.Of >= 0 && !undone[r.ID].has(k) {
				into.some[e.Of] = struct{}{}
			}
		}
	}
	return undone, nil
}

// LeftBy returns a function from a path to the digests of the copies that runs left there: old contents beside new
// ones, and changed copies. It reads the records on the first call.
func LeftBy(s *store.Store) func(path string) []digest.Digest {
	var left map[string][]digest.Digest
	return func(path string) []digest.Digest {
		if left == nil {
			left = map[string][]digest.Digest{}
			records, _, _ := s.Runs()
			for _, r := range records {
				for e, err := range r.Files.All() {
					if err == nil && e.Role != change.Target && r.State().Succeeded() {
						path := r.PathAfter(e)
						left[path] = append(left[path], e.After)
					}
				}
			}
		}
		return left[path]
	}
}

// Touched reports whether any file of a run has a path, before or after the run, or lies below it; or whether the path is
// below a directory that the run renamed.
func Touched(r *store.Record, path string) bool {
	if r.Renamed > 0 {
		for e, err := range r.Files.All() {
			if err == nil && (touches(r, e, path) || e.Kind == disk.Directory && (store.Touches(path, e.Absolute()) || store.Touches(path, r.PathAfter(e)))) {
				return true
			}
		}
		return false
	}
	for file, err := range r.Files.Paths() {
		if err == nil && store.Touches(file, path) {
			return true
		}
	}
	return false
}

// touches reports whether a file of a run has a path, before or after the run, or lies below it.
func touches(r *store.Record, e *store.Entry, path string) bool {
	return store.Touches(e.Absolute(), path) || r.Renamed > 0 && store.Touches(r.PathAfter(e), path)
}

// ChangeOf returns the change that a run made to one of its files, without its edits.
func ChangeOf(e *store.Entry) *change.Change {
	return &change.Change{
		Path: e.Absolute(), Dir: string(e.Dir), Name: string(e.Name), Op: e.Op, Role: e.Role, Kind: e.Kind, Rules: e.Rules,
		NewName: string(e.NewName), Target: string(e.Target), NewTarget: string(e.NewTarget),
	}
}

// Shown returns the changes that a run made to one of its files, as windows for a diff.
func Shown(s *store.Store, r *store.Record, e *store.Entry) diff.Windows {
	return diff.Stream(func() (io.ReadCloser, error) { return s.OpenOld(r, e) }, s.Edits(r, e))
}

// Verify reads the stored data of all runs. It returns the damaged parts and the number of runs.
func Verify(s *store.Store) (damaged []store.Damaged, runs int, err error) {
	records, damaged, err := s.Runs()
	for _, r := range records {
		for e, err := range r.Files.All() {
			if err != nil {
				damaged = append(damaged, store.Damaged{ID: r.ID, Reason: err})
				break
			}
			if e.Op == change.Create || !e.HasContent() || !r.Staged || r.State() == store.PutBack {
				continue
			}
			if err := s.Verify(r, e); err != nil {
				damaged = append(damaged, store.Damaged{ID: r.ID, Reason: fmt.Errorf("%w", err)})
			}
		}
	}
	return damaged, len(records), err
}
