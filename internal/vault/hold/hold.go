// Package hold undoes runs that are not confirmed in time.
//
// A run on hold is watched from before its first file is replaced: [Guard] waits until the run
// is kept or its time is over, and then undoes it. The run's journal decides, which is read and written
// under the store's lock, so a run that was kept stays, and one that was undone is never undone again.
// Runs whose guard no longer exists, for example after a reboot, are undone by [Overdue] before anything
// else is written.
package hold

import (
	"context"
	"errors"
	"fmt"
	"time"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// NotHeldError is the error of a run that does not wait to be kept.
type NotHeldError struct{ Run *store.Record }

// ExitStatus returns Wrong.
func (*NotHeldError) ExitStatus() exit.Status { return exit.Wrong }

func (e *NotHeldError) Error() string {
	switch e.Run.State() {
	case store.Kept:
		return fmt.Sprintf("run %s is kept already", e.Run.Name())
	case store.Lapsed:
		return fmt.Sprintf("run %s was taken back, since nobody kept it in time; frizzel redo does it again", e.Run.Name())
	case store.Done:
		return fmt.Sprintf("run %s is not on hold, so it stays anyway", e.Run.Name())
	}
	return fmt.Sprintf("run %s did not come to its end, so there is nothing to keep", e.Run.Name())
}

// Keep confirms a run on hold. The error is a *NotHeldError if the run is not on hold.
func Keep(l *store.Locked, id string) (*store.Record, error) {
	r, err := l.Run(id)
	if err != nil {
		return nil, err
	}
	if r.State() != store.Held {
		return r, &NotHeldError{r}
	}
	return r, l.Enter(r, store.Kept)
}

// Renew has the time of a run on hold begin anew. The error is a *NotHeldError if the run is not on hold, or if its time is
// over.
func Renew(l *store.Locked, id string) (*store.Record, error) {
	r, err := l.Run(id)
	if err != nil {
		return nil, err
	}
	if r.State() != store.Held || !time.Now().Before(r.HeldUntil()) {
		return r, &NotHeldError{r}
	}
	return r, l.Enter(r, store.Held)
}

// An Outcome is the result of undoing a run that nobody kept.
type Outcome struct {
	Run   *store.Record
	Undo  *store.Record // the run that took it back; nil if nothing was left to take back
	Left  []store.Left  // files that are no longer the run's
	Error error         // why it could not be taken back; it still is on hold then
}

// An AwayError reports files of an expired hold that cannot be read now. The run stays on hold until they can.
type AwayError struct{ Paths []change.Path }

// ExitStatus returns Unreadable.
func (*AwayError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *AwayError) Error() string {
	more := ""
	if len(e.Paths) > 1 {
		more = fmt.Sprintf(" and %d more", len(e.Paths)-1)
	}
	return fmt.Sprintf("%s%s cannot be read just now, and is put back as soon as it can", e.Paths[0], more)
}

// Overdue takes back the runs whose time is over. Files of a run for which force is true that cannot be read are given up.
func Overdue(ctx context.Context, l *store.Locked, command []string, force func(id string) bool) ([]Outcome, error) {
	held, err := l.OnHold()
	if err != nil {
		return nil, err
	}
	var all []Outcome
	for _, r := range held {
		if time.Now().Before(r.HeldUntil()) {
			continue
		}
		all = append(all, lapse(ctx, l, r, command, force(r.ID)))
	}
	return all, nil
}

// lapse takes back the files that still have the run's content, and then records that. Files that cannot be read keep the
// run on hold, unless force is set.
func lapse(ctx context.Context, l *store.Locked, r *store.Record, command []string, force bool) Outcome {
	out := Outcome{Run: r}
	records, _, err := l.Runs()
	if err != nil {
		out.Error = err
		return out
	}
	changes := &change.Spooled{}
	var later []store.Left
	left, _, err := history.Reverse(l.Store, records, r, history.Reversal{}, func(b *history.Back) error {
		if b.Later {
			later = append(later, store.Left{Path: change.Path(b.Path), Reason: "it has changed since"})
			return nil
		}
		return changes.Add(b.Change)
	})
	if err != nil {
		out.Error = err
		return out
	}
	var away []change.Path
	for _, f := range left {
		if f.Away && !force {
			away = append(away, f.Path)
		} else {
			later = append(later, f)
		}
	}
	out.Left, left = later, later
	if changes.Len() > 0 {
		out.Undo, out.Error = transaction.Write(ctx, l, transaction.Intent{
			Kind: store.Undo, Undoes: r.ID, Command: command, Rules: r.Rules, Changes: r.Changes,
			Note: "nobody kept run " + r.Name(), After: r.After, Left: left,
		}, changes)
		if out.Error != nil {
			return out
		}
	}
	if len(away) > 0 {
		out.Error = &AwayError{away}
		return out
	}
	out.Error = l.Enter(r, store.Lapsed)
	return out
}

// Retry is how long a guard waits before it tries again what failed, at first and at most.
const (
	retryFirst = time.Second
	retryMost  = 30 * time.Second
)

// Guard watches a run on hold until it is confirmed, undone or put back, and undoes it when its time is over or ctx
// ends. It retries until it succeeds. It calls ready when it watches, and after when the run was undone.
func Guard(ctx context.Context, s *store.Store, id string, command []string, ready func(), after func(Outcome)) {
	g := guard{store: s, id: id, command: command, after: after}
	g.in, _ = storeID(s)
	ready()
	wait := retryFirst
	for {
		over, err := g.finish(context.WithoutCancel(ctx)) // the end of ctx is when there is something to do
		switch {
		case over:
			return
		case errors.Is(err, store.ErrBusy):
		case err != nil:
			g.pause(ctx, wait)
			wait = min(2*wait, retryMost)
		default:
			g.wait(ctx)
		}
	}
}

// guard is one at work.
type guard struct {
	store    *store.Store
	id       string
	command  []string
	after    func(Outcome)
	deadline time.Time // by this program's own clock, which nobody sets back
	steps    int       // of the run's life when the deadline was set: a renewed hold has more
	now      bool      // the time is over, whatever the clock says
	in       disk.ID   // the store's directory when the guard began
}

// storeID returns the identity of a store's directory.
func storeID(s *store.Store) (disk.ID, error) {
	dir, err := s.System.OpenDir(s.Path())
	if err != nil {
		return disk.ID{}, err
	}
	defer disk.Close(dir)
	return dir.ID(), nil
}

// errNotRecovered is the reason of a run that could not be put back whole yet.
var errNotRecovered = errors.New("the run is not recovered")

// finish does what there is to do under the store's lock. It reports over if nothing is
// left to watch; without an error the run waits to be kept.
func (g *guard) finish(ctx context.Context) (over bool, err error) {
	l, err := g.store.LockThere(ctx) // waits for the run itself to end
	if err != nil {
		return false, err
	}
	defer l.Unlock()
	r, err := l.Run(g.id)
	var missing *store.MissingError
	switch {
	case errors.As(err, &missing):
		if now, there := storeID(g.store); there == nil && now == g.in { // someone took the run out of the store
			return true, nil
		}
		return false, err
	case err != nil:
		return false, err
	}
	switch {
	case r.State().Unfinished(): // its program is gone
		return g.recover(ctx, l)
	case r.State() != store.Held:
		return true, nil
	}
	if g.steps != len(r.Steps) {
		g.deadline, g.steps = time.Now().Add(min(time.Until(r.HeldUntil()), r.Hold)), len(r.Steps)
	}
	if time.Now().Before(g.deadline) && !g.now {
		return false, nil
	}
	out := lapse(ctx, l, r, g.command, false)
	if out.Undo != nil {
		g.after(out)
	}
	return out.Error == nil, out.Error
}

// recover puts the run back, which was cut off.
func (g *guard) recover(ctx context.Context, l *store.Locked) (over bool, err error) {
	recovered, _, err := transaction.Recover(ctx, l, func(string) bool { return false })
	for _, s := range recovered {
		if s.Run.ID == g.id && (s.Err != nil || len(s.Away) > 0) {
			err = errors.Join(errNotRecovered, s.Err)
		}
	}
	return err == nil, err
}

// pause waits before another attempt. The end of ctx ends the first such wait early, and says that the time
// is over.
func (g *guard) pause(ctx context.Context, wait time.Duration) {
	ended := ctx.Done()
	if g.now {
		ended = nil
	}
	select {
	case <-ended:
		g.now = true
	case <-time.After(wait):
	}
}

// wait lets the time pass until it is over, or the run may be kept.
func (g *guard) wait(ctx context.Context) {
	for time.Now().Before(g.deadline) {
		select {
		case <-ctx.Done():
			g.now = true
			return
		case <-time.After(min(time.Until(g.deadline), time.Second)):
		}
		if r, err := g.store.Run(g.id); err == nil && (r.State() != store.Held || len(r.Steps) != g.steps) {
			return
		}
	}
}
