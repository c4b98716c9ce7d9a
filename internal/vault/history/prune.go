package history

import (
	"time"

	"frizzel/internal/vault/store"
)

// Pruning says which runs are to be forgotten: those past the newest ones, or older
// than OlderThan; where both are given, those that both name. A zero asks nothing. With
// Total the oldest go as well as long as all take more bytes.
type Pruning struct {
	Newest    int
	OlderThan time.Duration
	Total     int64
}

// Prune forgets runs, and returns them, and how many bytes that freed. They cannot be
// taken back any more. Runs on hold, and those that are not settled, stay.
func Prune(l *store.Locked, p Pruning, now time.Time) (pruned []*store.Record, freed int64, err error) {
	records, _, err := l.Runs()
	if err != nil {
		return nil, 0, err
	}
	total := totalOf(l, records, p.Total)
	for i, r := range records {
		tooMany := p.Newest == 0 || i < len(records)-p.Newest
		tooOld := p.OlderThan == 0 || now.Sub(r.Time) > p.OlderThan
		old := tooMany && tooOld && p.Newest+int(p.OlderThan) > 0
		tooMuch := p.Total > 0 && total > p.Total
		if !old && !tooMuch || stays(r) {
			continue
		}
		size := l.Size(r.ID)
		if err := l.Forget(r); err != nil {
			return pruned, freed, err
		}
		pruned, freed, total = append(pruned, r), freed+size, total-size
	}
	return pruned, freed, nil
}

// stays reports whether a run is never forgotten: one on hold, or that is not settled.
func stays(r *store.Record) bool { return r.State() == store.Held || r.State().Unfinished() }

// totalOf returns how many bytes runs take, where that is asked for.
func totalOf(l *store.Locked, records []*store.Record, bound int64) (total int64) {
	if bound > 0 {
		for _, r := range records {
			total += l.Size(r.ID)
		}
	}
	return total
}

// Keeping says how long runs are kept, and how much all of them may take, in bytes; a zero
// sets no bound.
type Keeping struct {
	For   time.Duration
	Bytes int64
}

// few is how many runs are looked at every time that one is written.
const few = 200

// Tidy forgets the oldest runs that are over a bound, and returns how many, and how many
// bytes that freed. The newest run, those on hold and those that are not settled stay. So
// that it costs next to nothing it does nothing most times where there are very many.
func Tidy(l *store.Locked, k Keeping, now time.Time) (forgotten int, freed int64, err error) {
	records, _, err := l.Runs()
	if err != nil || len(records) > few && len(records)%16 != 0 {
		return 0, 0, err
	}
	total := totalOf(l, records, k.Bytes)
	for _, r := range records[:max(len(records)-1, 0)] {
		tooOld := k.For > 0 && now.Sub(r.Time) > k.For
		tooMuch := k.Bytes > 0 && total > k.Bytes
		if !tooOld && !tooMuch || stays(r) {
			continue
		}
		size := l.Size(r.ID)
		if err := l.Forget(r); err != nil {
			return forgotten, freed, err
		}
		forgotten, freed, total = forgotten+1, freed+size, total-size
	}
	return forgotten, freed, nil
}
