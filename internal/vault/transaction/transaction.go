// Package transaction writes files so that each one is whole at every instant, and either all files
// of a run are written or none. It is the only package that changes a user's file.
//
// [Write] takes these steps, each of which is on disk before the next:
//
//  1. The record lists the files.
//  2. Old contents go to the backup, new contents to temporary files beside their
//     targets, with the attributes of the originals; the record describes them.
//  3. The journal says "replacing".
//  4. Each target and each temporary file is checked for changes, and the temporary file is renamed over
//     its target. A file that must keep its inode is rewritten in place: its old and its whole new
//     content are on disk by then.
//  5. Files, links and directories get their new names, from the deepest directory up.
//  6. The journal says "done", or "held".
//
// A run that does not finish is undone at once, or by [Recover]; a run that did not report
// success has changed nothing.
package transaction

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"maps"
	"os"
	"os/user"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/progress"
	"frizzel/internal/spool"
	"frizzel/internal/vault/store"
)

// An Intent describes the run to be written.
type Intent struct {
	Kind    store.Kind
	Undoes  string
	Command []string
	Note    string
	Fleet   string   // the run over many hosts that it is part of
	Rules   []string // labels; edits refer to them by index
	Changes int
	After   string        // a command, kept for when the run is taken back
	Hold    time.Duration // how long the run waits to be kept; 0 for no hold
	Beside  string        // suffix of the names of copies of the old files
	Left    []store.Left  // what an undo leaves alone

	// Guard is called for a run on hold before its first file is live: from then on
	// somebody watches it.
	Guard func(id string) error
	// ProveFile is asked about each new content before any is live, by the path of
	// its staged copy; Prove when all are live. An error of either puts the run back.
	ProveFile func(ctx context.Context, path, staged string) error
	Prove     func(ctx context.Context) error
	Progress  *progress.Meter // counts files and bytes written; nil to tell nobody
	// LeftBy returns the digests of what earlier runs left at a path, whole, which this one may
	// replace there.
	LeftBy func(path string) []digest.Digest
}

// ExistsError is the error of a file that would be made and is there already.
type ExistsError struct{ Path string }

// ExitStatus returns Refused.
func (*ExistsError) ExitStatus() exit.Status { return exit.Refused }

func (e *ExistsError) Error() string {
	return fmt.Sprintf("%s is there already, and no run left it there; nothing was written", e.Path)
}

// NotPutBackError is the error of a run that failed and could not be put back whole.
type NotPutBackError struct {
	Run    *store.Record
	Cause  error
	Left   []store.Left // with the reason of each
	Away   []string     // files that could not be looked at
	Undone error        // why the run could not be put back
}

// ExitStatus returns InPart: some text of the run may stay.
func (*NotPutBackError) ExitStatus() exit.Status { return exit.InPart }

func (e *NotPutBackError) Error() string {
	var text strings.Builder // there may be very many files
	text.WriteString(strings.TrimSuffix(e.Cause.Error(), "; nothing was written"))
	text.WriteString("; not all is as before")
	if e.Undone != nil {
		fmt.Fprintf(&text, "\nrun %s could not be put back, and the next command that writes tries again: %v", e.Run.Name(), e.Undone)
	}
	for _, l := range e.Left {
		fmt.Fprintf(&text, "\nnot put back: %s: %s", l.Path, l.Reason)
		if l.OldCopy != "" {
			fmt.Fprintf(&text, "; its old content is in %s", l.OldCopy)
		}
	}
	for _, path := range e.Away {
		fmt.Fprintf(&text, "\nnot put back yet: %s is out of reach", path)
	}
	return text.String()
}

func (e *NotPutBackError) Unwrap() error { return e.Cause }

// writer is one run at work.
type writer struct {
	store   *store.Locked
	intent  Intent
	record  *store.Record
	changes change.Set  // the requested changes
	beside  map[int]int // from the index of a target to that of its copy
	wanted  wanted
	dirs    *dirs
	renames map[string][]*renaming
	looks   spool.Table // attributes of each target when its copy was staged, and of the copy
	inPlace atomic.Bool // some file is to be rewritten in place
	mounts  sync.Once
	mounted map[string]bool // paths that are mount points
	live    []bool          // files that may have their new content, each set by one goroutine
	last    store.State     // that was to be entered when that failed
}

