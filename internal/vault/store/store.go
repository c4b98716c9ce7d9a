// Package store keeps the records of runs: their files and edits, their states, and the old contents of their
// files.
//
// The central type is [Store], a private directory. Each run has a directory below runs, named by its
// date and its number, with three files: the record (the run, file by file), the journal (its
// [State]) and the backup (all old contents, one after another). Record and journal end in a digest and
// are replaced as a whole, and the record has a digest of every content. Anything that does not match its
// digest is reported as damaged and never used.
//
// A writer locks the store first, and then uses the [Locked] that this returns.
package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/trailer"
)

// A Store is a directory of runs, readable only by its owner.
type Store struct {
	path   string
	System disk.System // of the user's files and the store's own
	Limits Limits
}

// Limits says how contents are written, by their sizes in bytes.
type Limits struct {
	MaxHeld int64 // a larger content is staged, and read from the backup, in pieces instead of in memory
	MinFast int64 // from this size on, a content staged in pieces is compressed five times as fast and less well: to compress more would take longer than to write it
}

// defaultLimits are those of a Store that Open returns.
var defaultLimits = Limits{MaxHeld: 4 << 20, MinFast: 4 << 20}

// DefaultDir returns where backups and history are kept: $FRIZZEL_STATE; for
// root /var/lib/frizzel; else $XDG_STATE_HOME/frizzel or ~/.local/state/frizzel.
func DefaultDir() (string, error) {
	if f := os.Getenv("FRIZZEL_STATE"); f != "" {
		return filepath.Abs(f)
	}
	if os.Geteuid() == 0 {
		return "/var/lib/frizzel", nil
	}
	if f := os.Getenv("XDG_STATE_HOME"); filepath.IsAbs(f) {
		return filepath.Join(f, "frizzel"), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", &NoDirError{err}
	}
	return filepath.Join(home, ".local", "state", "frizzel"), nil
}

// Open returns the store in a directory, which need not exist yet. Nothing is
// created before the first run is written.
func Open(path string, system disk.System) *Store { return &Store{path, system, defaultLimits} }

// Path returns the store's directory.
func (s *Store) Path() string { return s.path }

// Names in the store.
const (
	runsName    = "runs"
	counterName = "last-number"
	recordName  = "record"
	journalName = "journal"
	backupName  = "backup"
	// FleetName is the directory of what belongs to runs over many hosts.
	FleetName  = "fleet"
	prunedName = "pruned-" // begins the name of a run that is being removed
)

func (s *Store) runsPath() string { return filepath.Join(s.path, runsName) }

func (s *Store) runDir(id string) (disk.Dir, error) {
	runs, err := s.System.OpenDir(s.runsPath())
	if err != nil {
		return nil, err
	}
	defer disk.Close(runs)
	return runs.OpenDir(id)
}

// Damaged is a run, or something in its place, that cannot be read.
type Damaged struct {
	ID     string
	Reason error
}

// DamagedError is the error of a run that cannot be read.
type DamagedError struct{ Damaged }

// ExitStatus returns Unreadable.
func (*DamagedError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *DamagedError) Error() string {
	return fmt.Sprintf("run %s cannot be read and is left alone: %v", e.ID, e.Reason)
}

// MissingError is the error of a run that is not there.
type MissingError struct{ Name string }

// ExitStatus returns Wrong.
func (*MissingError) ExitStatus() exit.Status { return exit.Wrong }

func (e *MissingError) Error() string { return fmt.Sprintf("there is no run %q", e.Name) }

// Runs returns the records of all runs, the oldest first, and the damaged ones.
func (s *Store) Runs() ([]*Record, []Damaged, error) {
	return s.some(func(State) bool { return true })
}

// Unfinished returns the runs that are at work just now or were cut off.
func (s *Store) Unfinished() ([]*Record, []Damaged, error) { return s.some(State.Unfinished) }

// OnHold returns the runs that wait to be kept.
func (s *Store) OnHold() ([]*Record, error) {
	records, _, err := s.some(func(state State) bool { return state == Held })
	return records, err
}

// some returns the records of the runs whose state is wanted; those of others are not
// read.
func (s *Store) some(wanted func(State) bool) (records []*Record, damaged []Damaged, err error) {
	ids, err := s.ids()
	if err != nil {
		return nil, nil, err
	}
	for _, id := range ids {
		r, err := s.read(id, wanted)
		switch {
		case errors.Is(err, errEmpty):
		case err != nil:
			damaged = append(damaged, Damaged{id, err})
		case r != nil:
			records = append(records, r)
		}
	}
	slices.SortStableFunc(records, func(a, b *Record) int {
		return cmp.Or(cmp.Compare(a.Number, b.Number), a.Time.Compare(b.Time), strings.Compare(a.ID, b.ID))
	})
	return records, damaged, nil
}

