package history

import (
	"errors"
	"io/fs"
	"iter"
	"path/filepath"
	"runtime"
	"slices"
	"sync"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// Reversal says what of a run is to be taken back.
type Reversal struct {
	Paths []string // absolute files and directories; none is all of the run
	// Force takes back files that have changed since, too, whose present content is
	// lost from there.
	Force bool
	Trust Trust
}

// A Trust says for which files equal attributes are enough to assume that the content is unchanged since the run.
// The content is verified before such a file is written.
type Trust int

const (
	TrustNone Trust = iota
	// TrustLarge trusts large files, and their stored contents, because reading them takes long.
	TrustLarge
	TrustAll
)

// Back is a change that takes a file of a run back.
type Back struct {
	change.Change
	// Later means that the file changed after the run, and the run's changes are undone around the later ones.
	Later bool
	// Moved means that the file's directory is another one than the run wrote in, and the file still is what the run
	// left: the directory was restored, copied or made anew.
	Moved bool
	// To is the path that the file has afterwards, if all that is taken back with it is.
	To string
}

// Reverse calls take with each change that undoes a run. It returns the files that it leaves unchanged, and the
// number of files that have their old content already. records are all runs.
func Reverse(s *store.Store, records []*store.Record, r *store.Record, how Reversal, take func(*Back) error) (left []store.Left, already int, err error) {
	all, err := undoneFiles(records)
	if err != nil {
		return nil, 0, err
	}
	undone := all[r.ID]
	anew := madeAnew(records, r)
	wanted := func(i int, e *store.Entry) bool { return !undone.has(i) && touched(r, e, how.Paths) }
	names, err := namesOf(s, r, undone, wanted)
	if err != nil {
		return nil, 0, err
	}
	look := func(first int) []looked {
		some := make([]looked, min(r.Files.Len()-first, together))
		each(len(some), func(from, to int) {
			w := reverser{anew: anew, names: names, Store: s, record: r, force: how.Force, trust: how.Trust, sameBoot: r.Boot == disk.Boot()}
			defer w.close()
			for i := from; i < to; i++ {
				some[i] = w.look(first+i, wanted)
			}
		})
		return some
	}
	for some := range inAdvance(r.Files.Len(), look) {
		for _, l := range some {
			switch {
			case l.failed != nil:
				return left, already, l.failed
			case l.back == nil && l.reason == nil: // not selected
			case errors.Is(l.reason, errAlready):
				already++
			case l.reason != nil:
				left = append(left, store.Left{Path: change.Path(l.path), Reason: l.reason.Error(), Away: isAway(l.reason)})
			default:
				if err := take(l.back); err != nil {
					return left, already, err
				}
			}
		}
	}
	return left, already, nil
}

// madeAnew returns a function that reports whether a directory is one that a run after r made, such as a redo of what an
// undo of r removed.
func madeAnew(records []*store.Record, r *store.Record) func(path string, id disk.ID) bool {
	made := sync.OnceValue(func() map[string]disk.ID {
		all := map[string]disk.ID{}
		for _, later := range records {
			if later.Number <= r.Number || len(later.Made) == 0 || !later.State().Succeeded() {
				continue
			}
			for e, err := range later.Files.All() {
				if path := filepath.Dir(e.Absolute()); err == nil && slices.Contains(later.Made, change.Path(path)) {
					all[path] = e.In
				}
			}
		}
		return all
	})
	return func(path string, id disk.ID) bool { return made()[path] == id }
}

// isAway reports whether a file is left alone because it cannot be read now, and perhaps later.
func isAway(reason error) bool {
	var path *fs.PathError
	return errors.Is(reason, errNoDir) || errors.Is(reason, errMoved) || errors.As(reason, &path)
}

// together is the number of files that are checked at once.
const together = 1024

// inAdvance yields the results of look for n files, in groups of together files. While the caller
// handles one group, it looks at the next.
func inAdvance(n int, look func(first int) []looked) iter.Seq[[]looked] {
	return func(yield func([]looked) bool) {
		if n == 0 {
			return
		}
		some := look(0)
		for first := together; first < n; first += together {
			next := exit.Async(func() []looked { return look(first) })
			more := yield(some)
			if some = next(); !more {
				return
			}
		}
		yield(some)
	}
}

// looked is the state of a file that was looked at.
type looked struct {
	path   string
	back   *Back
	reason error // why it is left alone
	failed error // why the record cannot tell
}

// look looks at file i of the run, if it is wanted.
func (w *reverser) look(i int, wanted func(int, *store.Entry) bool) (l looked) {
	e, err := w.record.Files.At(i)
	if err != nil {
		return looked{failed: err}
	}
	if wanted(i, e) {
		l.path = w.names.now(w.record, e)
		l.back, l.reason = w.entry(i, e)
	}
	return l
}

// each calls do with ranges of n files, from several workers if there are many files.
func each(n int, do func(from, to int)) {
	workers := runtime.GOMAXPROCS(0)
	if n < together {
		workers = 1
	}
	var others []func() bool
	for k := 1; k < workers; k++ {
		others = append(others, exit.Async(func() bool {
			do(k*n/workers, (k+1)*n/workers)
			return true
		}))
	}
	do(0, n/workers)
	for _, wait := range others {
		wait()
	}
}

func touched(r *store.Record, e *store.Entry, paths []string) bool {
	for _, p := range paths {
		if touches(r, e, p) {
			return true
		}
	}
	return len(paths) == 0
}