// Write makes all changes, or none if it returns an error.
func Write(ctx context.Context, l *store.Locked, intent Intent, changes change.Set) (*store.Record, error) {
	w, err := newWriter(ctx, l, intent, changes)
	if err != nil {
		return nil, err
	}
	if w.dirs, err = openAll(ctx, l, w.wanted); err != nil {
		return nil, err
	}
	defer w.dirs.close()
	for _, path := range w.dirs.made {
		w.record.Made = append(w.record.Made, change.Path(path))
	}
	if err := w.write(ctx); err != nil {
		return nil, w.giveUp(err)
	}
	return w.record, nil
}

func newWriter(ctx context.Context, l *store.Locked, intent Intent, changes change.Set) (*writer, error) {
	w := &writer{store: l, intent: intent, changes: changes, beside: map[int]int{}, wanted: wanted{}}
	all := changes.Len()
	if intent.Beside != "" {
		for i := range changes.Len() {
			c, err := changes.At(i)
			if err != nil {
				return nil, err
			}
			if c.Op == change.Rewrite {
				w.beside[i] = all
				all++
			}
		}
	}
	w.record = newRecord(intent)
	w.record.Beside = all - changes.Len()
	w.record.Files = store.NewFiles(w.record.Secret, all)
	w.looks.Grow(all)
	w.live = make([]bool, all)
	used := map[int]bool{}
	first := map[string]int{} // the file of each directory that says which directory is meant
	var one sync.Mutex
	err := each(ctx, changes.Len(), func(i int) error {
		c, err := changes.At(i)
		if err != nil {
			return err
		}
		e := entryOf(&c)
		one.Lock()
		if k, ok := first[dirOf(e)]; !ok || i < k {
			first[dirOf(e)], w.wanted[dirOf(e)] = i, e
		}
		for _, rule := range e.Rules {
			used[rule] = true
		}
		if e.NewName != "" {
			w.record.Renamed++
			if e.Kind == disk.Directory {
				w.record.Moves = append(w.record.Moves, change.Move{Path: change.Path(e.Absolute()), Name: e.NewName})
			}
		}
		one.Unlock()
		err = w.record.Files.Set(i, e)
		if k, ok := w.beside[i]; ok && err == nil {
			c = w.besideOf(&c)
			err = w.record.Files.Set(k, entryOf(&c))
		}
		return err
	})
	w.record.Used = append([]int{}, slices.Sorted(maps.Keys(used))...)
	return w, err
}

// besideOf returns the change that writes the old content of a file beside it.
func (w *writer) besideOf(c *change.Change) change.Change {
	return change.Change{
		Path: c.Path + w.intent.Beside, Dir: c.Dir, Name: c.Name + w.intent.Beside, In: c.In,
		Op: change.Create, Role: change.Beside, Of: -1,
	}
}

func newRecord(intent Intent) *store.Record {
	r := &store.Record{
		Kind: intent.Kind, Undoes: intent.Undoes, Time: time.Now(), Boot: disk.Boot(), Command: intent.Command,
		Note: intent.Note, Fleet: intent.Fleet, Rules: intent.Rules, Changes: intent.Changes, After: intent.After, Hold: intent.Hold, Left: intent.Left,
		Secret: rand.Text(),
	}
	r.Host, _ = os.Hostname()
	if u, err := user.Current(); err == nil {
		r.User = u.Username
	}
	here, _ := os.Getwd()
	r.Dir = change.Path(here)
	return r
}

// entryOf returns the entry of a file before it is staged.
func entryOf(c *change.Change) *store.Entry {
	return &store.Entry{
		Path: change.Path(c.Path), Dir: change.Path(c.Dir), Name: change.Path(c.Name), In: c.In,
		Op: c.Op, Role: c.Role, Before: c.Before, Rules: rulesOf(c),
		NewName: change.Path(c.NewName), Kind: c.Kind, Target: change.Path(c.Target), NewTarget: change.Path(c.NewTarget), Of: c.Of,
	}
}

// A look is the state of a target and of its copy when the copy was staged.
type look struct{ found, staged disk.Info }

