package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// Locked is a store that nobody else writes to until it is unlocked.
type Locked struct {
	*Store
	lock disk.Dir
}

// LockThere is Lock for a store that exists. It makes no directory: one that is missing may be on a file system that is
// not mounted.
func (s *Store) LockThere(ctx context.Context) (*Locked, error) {
	dir, err := s.System.OpenDir(s.runsPath())
	if err != nil {
		return nil, err
	}
	disk.Close(dir)
	return s.Lock(ctx)
}

// Lock makes the store's directory, and keeps other writers out until Unlock.
func (s *Store) Lock(ctx context.Context) (*Locked, error) {
	above, _, err := disk.MakePath(s.System, filepath.Dir(s.path), 0o700)
	if err != nil {
		return nil, &NoDirError{err}
	}
	defer disk.Close(above)
	dir, err := makeIn(above, s.path, ofAStore)
	if err != nil {
		return nil, &NoDirError{err}
	}
	l := &Locked{s, dir}
	working.Add(1)
	if err := Wait(ctx, dir.TryLock, ErrBusy); err != nil {
		l.Unlock()
		return nil, err
	}
	runs, err := makeIn(dir, s.runsPath(), func(string) bool { return true })
	if err == nil {
		err = l.sweep(runs)
		disk.Close(runs)
	}
	if err != nil {
		l.Unlock()
		return nil, &NoDirError{err}
	}
	return l, nil
}

// ID returns the identity of the locked directory.
func (l *Locked) ID() disk.ID { return l.lock.ID() }

// Unlock lets others write.
func (l *Locked) Unlock() {
	working.Add(-1)
	disk.Close(l.lock)
}

// working counts the stores that this program has locked.
var working atomic.Int32

// Working reports whether this program is at work on a store just now, so that it should
// not be ended.
func Working() bool { return working.Load() > 0 }

// sweep removes the remains of runs that crashed before they began, and of runs that were being removed.
func (l *Locked) sweep(runs disk.Dir) error {
	names, err := runs.Names()
	if err != nil {
		return err
	}
	for _, name := range names {
		if strings.HasPrefix(name, prunedName) {
			removeAll(runs, name)
			continue
		}
		if numberOf(name) == 0 {
			continue // no run's name
		}
		dir, err := runs.OpenDir(name)
		if err != nil {
			continue // not of the store's making
		}
		if _, err = l.steps(dir, name); errors.Is(err, errEmpty) {
			removeAll(runs, name)
		}
		disk.Close(dir)
	}
	return nil
}

// removeAll removes a directory of files, as far as it can.
func removeAll(above disk.Dir, name string) {
	dir, err := above.OpenDir(name)
	if err != nil {
		return
	}
	names, _ := dir.Names()
	for _, n := range names {
		_ = dir.Remove(n)
	}
	disk.Close(dir)
	_ = above.RemoveDir(name)
}

// Begin makes a run's directory, and with it the run's number and ID, and writes the first
// step of its life and its record.
func (l *Locked) Begin(r *Record) error {
	runs, err := l.System.OpenDir(l.runsPath())
	if err != nil {
		return err
	}
	defer disk.Close(runs)
	names, err := runs.Names()
	if err != nil {
		return err
	}
	r.Number = l.counter()
	for _, name := range names {
		r.Number = max(r.Number, numberOf(name))
	}
	for {
		r.Number++
		r.Format, r.ID = format, fmt.Sprintf("%s-%d", r.Time.Format("20060102-150405"), r.Number)
		err := runs.MakeDir(r.ID, 0o700)
		if err == nil {
			break
		}
		if !errors.Is(err, fs.ErrExist) {
			return err
		}
	}
	if err := runs.Sync(); err != nil {
		return err
	}
	if err := l.Enter(r, Begun); err != nil {
		return err
	}
	return l.Save(r)
}

// counter returns the highest number that a forgotten run had.
func (l *Locked) counter() int {
	text, _, err := disk.ReadFile(l.lock, counterName)
	if err != nil {
		return 0
	}
	n, _ := strconv.Atoi(strings.TrimSpace(string(text)))
	return max(n, 0)
}

// Save writes a run's record, on disk before it returns, whole or not at all.
func (l *Locked) Save(r *Record) error {
	dir, err := l.runDir(r.ID)
	if err != nil {
		return err
	}
	defer disk.Close(dir)
	return errors.Join(putRecord(dir, r), dir.Sync())
}

// Enter moves a run to its next state, which is on disk when Enter returns if it is durable. The error is a
// *StateError if there is no such transition. If Enter fails, the run may be in either state.
func (l *Locked) Enter(r *Record, to State) error {
	steps, err := after(r.ID, r.Steps, to, time.Now())
	if err != nil {
		return err
	}
	dir, err := l.runDir(r.ID)
	if err != nil {
		return err
	}
	defer disk.Close(dir)
	err = putDigested(dir, journalName, r.ID, encodeSteps(steps))
	if err == nil && to.durable(r.State()) {
		err = dir.Sync()
	}
	if err != nil {
		return err
	}
	r.Steps = steps
	return nil
}

// Forget deletes a run, which can then no longer be undone.
func (l *Locked) Forget(r *Record) error {
	counted := strconv.Itoa(max(l.counter(), r.Number)) + "\n"
	fresh := counterName + ".new"
	if err := disk.RemoveIfThere(l.lock, fresh); err != nil {
		return err
	}
	// Lost in a crash, the number may be given once more, which harms nobody.
	if err := disk.WriteFile(l.lock, fresh, []byte(counted), disk.Unsynced); err != nil {
		return err
	}
	if err := l.lock.Rename(fresh, counterName); err != nil {
		return err
	}
	runs, err := l.System.OpenDir(l.runsPath())
	if err != nil {
		return err
	}
	defer disk.Close(runs)
	if err := runs.Rename(r.ID, prunedName+r.ID); err != nil { // so that it is there whole, or not at all
		return err
	}
	if err := runs.Sync(); err != nil { // or else a crash brings it back without some of its files
		return err
	}
	removeAll(runs, prunedName+r.ID)
	return nil
}

// givenUpName begins the name of a run that was given up, since its record cannot be read. What is kept of it stays.
const givenUpName = "given-up-"

// GiveUp sets a run aside that cannot be read, and returns the path of what is kept of it.
func (l *Locked) GiveUp(id string) (string, error) {
	runs, err := l.System.OpenDir(l.runsPath())
	if err != nil {
		return "", err
	}
	defer disk.Close(runs)
	if err := runs.Rename(id, givenUpName+id); err != nil {
		return "", err
	}
	return filepath.Join(l.runsPath(), givenUpName+id), runs.Sync()
}

// Mend gives a run whose journal is damaged another one, by which it was cut off, and returns its record. The error is
// why the record cannot be read.
func (l *Locked) Mend(id string) (*Record, error) {
	dir, err := l.runDir(id)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	r, err := l.getRecord(dir, id)
	if err != nil {
		return nil, err
	}
	if r.ID != id {
		return nil, trailer.ErrDamaged
	}
	r.Steps = []Step{{State: Begun, At: r.Time}}
	if r.Staged {
		r.Steps = append(r.Steps, Step{State: Replacing, At: r.Time})
	}
	return r, errors.Join(putDigested(dir, journalName, id, encodeSteps(r.Steps)), dir.Sync())
}

// Dir returns the path of a run's own directory.
func (s *Store) Dir(r *Record) string { return filepath.Join(s.runsPath(), r.ID) }
