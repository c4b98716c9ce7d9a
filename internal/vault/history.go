package vault

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/gofrs/flock"
)

// Files that mark a run: one that is on hold, one that is to stay.
const (
	holdName = "hold"
	keptName = "kept"
)

// Held returns the runs that were on hold once and were not said to stay.
func (v *Vault) Held() ([]*Record, error) {
	return v.some(func(id string) (bool, error) {
		_, held := os.Stat(filepath.Join(v.runs(), id, holdName))
		_, kept := os.Stat(filepath.Join(v.runs(), id, keptName))
		return held == nil && kept != nil, nil
	})
}

// Keep says that a run that is on hold stays as it is.
func (v *Vault) Keep(r *Record) error {
	return v.disk.writeFile(filepath.Join(v.runs(), r.ID, keptName), []byte("kept\n"), os.O_TRUNC)
}

// Kept reports whether a run that is on hold was said to stay.
func (v *Vault) Kept(r *Record) bool {
	_, err := os.Stat(filepath.Join(v.runs(), r.ID, keptName))
	return err == nil
}

// Size returns how many bytes a run takes in the vault.
func (v *Vault) Size(r *Record) int64 {
	var size int64
	_ = filepath.WalkDir(filepath.Join(v.runs(), r.ID), func(_ string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			if info, err := d.Info(); err == nil {
				size += info.Size()
			}
		}
		return nil
	})
	return size
}

// Pruning says which runs are to be forgotten: those past the newest Keep, or older
// than OlderThan; where both are given, those that both name. A zero asks nothing.
type Pruning struct {
	Keep      int
	OlderThan time.Duration
}

// Prune forgets runs, and returns them. They cannot be taken back any more. Runs on
// hold stay.
func (v *Vault) Prune(ctx context.Context, p Pruning, now time.Time) ([]*Record, error) {
	unlock, err := v.lock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	records, err := v.Runs()
	if err != nil {
		return nil, err
	}
	var pruned []*Record
	for i, r := range records {
		tooMany := p.Keep == 0 || i < len(records)-p.Keep
		tooOld := p.OlderThan == 0 || now.Sub(r.Time) > p.OlderThan
		held := !r.Hold.IsZero() && now.Before(r.Hold) && !v.Kept(r)
		if !tooMany || !tooOld || held || r.State == Staging || r.State == Replacing {
			continue
		}
		if err := os.RemoveAll(filepath.Join(v.runs(), r.ID)); err != nil {
			return pruned, err
		}
		pruned = append(pruned, r)
	}
	return pruned, nil
}

// CutOff returns the runs that were cut off, for a command that only reads: none
// while another one is writing.
func (v *Vault) CutOff() []*Record {
	path := filepath.Join(v.folder, "lock")
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	l := flock.New(path, flock.SetFlag(os.O_RDONLY))
	ok, err := l.TryRLock()
	if err != nil || !ok {
		return nil
	}
	defer func() { _ = l.Unlock() }()
	cut, _ := v.Unfinished()
	return cut
}
