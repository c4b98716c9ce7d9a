package history

import (
	"time"

	"frizzel/internal/vault/store"
)

// Pruning says which runs are to be forgotten: those past the newest ones, or older
// than OlderThan; where both are given, those that both name. A zero asks nothing.
type Pruning struct {
	Newest    int
	OlderThan time.Duration
}

// Prune forgets runs, and returns them, and how many bytes that freed. They cannot be
// taken back any more. Runs on hold, and those that are not settled, stay.
func Prune(l *store.Locked, p Pruning, now time.Time) (pruned []*store.Record, freed int64, err error) {
	records, _, err := l.Runs()
	if err != nil {
		return nil, 0, err
	}
	for i, r := range records {
		tooMany := p.Newest == 0 || i < len(records)-p.Newest
		tooOld := p.OlderThan == 0 || now.Sub(r.Time) > p.OlderThan
		if !tooMany || !tooOld || r.State() == store.Held || r.State().Unfinished() {
			continue
		}
		size := l.Size(r.ID)
		if err := l.Forget(r); err != nil {
			return pruned, freed, err
		}
		pruned, freed = append(pruned, r), freed+size
	}
	return pruned, freed, nil
}
