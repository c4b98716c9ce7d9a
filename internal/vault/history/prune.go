package history

import (
	"time"

	"frizzel/internal/vault/store"
)

// A Pruning says which runs to delete: all except the Newest, or those older than OlderThan, or, if both are set,
// those that meet both; and then the oldest ones while all together need more than Total bytes. 0 sets no limit.
type Pruning struct {
	Newest    int
	OlderThan time.Duration
	Total     int64
}

// Prune removes runs from the store, and returns them and the number of bytes that it freed. They can no longer be
// undone. Runs on hold, and unrecovered ones, stay.
func Prune(l *store.Locked, p Pruning, now time.Time) (pruned []*store.Record, freed int64, err error) {
	records, _, err := l.Runs()
	if err != nil {
		return nil, 0, err
	}
	return remove(l, records, len(records), p.Total, func(i int, r *store.Record) bool {
		tooMany := p.Newest == 0 || i < len(records)-p.Newest
		tooOld := p.OlderThan == 0 || now.Sub(r.Time) > p.OlderThan
		return tooMany && tooOld && (p.Newest > 0 || p.OlderThan > 0)
	})
}

// remove deletes those of the first n records for which old is true, and then the oldest of them while all records
// together need more than most bytes, if that is not 0.
func remove(l *store.Locked, records []*store.Record, n int, most int64, old func(i int, r *store.Record) bool) (forgotten []*store.Record, freed int64, err error) {
	total := int64(0)
	if most > 0 {
		for _, r := range records {
			total += l.Size(r.ID)
		}
	}
	for i, r := range records[:n] {
		if stays(r) || !old(i, r) && total <= most {
			continue
		}
		size := l.Size(r.ID)
		if err := l.Forget(r); err != nil {
			return forgotten, freed, err
		}
		forgotten, freed, total = append(forgotten, r), freed+size, total-size
	}
	return forgotten, freed, nil
}

// stays reports whether a run is never deleted: it is on hold or unrecovered.
func stays(r *store.Record) bool { return r.State() == store.Held || r.State().Unfinished() }

// A Keeping limits the age of runs and their total size in bytes; 0 means no limit.
type Keeping struct {
	For   time.Duration
	Bytes int64
}

// few is the number of runs that are checked after every run.
const few = 200

// Tidy removes the oldest runs that exceed a limit, and returns their number and the bytes that it freed. The
// newest run, those on hold and unrecovered ones stay. If there are very many runs it usually does nothing, so that
// its cost stays small.
func Tidy(l *store.Locked, k Keeping, now time.Time) (forgotten int, freed int64, err error) {
	records, _, err := l.Runs()
	if err != nil || len(records) > few && len(records)%16 != 0 {
		return 0, 0, err
	}
	gone, freed, err := remove(l, records, max(len(records)-1, 0), k.Bytes, func(_ int, r *store.Record) bool {
		return k.For > 0 && now.Sub(r.Time) > k.For
	})
	return len(gone), freed, err
}
