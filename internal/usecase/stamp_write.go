package usecase

import (
	"context"
	"os"
	"path/filepath"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// change returns the change to a file for the vault.
func (s *Stamped) change(taken edit.List) (change.Change, error) {
	whole, err := filepath.Abs(s.Path)
	if err != nil {
		return change.Change{}, err
	}
	if s.Exists {
		if whole, err = filepath.EvalSymlinks(whole); err != nil {
			return change.Change{}, err
		}
		return change.Change{
			Path: s.Path, Dir: filepath.Dir(whole), Name: filepath.Base(whole), Before: digest.Of(s.Old), Edits: taken,
		}, nil
	}
	dir := filepath.Dir(whole)
	for { // the directories that are not there are made with the file
		if _, err := os.Stat(dir); err == nil || dir == filepath.Dir(dir) {
			break
		}
		dir = filepath.Dir(dir)
	}
	name, err := filepath.Rel(dir, whole)
	if err != nil {
		return change.Change{}, err
	}
	if dir, err = filepath.EvalSymlinks(dir); err != nil {
		return change.Change{}, err
	}
	return change.Change{Path: s.Path, Dir: dir, Name: name, Op: change.Create, Meta: s.meta, Edits: taken}, nil
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
		c, err := t.change(t.Edits)
		if err != nil {
			return nil, 0, err
		}
		changes = append(changes, c)
		count += len(t.Edits)
	}
	r, err := w.write(ctx, transaction.Intent{Kind: store.Apply, Rules: labels, Changes: count}, changes)
	return r, len(changes), err
}
