package usecase

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"frizzel/core/diff"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// UndoOptions are the options of Undo.
type UndoOptions struct {
	Kind  store.Kind // Undo or Redo
	Names []string   // optionally a run, then paths; without a run, the last one
	Write Writing
	Force bool // files that have changed since, too
	Asks  bool // Take asks a person, who is shown each file; nothing else is written then
	// Take is asked about each file; text is its diff. nil accepts all.
	Take  func(b *history.Back, text diff.Windows) (bool, error)
	Taken func() error // is called when all were asked about, before anything is written; nil for nothing
	Later Later        // how to treat files that changed since
	// Found is called with the run, and with the files that are left alone.
	Found func(r *store.Record, left []store.Left)

	more bool // set by fits
}

// Later is the treatment of a file that changed after the run, if the run's changes can be undone around the
// later ones.
type Later int

const (
	LeaveLater Later = iota // it is left alone
	TakeLater               // it is taken back like others
)

// TakenBack is the result of an undo or a redo.
type TakenBack struct {
	Of      *store.Record
	Run     *store.Record // nil if nothing was written
	Files   int           // written
	Left    []store.Left  // left alone
	Already int           // files that are as they were already
	More    bool          // a redo of a run: other undos of it are left to redo
}

// An odd says why a person is told more of a file that is undone.
type odd struct{ later, moved bool }

// asked returns the accepted changes, and their number of edits. later marks those of files that changed after
// the run.
func (o *UndoOptions) asked(back *change.Spooled, later map[int]odd) (taken *change.Spooled, count int, err error) {
	left := map[int]bool{}
	moves, err := movesOf(back)
	if err != nil {
		return nil, 0, err
	}
	i := -1
	for c, err := range back.All() {
		if i++; err != nil {
			return nil, 0, err
		}
		take := true
		if o.Take != nil {
			if take, err = o.Take(&history.Back{Change: c, Later: later[i].later, Moved: later[i].moved, To: moves.Shown(c.Path, c.Absolute(), c.NewName)}, c.Windows(o.Write.Store.System)); err != nil {
				return nil, 0, err
			}
		}
		if take {
			count += c.Count()
		} else {
			left[i] = true
		}
	}
	if o.Taken != nil {
		err = o.Taken()
	}
	if err == nil && len(left) > 0 {
		back, err = back.Without(func(i int, _ *change.Change) bool { return left[i] })
	}
	return back, count, err
}

// movesOf returns the directories that changes rename.
func movesOf(changes change.Set) (change.Moves, error) {
	moves := change.Moves{}
	for i := range changes.Len() {
		c, err := changes.At(i)
		if err != nil {
			return nil, err
		}
		if c.Kind == disk.Directory && c.NewName != "" {
			moves[c.Absolute()] = c.NewName
		}
	}
	return moves, nil
}

// Undo takes a run back, or an undo, whole or in part. If files are left alone there is
// no error.
func Undo(ctx context.Context, o UndoOptions) (*TakenBack, error) {
	if _, err := Recover(ctx, o.Write); err != nil {
		return nil, err
	}
	records, _, err := o.Write.Store.Runs()
	if err != nil {
		return nil, err
	}
	r, paths, err := o.find(records)
	if err != nil {
		return nil, err
	}
	t := &TakenBack{Of: r, More: o.more}
	look := func(trust history.Trust) (back *change.Spooled, later map[int]odd, err error) {
		return o.look(t, records, history.Reversal{Paths: paths, Force: o.Force, Trust: trust})
	}
	trust := history.TrustAll
	if o.Asks { // show progress before the questions
		trust = history.TrustLarge
	}
	back, later, err := look(trust)
	if err != nil {
		return nil, err
	}
	if o.Found != nil {
		o.Found(r, t.Left)
	}
	taken, count, err := o.asked(back, later)
	if err != nil {
		return t, err
	}
	for {
		t.Run, err = o.Write.write(ctx, transaction.Intent{
			Kind: o.Kind, Undoes: r.ID, Rules: r.Rules, Changes: count, After: r.After, Left: t.Left,
		}, taken)
		var damaged *transaction.DamagedError
		var changed *change.ChangedError
		var torn *transaction.NotPutBackError
		var named *transaction.TakenError
		switch {
		case errors.As(err, &torn):
			return t, err
		case errors.As(err, &damaged):
			t.Left = append(t.Left, store.Left{Path: change.Path(damaged.Path), Reason: "what is kept of it is damaged"})
			taken, err = taken.Without(func(_ int, c *change.Change) bool { return c.Path == damaged.Path })
		case errors.As(err, &named): // the file that has its old name is left alone
			t.Left = append(t.Left, store.Left{Path: change.Path(named.Path), Reason: "its old name is taken by another file, which is left alone"})
			taken, err = taken.Without(func(_ int, c *change.Change) bool { return c.Path == named.Path })
		case errors.As(err, &changed) && trust == history.TrustAll: // some file looked as the run left it, and is not
			trust = history.TrustNone
			if back, later, err = look(trust); err == nil {
				taken, count, err = o.asked(back, later)
			}
		default:
			if t.Run != nil {
				t.Files = taken.Len()
			}
			return t, err
		}
		if err != nil {
			return t, err
		}
	}
}

