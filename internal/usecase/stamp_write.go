package usecase

import (
	"context"
	"path/filepath"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// change returns the change to a file for the vault.
func (s *Stamped) change(taken edit.List) change.Change {
	c := change.Change{Path: s.Path, Dir: filepath.Dir(s.whole), Name: filepath.Base(s.whole), In: s.in, Edits: taken}
	if s.Exists {
		c.Before = digest.Of(s.Old)
		return c
	}
	c.Op, c.Meta = change.Create, s.meta
	return c
}

// A StampTaken is the accepted changes of a file.
type StampTaken struct {
	*Stamped
	Edits edit.List
}

// WriteStamps writes the accepted files as one run. The run is nil if there are none.
func WriteStamps(ctx context.Context, w Writing, labels []string, taken []StampTaken) (*store.Record, int, error) {
	var changes change.List
	count := 0
	for _, t := range taken {
		if len(t.Edits) == 0 {
			continue
		}
		changes = append(changes, t.change(t.Edits))
		count += len(t.Edits)
	}
	r, err := w.write(ctx, transaction.Intent{Kind: store.Apply, Rules: labels, Changes: count}, changes)
	return r, len(changes), err
}
