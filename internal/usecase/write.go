package usecase

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"time"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/progress"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// Writing says what happens around the writing of files.
type Writing struct {
	Store   *store.Store
	Command []string // as it was given, for the history
	Note    string
	Fleet   string // the run over many hosts that this is part of; "" for none
	Beside  string // suffix of the names of copies of the old files; "" for no copies
	Into    string // a directory for the changed files, whose originals stay; "" for none
	After   string // a command to run once files have changed
	Prove   *hook.Proof
	// ProveFile is the proof of each new file, before any is live.
	ProveFile *hook.Proof
	Hold      time.Duration // 0 for no hold
	// Guard starts what watches a run on hold.
	Guard func(id string) error
	Out   io.Writer // gets what commands print
	// Progress counts files and bytes written; nil to tell nobody.
	Progress *progress.Meter
	// Keep is the limits on kept runs. Tidied is called if the run deleted some.
	Keep   history.Keeping
	Tidied func(runs int, freed int64, err error)
	// Force says which runs are settled by what their files hold, or given up, if they cannot be recovered otherwise. nil
	// is none.
	Force func(id string) bool
	// Recovered is called, before anything is written, with the runs that were put back.
	Recovered func(Recovered)
}

// Recovered are the runs that were cut off, or that nobody kept in time.
type Recovered struct {
	CutOff  []transaction.Recovered
	Overdue []hold.Outcome
	Damaged []store.Damaged // which may have been cut off, and are left alone
	GivenUp []GivenUp       // damaged ones that were given up
	Done    []*store.Record // ones with a damaged journal, whose files all are what they wrote
}

// A GivenUp is a run that cannot be read and was set aside.
type GivenUp struct {
	store.Damaged
	Kept string // the path of what is kept of it
}

// recoverRuns puts back runs that were cut off, and takes back those that nobody kept in time.
// One that cannot be put back does not stop the others, nor the run to be written.
func recoverRuns(ctx context.Context, l *store.Locked, command []string, force func(id string) bool) (Recovered, error) {
	if force == nil {
		force = func(string) bool { return false }
	}
	var s Recovered
	cut, damaged, err := transaction.Recover(ctx, l, force)
	if err != nil {
		return s, err
	}
	s.CutOff = cut
	for _, d := range damaged {
		if !force(d.ID) {
			s.Damaged = append(s.Damaged, d)
		} else if err := s.settle(ctx, l, d); err != nil {
			return s, err
		}
	}
	s.Overdue, err = hold.Overdue(ctx, l, command, force)
	return s, err
}

// settle settles a damaged run by what its files hold, or gives it up if its record cannot be read.
func (s *Recovered) settle(ctx context.Context, l *store.Locked, d store.Damaged) error {
	r, done, err := transaction.Settle(ctx, l, d.ID)
	switch {
	case err != nil:
		kept, err := l.GiveUp(d.ID)
		if err != nil {
			return err
		}
		s.GivenUp = append(s.GivenUp, GivenUp{d, kept})
	case done && r.Err == nil:
		s.Done = append(s.Done, r.Run)
	default:
		s.CutOff = append(s.CutOff, r)
	}
	return nil
}

// write recovers earlier runs, and then writes changes as a run; nil if there are none.
func (w *Writing) write(ctx context.Context, intent transaction.Intent, changes change.Set) (*store.Record, error) {
	if changes.Len() == 0 {
		return nil, nil
	}
	if w.Into != "" {
		var err error
		if changes, err = w.into(changes); err != nil {
			return nil, err
		}
	}
	r, err := w.locked(ctx, intent, changes)
	if err != nil {
		return nil, err
	}
	dir := ""
	if intent.Undoes != "" {
		if undone, err := w.Store.Run(intent.Undoes); err == nil {
			dir = string(undone.Dir)
		}
	}
	hook.After(ctx, r.After, dir, w.Out)
	return r, nil
}

// locked writes a run with the store locked.
func (w *Writing) locked(ctx context.Context, intent transaction.Intent, changes change.Set) (*store.Record, error) {
	l, err := w.Store.Lock(ctx)
	if err != nil {
		return nil, err
	}
	defer l.Unlock()
	recovered, err := recoverRuns(ctx, l, w.Command, w.Force)
	if err != nil {
		return nil, err
	}
	w.tellRecovered(ctx, recovered)
	intent.Fleet, intent.Command, intent.Note, intent.Beside, intent.Hold, intent.Guard = w.Fleet, w.Command, w.Note, w.Beside, w.Hold, w.Guard
	if intent.After == "" {
		intent.After = w.After
	}
	intent.LeftBy = history.LeftBy(w.Store)
	intent.Progress = w.Progress
	if w.Prove != nil {
		intent.Prove = w.Prove.All
	}
	if w.ProveFile != nil {
		intent.ProveFile = w.ProveFile.File
	}
	r, err := transaction.Write(ctx, l, intent, changes)
	if err == nil && intent.Kind == store.Undo {
		if undone, err := l.Run(intent.Undoes); err == nil {
			_ = transaction.Unmake(l, r, undone) // a directory that stays harms nobody
		}
	}
	if err == nil && w.Keep != (history.Keeping{}) {
		runs, freed, err := history.Tidy(l, w.Keep, time.Now())
		if w.Tidied != nil {
			w.Tidied(runs, freed, err)
		}
	}
	return r, err
}

