package history

import (
	"errors"
	"runtime"
	"sync"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

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

func touched(e *store.Entry, paths []string) bool {
	for _, p := range paths {
		if store.Touches(e.Absolute(), p) {
			return true
		}
	}
	return len(paths) == 0
}