// ids lists the names in the directory of runs, in order.
func (s *Store) ids() ([]string, error) {
	runs, err := s.System.OpenDir(s.runsPath())
	if disk.Missing(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer disk.Close(runs)
	ids, err := runs.Names()
	ids = slices.DeleteFunc(ids, func(id string) bool {
		return strings.HasPrefix(id, prunedName) || strings.HasPrefix(id, givenUpName)
	})
	slices.Sort(ids)
	return ids, err
}

// errEmpty is the reason of a run's directory without anything in it: it was cut off before
// it did anything.
var errEmpty = errors.New("it was cut off before it began")

// read reads a run, nil if its state is not wanted.
func (s *Store) read(id string, wanted func(State) bool) (*Record, error) {
	dir, err := s.runDir(id)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	steps, err := s.steps(dir, id)
	if err != nil || !wanted(stateOf(steps)) {
		return nil, err
	}
	r, err := s.getRecord(dir, id)
	if err == nil && (r.ID != id || !r.Staged && stateOf(steps) != Begun && stateOf(steps) != PuttingBack && stateOf(steps) != PutBack) {
		err = trailer.ErrDamaged
	}
	if err != nil {
		return nil, err
	}
	r.Steps = steps
	return r, nil
}

// steps reads a run's journal. The error is errEmpty if the run crashed before its record was written.
func (s *Store) steps(dir disk.Dir, id string) ([]Step, error) {
	body, err := getDigested(dir, journalName, id)
	if err != nil && !disk.Missing(err) {
		return nil, err
	}
	var steps []Step
	if err == nil {
		if steps, err = decodeSteps(id, body); err != nil || stateOf(steps) != Begun {
			return steps, err
		}
	}
	names, namesErr := dir.Names()
	if namesErr == nil && !slices.ContainsFunc(names, ofARun) {
		return nil, errEmpty
	}
	return steps, errors.Join(err, namesErr)
}

// ofARun reports whether a file in a run's directory is there only once its record is.
func ofARun(name string) bool { return name != journalName && !strings.HasSuffix(name, ".new") }

// Run returns the run that a person names, by its ID or its number. The error is a
// *MissingError or a *DamagedError.
func (s *Store) Run(name string) (*Record, error) {
	ids, err := s.ids()
	if err != nil {
		return nil, err
	}
	number, _ := strconv.Atoi(name)
	for _, id := range ids {
		if id != name && (number <= 0 || numberOf(id) != number) {
			continue
		}
		r, err := s.read(id, func(State) bool { return true })
		switch {
		case id != name && err == nil && r.Number != number, errors.Is(err, errEmpty):
			continue
		case err != nil:
			return nil, &DamagedError{Damaged{id, err}}
		}
		return r, nil
	}
	return nil, &MissingError{name}
}

// Names reports whether a name, a number or an ID, is that of the run with an ID.
func Names(name, id string) bool {
	number, err := strconv.Atoi(name)
	return name == id || err == nil && number > 0 && numberOf(id) == number
}

// numberOf returns the number at the end of a run's ID, or 0.
func numberOf(id string) int {
	_, last, _ := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(id, prunedName), givenUpName), "-")
	_, last, ok := strings.Cut(last, "-")
	if !ok {
		return 0
	}
	n, err := strconv.Atoi(last)
	if err != nil || n < 0 {
		return 0
	}
	return n
}

// Size returns the size of a run in the store in bytes.
func (s *Store) Size(id string) (size int64) {
	dir, err := s.runDir(id)
	if err != nil {
		return 0
	}
	defer disk.Close(dir)
	names, _ := dir.Names()
	for _, name := range names {
		if info, err := dir.Stat(name); err == nil {
			size += info.Size
		}
	}
	return size
}

// patience is how long a writer waits for another one.
const patience = 10 * time.Second

// ErrBusy is returned where another run holds the store for too long.
var ErrBusy = exit.Refusedf("another run is writing just now; try again when it has ended")

// Wait tries until it succeeds, for as long as a writer waits for another; then it returns
// busy.
func Wait(ctx context.Context, try func() (bool, error), busy error) error {
	over := time.NewTimer(patience)
	defer over.Stop()
	for {
		ok, err := try()
		if ok || err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-over.C:
			return busy
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// BeingWritten reports whether a run is at work on the store just now.
func (s *Store) BeingWritten() bool {
	dir, err := s.System.OpenDir(s.path)
	if err != nil {
		return false
	}
	defer disk.Close(dir)
	ok, err := dir.TryLock()
	return err == nil && !ok
}

// NoDirError is the error of a store that cannot be had.
type NoDirError struct{ Reason error }

// ExitStatus returns Unreadable.
func (*NoDirError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *NoDirError) Error() string {
	return fmt.Sprintf("there is no private directory for backups, so nothing is written: %v; set FRIZZEL_STATE to another one", e.Reason)
}

func (e *NoDirError) Unwrap() error { return e.Reason }

// Reasons of a directory that is not used.
var (
	errNotPrivate = errors.New("it is not a directory that you own")
	errOpen       = errors.New("others may enter it; change its mode to 700")
	errOther      = errors.New("it has other files in it, and no runs")
)

// makeIn makes the store's directory, or one in it, readable only by its owner. An existing one is left as it is; the
// error says why it cannot be used. It may only have names that are known.
func makeIn(above disk.Dir, path string, known func(name string) bool) (disk.Dir, error) {
	name := filepath.Base(path)
	dir, err := disk.MakeDir(above, name, 0o700)
	if err == nil {
		return dir, dir.Chmod(0o700) // whatever the umask is
	}
	if !errors.Is(err, fs.ErrExist) {
		return nil, err
	}
	if dir, err = above.OpenDir(name); err != nil {
		return nil, err
	}
	if err := usable(above, dir, name, known); err != nil {
		disk.Close(dir)
		return nil, &os.PathError{Op: "use", Path: path, Err: err}
	}
	return dir, nil
}

// usable returns why an existing directory cannot be used, or nil.
func usable(above, dir disk.Dir, name string, known func(name string) bool) error {
	info, err := above.Stat(name)
	if err != nil {
		return err
	}
	names, err := dir.Names()
	switch {
	case err != nil:
		return err
	case info.Kind != disk.Directory || info.ID != dir.ID() || info.UID != os.Geteuid():
		return errNotPrivate
	case info.Mode&0o077 != 0:
		return errOpen
	case len(names) > 0 && !slices.ContainsFunc(names, known):
		return errOther
	}
	return nil
}

// ofAStore reports whether a name in a directory shows that it is a store's.
func ofAStore(name string) bool { return name == runsName || name == counterName || name == FleetName }