// tellRecovered reports the recovered runs, and follows up on those that were taken back.
func (w *Writing) tellRecovered(ctx context.Context, s Recovered) {
	if w.Recovered != nil {
		w.Recovered(s)
	}
	for _, o := range s.Overdue {
		if o.Undo != nil {
			hook.After(ctx, o.Run.After, string(o.Run.Dir), w.Out)
		}
	}
}

// into turns changes of files into new files in a directory, the originals left as they
// are.
func (w *Writing) into(changes change.Set) (change.Set, error) {
	abs, err := disk.Resolve(w.Into)
	if err != nil {
		return nil, err
	}
	moves, err := movesOf(changes)
	if err != nil {
		return nil, err
	}
	var out change.List
	for i := range changes.Len() {
		c, err := changes.At(i)
		if err != nil {
			return nil, err
		}
		if c.Kind == disk.Directory { // its files are among the changes
			continue
		}
		name := Below(moves.Shown(c.Path, c.Absolute(), c.NewName))
		copied := change.Change{Path: filepath.Join(w.Into, name), Dir: abs, Name: name, Op: change.Create, Role: change.Copy, Kind: c.Kind, Rules: c.Rules}
		if c.Kind == disk.Link {
			copied.NewTarget, copied.Meta = c.NewTarget, disk.Meta{Mode: 0o777, UID: os.Geteuid(), GID: os.Getegid()}
			out = append(out, copied)
			continue
		}
		if copied.Meta, err = metaOf(w.Store.System, &c); err != nil {
			return nil, err
		}
		old := func() (io.ReadCloser, error) {
			if c.Op == change.Rename {
				return opened(w.Store.System, &c)
			}
			return c.Reader(w.Store.System)
		}
		copied.Edits = edit.Between{Old: edit.Empty, Fresh: edit.Edited(old, c.Edits)}
		if c.Edits == nil {
			copied.Edits = edit.Between{Old: edit.Empty, Fresh: old}
		}
		out = append(out, copied)
	}
	return out, nil
}

// opened opens the file of a change that leaves its content alone.
func opened(system disk.System, c *change.Change) (io.ReadCloser, error) {
	f, err := c.Open(system)
	if err != nil {
		return nil, err
	}
	return disk.Open(f), nil
}

// metaOf returns the attributes of the file of a change.
func metaOf(system disk.System, c *change.Change) (disk.Meta, error) {
	f, err := c.Open(system)
	if err != nil {
		return disk.Meta{}, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err != nil {
		return disk.Meta{}, err
	}
	return disk.MetaOf(f, info)
}

// Below returns the name of a file below a directory that mirrors the current one: its path relative to the current
// directory, or its absolute path without the first slash.
func Below(path string) string {
	here, err := filepath.Abs(".")
	if err != nil {
		return path
	}
	abs, err := filepath.Abs(path)
	if err != nil {
		return path
	}
	if rel, err := filepath.Rel(here, abs); err == nil && filepath.IsLocal(rel) {
		return rel
	}
	return abs[1:]
}

// OpenStore returns the store that this person's runs are kept in.
func OpenStore() (*store.Store, error) {
	path, err := store.DefaultDir()
	if err != nil {
		return nil, err
	}
	above, err := disk.Resolve(filepath.Dir(path))
	if err != nil {
		return nil, &store.NoDirError{Reason: err}
	}
	return store.Open(filepath.Join(above, filepath.Base(path)), disk.Real{}), nil
}

// Recover puts back the runs that were cut off or expired, and writes nothing else.
func Recover(ctx context.Context, w Writing) (Recovered, error) {
	cut, damaged, err := w.Store.Unfinished()
	if err != nil {
		return Recovered{}, err
	}
	held, err := w.Store.OnHold()
	if err != nil || len(cut)+len(held)+len(damaged) == 0 { // then there is nothing to lock for, nor perhaps a store
		return Recovered{}, err
	}
	l, err := w.Store.Lock(ctx)
	if err != nil {
		return Recovered{}, err
	}
	defer l.Unlock()
	s, err := recoverRuns(ctx, l, w.Command, w.Force)
	if err == nil {
		w.tellRecovered(ctx, s)
	}
	return s, err
}

// CutOff returns the runs that were cut off, for a command that only reads: none
// while another one is writing.
func CutOff(s *store.Store) []*store.Record {
	if s.BeingWritten() {
		return nil
	}
	cut, _, _ := s.Unfinished()
	return cut
}

// ErrNothingTaken is the error of a person who broke off.
var ErrNothingTaken = exit.Refusedf("nothing was taken")
