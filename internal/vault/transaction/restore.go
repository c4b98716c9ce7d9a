package transaction

import (
	"context"
	"errors"
	"io"
	"path/filepath"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// Recovered is the result of putting back a run that was cut off.
type Recovered struct {
	Run  *store.Record
	Left []store.Left // files that are no longer the run's, or cannot be had back
	Away []string     // files that could not be looked at: the run is not recovered
	Err  error        // why it is not recovered; nil if it is, or where files are away
}

// Recover puts back every run that was cut off, as far as possible. It returns the result for each, and the runs that
// cannot be read. One that cannot be recovered does not affect the others. A run for which force is true is settled by
// what its files hold, whatever their directories are; files that cannot be read are given up.
func Recover(ctx context.Context, l *store.Locked, force func(id string) bool) ([]Recovered, []store.Damaged, error) {
	cut, damaged, err := l.Unfinished()
	if err != nil {
		return nil, nil, err
	}
	var all []Recovered
	for _, r := range cut {
		as := identityOf(r)
		if force(r.ID) {
			as = byPath
		}
		s, err := recoverOne(ctx, l, r, as)
		if err != nil {
			damaged = append(damaged, store.Damaged{ID: r.ID, Reason: err})
			continue
		}
		all = append(all, s)
	}
	return all, damaged, nil
}

// recoverOne puts a run back. The error is why its record cannot be read.
func recoverOne(ctx context.Context, l *store.Locked, r *store.Record, as identity) (Recovered, error) {
	s := Recovered{Run: r}
	names := newNaming(r, as)
	if r.Staged && r.State() != store.Begun {
		if s.Err = names.namesBack(byOpening(ctx, l, as)); s.Err != nil {
			return s, nil
		}
	}
	files := wanted{}
	for e, err := range r.Files.All() {
		if err != nil {
			return Recovered{}, err
		}
		if path := names.stuck.Of(dirOf(e)); files[path] == nil {
			files[path] = e
		}
	}
	f := openDirs(l, files, as)
	defer f.close()
	if s.Err = f.lock(ctx, l); s.Err != nil {
		return s, nil
	}
	if as == byPath {
		giveUpAway(f)
	}
	s, err := restore(l, r, f, names, func(int) bool { return true })
	s.Err = err
	return s, nil
}

// errGivenUp is the reason of a file that was out of reach when its run was settled by force.
var errGivenUp = errors.New("its directory is out of reach")

// giveUpAway marks the directories that are out of reach as given up.
func giveUpAway(f *dirs) {
	for _, d := range f.open {
		if d.away != nil {
			d.away = errGivenUp
		}
	}
}

// Settle settles a run whose journal is damaged, so that nobody knows how far it came, by what its files hold: if all have
// their new contents it is done, otherwise it is put back. The error is why its record cannot be read.
func Settle(ctx context.Context, l *store.Locked, id string) (s Recovered, done bool, err error) {
	r, err := l.Mend(id)
	if err != nil {
		return Recovered{}, false, err
	}
	if done, err = allNew(l, r); err != nil {
		return Recovered{}, false, err
	}
	if done {
		return Recovered{Run: r, Err: l.Enter(r, store.Done)}, true, nil
	}
	s, err = recoverOne(ctx, l, r, byPath)
	return s, false, err
}

// allNew reports whether all files of a run have the contents that it wrote.
func allNew(l *store.Locked, r *store.Record) (bool, error) {
	if !r.Staged {
		return false, nil
	}
	for e, err := range r.Files.All() {
		if err != nil {
			return false, err
		}
		after := r.PathAfter(e)
		dir, err := l.System.OpenDir(filepath.Dir(after))
		if err != nil {
			return false, nil
		}
		if !e.HasContent() {
			is := named(dir, filepath.Base(after), e)
			disk.Close(dir)
			if is == (e.Op == change.Remove) {
				return false, nil
			}
			continue
		}
		now, _, err := lookAt(dir, filepath.Base(after), digest.By(e.Before, e.After))
		disk.Close(dir)
		if e.Op == change.Remove {
			if !disk.Missing(err) {
				return false, nil
			}
			continue
		}
		if err != nil || now != e.After {
			return false, nil
		}
	}
	return true, nil
}

// named reports whether a name is that of what a run only renamed, or of a link with the text that it wrote.
func named(dir disk.Dir, name string, e *store.Entry) bool {
	info, err := dir.Stat(name)
	if err != nil || info.Kind != e.Kind {
		return false
	}
	if e.Kind != disk.Link {
		return true
	}
	is, err := dir.ReadLink(name)
	return err == nil && is == string(e.NewTarget)
}

// restorer puts back one run.
type restorer struct {
	names      *naming
	store      *store.Locked
	record     *store.Record
	dirs       *dirs
	live       func(i int) bool // whether file i may be new
	durability disk.Durability  // of each file by itself
	steps      []func() error   // what makes old contents live again
	Recovered
}

// restore puts back a run that did not finish: it removes temporary files, and restores the old content of files
// that have the run's new content. All old contents are on disk before the first file is replaced. If all files
// could be checked, the run is recovered.
// Names are the old ones already, but for those that names left.
func restore(l *store.Locked, r *store.Record, f *dirs, names *naming, live func(i int) bool) (Recovered, error) {
	if !r.Staged || r.State() == store.Begun {
		live = func(int) bool { return false }
	}
	w := &restorer{store: l, record: r, dirs: f, names: names, live: live, durability: durabilityOf(r.Files.Len()), Recovered: Recovered{Run: r}}
	w.Left, w.Away = names.left, names.away
	for i := range r.Files.Len() {
		e, err := r.Files.At(i)
		if err != nil {
			return w.Recovered, err
		}
		p := &putting{w, i, e, names.dirOf(f, e), e.Base()}
		if name, ok := names.at[i]; ok {
			p.name = name
		}
		if errors.Is(p.dir.away, errGivenUp) {
			p.leave(errGivenUp.Error())
			continue
		} else if p.dir.away != nil {
			if e.NewName == "" { // else names said it
				w.Away = append(w.Away, string(e.Path))
			}
			continue
		}
		if err := p.prepare(); err != nil {
			return w.Recovered, err
		}
	}
	if w.durability == disk.Unsynced {
		if err := f.syncSystems(); err != nil {
			return w.Recovered, err
		}
	}
	for _, step := range w.steps {
		if err := step(); err != nil {
			return w.Recovered, err
		}
	}
	if err := f.sync(w.durability); err != nil {
		return w.Recovered, err
	}
	if len(w.Away) > 0 {
		return w.Recovered, nil
	}
	return w.Recovered, w.finish()
}

// finish closes the run's record.
func (w *restorer) finish() error {
	if w.record.State() != store.PuttingBack {
		if err := w.store.Enter(w.record, store.PuttingBack); err != nil {
			return err
		}
	}
	if len(w.Left) > 0 {
		w.record.Left = w.Left
		if err := w.store.Save(w.record); err != nil {
			return err
		}
	}
	if err := w.store.Enter(w.record, store.PutBack); err != nil {
		return err
	}
	unmake(w.store.System, w.record.Made) // after the last step: without its directories a run could not be recovered
	dropStaged(w.store, w.record)
	return nil
}

// putting is one file that is put back.
type putting struct {
	*restorer
	i     int
	entry *store.Entry
	dir   *dir
	name  string
}

// prepare removes the temporary files beside the file, and stages its old content if it must be restored.
func (w *putting) prepare() error {
	e, dir, name := w.entry, w.dir, w.name
	if e.Op == change.Rename {
		return nil
	}
	for _, temp := range []string{e.Temp(), e.Back()} {
		if temp == "" {
			continue
		}
		if err := disk.RemoveIfThere(dir, temp); err != nil {
			return err
		}
	}
	if !w.live(w.i) {
		return nil
	}
	if !e.HasContent() {
		return w.prepareLink()
	}
	now, info, err := lookAt(dir, name, digest.By(e.Before, e.After))
	switch {
	case errors.Is(err, disk.ErrNotRegular):
		w.leave("it is a link, a directory or the like by now")
		return nil
	case err != nil && !disk.Missing(err):
		return err
	case e.Op == change.Create:
		w.unmake(now, info, err)
		return nil
	case err != nil && e.Op != change.Remove:
		w.leave("it is gone")
		return nil
	case err == nil && now == e.Before:
		return nil
	case err == nil && e.Op == change.Remove:
		w.leave("it was made anew by someone else")
		return nil
	}
	if oldErr := w.store.Readable(w.record, e); oldErr != nil {
		w.leave(oldErr.Error())
		return nil
	}
	if e.InPlace {
		return w.prepareInPlace(info)
	}
	if err == nil && now != e.After {
		w.leave("it was changed by someone else")
		return nil
	}
	return w.prepareBack(info, err == nil)
}

// prepareLink stages a symbolic link with its old text, or removes one that the run made.
func (w *putting) prepareLink() error {
	e, dir, name := w.entry, w.dir, w.name
	was, err := dir.Stat(name)
	there, is := err == nil, ""
	if there && was.Kind == disk.Link {
		is, err = dir.ReadLink(name)
	}
	if err != nil && !disk.Missing(err) {
		return err
	}
	old, ours := there && was.Kind == disk.Link && is == string(e.Target), there && was.Kind == disk.Link && is == string(e.NewTarget)
	switch {
	case e.Op == change.Create && !there, e.Op != change.Create && old:
		return nil
	case e.Op == change.Remove && there:
		w.leave("it was made anew by someone else")
		return nil
	case e.Op == change.Retarget && !there:
		w.leave("it is gone")
		return nil
	case e.Op != change.Remove && !ours:
		w.leave("it was changed by someone else")
		return nil
	}
	back := e.Back()
	if e.Op != change.Create {
		if _, err := linkLike(dir, back, string(e.Target), e.Was); err != nil {
			return err
		}
	}
	w.steps = append(w.steps, func() error {
		now, err := dir.Stat(name)
		switch same := there && err == nil && now == was || !there && disk.Missing(err); {
		case !same:
			w.leave("it was changed by someone else")
			return disk.RemoveIfThere(dir, back)
		case e.Op == change.Create:
			return dir.Remove(name)
		}
		return dir.Rename(back, name)
	})
	return nil
}

// lookAt returns the digest of a file's current content, and its attributes.
func lookAt(dir disk.Dir, name string, by digest.Algorithm) (now digest.Digest, info disk.Info, err error) {
	f, err := dir.Open(name)
	if err != nil {
		return now, info, err
	}
	defer disk.Close(f)
	if info, err = f.Stat(); err == nil {
		now, _, err = change.ReadFile(f, by)
	}
	return now, info, err
}

// leave remembers a file that is left alone, and where its old content is.
func (w *putting) leave(reason string) {
	e := w.entry
	l := store.Left{Path: change.Path(filepath.Join(w.names.stuck.Of(dirOf(e)), w.name)), Reason: reason}
	if e.Op != change.Create && e.HasContent() {
		if kept, err := w.store.Extract(w.record, w.i, e); err == nil {
			l.OldCopy = change.Path(kept)
		}
	}
	w.Left = append(w.Left, l)
}

// unmake deletes a file that the run created, if it is unchanged.
func (w *putting) unmake(now digest.Digest, info disk.Info, err error) {
	dir, name := w.dir, w.name
	switch {
	case err != nil: // not there
	case now == w.entry.After:
		w.steps = append(w.steps, func() error {
			if is, err := dir.Stat(name); err != nil || is != info {
				w.leave("it was changed by someone else")
				return nil
			}
			return dir.Remove(name)
		})
	default:
		w.leave("it was changed by someone else")
	}
}

// prepareBack writes the old content to a temporary file beside the target, to be renamed over it.
func (w *putting) prepareBack(was disk.Info, there bool) error {
	e, dir, name := w.entry, w.dir, w.name
	meta := e.Was
	if meta.Mode == 0 && meta.Attributes == nil {
		meta = disk.Meta{Mode: was.Mode, UID: was.UID, GID: was.GID}
		if f, err := dir.Open(name); err == nil {
			meta, _ = disk.MetaOf(f, was)
			disk.Close(f)
		}
	}
	back := e.Back()
	if _, err := writeLike(dir, back, meta, w.durability, w.old); errors.Is(err, errNotKept) {
		w.leave("its owner or attributes cannot be given to it any more")
		return nil
	} else if err != nil {
		return err
	}
	w.steps = append(w.steps, func() error {
		is, err := dir.Stat(name)
		if there && (err != nil || is != was) || !there && !disk.Missing(err) {
			w.leave("it was changed by someone else")
			return dir.Remove(back)
		}
		return dir.Rename(back, name)
	})
	return nil
}

// old writes the old content.
func (w *putting) old(out io.Writer) error {
	old, err := w.store.OpenOld(w.record, w.entry)
	if err != nil {
		return err
	}
	defer disk.Close(old)
	_, err = io.Copy(struct{ io.Writer }{out}, old)
	return err
}