// saw stores the state of file i after it was staged.
func (w *writer) saw(i int, e *store.Entry, l look) error {
	to := change.NewEncoder(256)
	to.Info(l.found)
	to.Info(l.staged)
	return errors.Join(w.record.Files.Set(i, e), w.looks.Set(i, to.Text))
}

// seen returns what saw kept.
func (w *writer) seen(i int) (*store.Entry, look, error) {
	text, err := w.looks.At(i, nil)
	if err != nil {
		return nil, look{}, err
	}
	d := change.NewDecoder(text)
	l := look{d.Info(), d.Info()}
	e, err := w.record.Files.At(i)
	return e, l, errors.Join(err, d.Err)
}

// rulesOf returns the rules that made a change's edits, each once.
func rulesOf(c *change.Change) []int {
	edits, ok := c.Edits.(edit.List)
	if !ok {
		return c.Rules
	}
	seen := map[int]bool{}
	var rules []int
	for _, e := range edits {
		for _, r := range e.Rules {
			if !seen[r] {
				seen[r] = true
				rules = append(rules, r)
			}
		}
	}
	return rules
}

// write goes through the steps.
func (w *writer) write(ctx context.Context) error {
	if err := w.store.Begin(w.record); err != nil {
		return err
	}
	w.intent.Progress.Begin("writing")
	if err := w.stageAll(ctx); err != nil {
		return err
	}
	if err := w.planned(); err != nil {
		return err
	}
	if err := w.proveFiles(ctx); err != nil {
		return err
	}
	if w.record.Hold > 0 && w.intent.Guard != nil {
		if err := w.intent.Guard(w.record.ID); err != nil {
			return fmt.Errorf("nobody would watch over the hold, so nothing was written: %w", err)
		}
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if err := w.store.Enter(w.record, store.Replacing); err != nil {
		return err
	}
	if err := w.replaceAll(ctx); err != nil {
		return err
	}
	if w.intent.Prove != nil {
		if err := w.intent.Prove(ctx); err != nil {
			return err
		}
	}
	if w.record.Hold > 0 {
		return w.end(store.Held)
	}
	return w.end(store.Done)
}

// errUnsure marks the error of a run whose last word may be on disk or not.
var errUnsure = errors.New("whether the run was written could not be made sure of")

func (w *writer) end(state store.State) error {
	if err := w.store.Enter(w.record, state); err != nil {
		w.last = state
		return errors.Join(errUnsure, err)
	}
	if w.inPlace.Load() {
		dropStaged(w.store, w.record)
	}
	return nil
}

// dropStaged releases the staged contents of files rewritten in place.
func dropStaged(l *store.Locked, r *store.Record) {
	i := 0
	for e, err := range r.Files.All() {
		if err == nil && e.InPlace {
			l.DropStaged(r, i)
		}
		i++
	}
}

// giveUp puts back what an unfinished run did, and returns why it was not finished.
func (w *writer) giveUp(cause error) error {
	if w.record.State() == "" { // it never began
		unmake(w.store.System, w.record.Made)
		return cause
	}
	live := w.record.State() == store.Replacing
	if errors.Is(cause, errUnsure) {
		// The journal may say that it is done: then it is, unless it says otherwise again.
		w.record.Steps = append(w.record.Steps, store.Step{State: w.last, At: time.Now()})
		if err := w.store.Enter(w.record, store.PuttingBack); err != nil {
			return &NotPutBackError{Run: w.record, Cause: cause, Undone: err}
		}
	}
	names := newNaming(w.record, sameBoot)
	if live {
		if err := names.namesBack(inOpen(w.dirs)); err != nil {
			return &NotPutBackError{Run: w.record, Cause: cause, Undone: err}
		}
	}
	s, err := restore(w.store, w.record, w.dirs, names, func(i int) bool { return w.live[i] })
	if err != nil && !live && len(s.Left)+len(s.Away) == 0 {
		return cause // nothing was touched; the next command closes the record
	}
	if err != nil || len(s.Left)+len(s.Away) > 0 {
		return &NotPutBackError{Run: w.record, Cause: cause, Left: s.Left, Away: s.Away, Undone: err}
	}
	return cause
}