// look returns the changes that undo a run, and marks those of files that changed after it. It reports the files
// that are left unchanged.
func (o *UndoOptions) look(t *TakenBack, records []*store.Record, how history.Reversal) (back *change.Spooled, later map[int]odd, err error) {
	back, later = &change.Spooled{}, map[int]odd{}
	var left []store.Left
	t.Left, t.Already, err = history.Reverse(o.Write.Store, records, t.Of, how, func(b *history.Back) error {
		if b.Later && o.Later != TakeLater {
			left = append(left, store.Left{Path: change.Path(b.Path), Reason: "it has changed since; --keep-later takes back what the run changed, around the later changes"})
			return nil
		}
		if b.Moved && !o.Force && !o.Asks {
			left = append(left, store.Left{Path: change.Path(b.Path), Reason: "it is what the run left, but its directory is another one by now (restored, copied or made anew); --force takes it back"})
			return nil
		}
		if b.Later || b.Moved {
			later[back.Len()] = odd{b.Later, b.Moved}
		}
		return back.Add(b.Change)
	})
	t.Left = append(t.Left, left...)
	return back, later, err
}

// find returns the run of the first name, or the last run, and the absolute paths of the other names. It returns
// an error if the run did not touch one of them.
func (o *UndoOptions) find(records []*store.Record) (*store.Record, []string, error) {
	r, names, err := o.named(records)
	if err != nil {
		return nil, nil, err
	}
	var paths []string
	for _, p := range names {
		abs, err := filepath.Abs(p)
		if err != nil {
			return nil, nil, err
		}
		if resolved, err := filepath.EvalSymlinks(filepath.Dir(abs)); err == nil {
			abs = filepath.Join(resolved, filepath.Base(abs))
		}
		if resolved, err := filepath.EvalSymlinks(abs); err == nil && !history.Touched(r, abs) {
			abs = resolved
		}
		if !history.Touched(r, abs) {
			return nil, nil, exit.Wrongf("run %s changed nothing at %q", r.Name(), p)
		}
		paths = append(paths, abs)
	}
	return r, paths, nil
}

// named returns the run that is meant, and the names behind it.
func (o *UndoOptions) named(records []*store.Record) (*store.Record, []string, error) {
	names := o.Names
	last := store.Apply
	if o.Kind == store.Redo {
		last = store.Undo
	}
	if len(names) > 0 {
		r, err := o.Write.Store.Run(names[0])
		var missing *store.MissingError
		switch {
		case err == nil:
			r, err = o.fits(records, r)
			return r, names[1:], err
		case !errors.As(err, &missing):
			return nil, nil, err
		}
		if _, err := os.Lstat(names[0]); errors.Is(err, fs.ErrNotExist) {
			return nil, nil, exit.Wrongf("there is no run and no path %q; frizzel history lists the runs", names[0])
		}
	}
	r, err := history.Last(records, last)
	if err != nil {
		return nil, nil, exit.Refusedf("%v", err)
	}
	return r, names, nil
}

// fits returns the run that is to be taken back where r was named.
func (o *UndoOptions) fits(records []*store.Record, r *store.Record) (*store.Record, error) {
	if !r.State().Succeeded() {
		return nil, exit.Refusedf("run %s did not come to its end (%s), so there is nothing to take back", r.Name(), r.State())
	}
	counts, err := history.Undone(records)
	if err != nil {
		return nil, err
	}
	undone := counts[r.ID]
	if o.Kind == store.Undo {
		if undone == r.Files.Len() {
			return nil, exit.Refusedf("run %s was taken back already; frizzel redo %s does it again", r.Name(), r.Name())
		}
		return r, nil
	}
	if r.Kind == store.Undo && undone < r.Files.Len() {
		return r, nil
	}
	undos, err := history.UndosOf(records, r)
	if err != nil {
		return nil, exit.Refusedf("run %s was not taken back, so there is nothing to do again", r.Name())
	}
	o.more = len(undos) > 1
	return undos[0], nil
}
