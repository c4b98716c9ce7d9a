package history

import (
	"errors"
	"path/filepath"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// names is what became of the names that a run changed.
type names struct {
	moves change.Moves  // directories that still have the name that the run gave them
	stuck map[int]error // why entries cannot get their old names back, by index
}

// now returns the whole path that a file of the run has now, if nobody renamed it since.
func (n *names) now(r *store.Record, e *store.Entry) string {
	if r.Renamed == 0 {
		return e.Absolute()
	}
	return filepath.Join(n.moves.Of(filepath.Dir(e.Absolute())), e.BaseAfter())
}

// Why a name is not given back.
var (
	errTaken    = errors.New("its old name is taken by another file")
	errWaits    = errors.New("its old name is that of another file, which is left alone")
	errNamed    = errors.New("it has its old name back already, by someone else, or another file has it")
	errNameGone = errors.New("it is gone")
)

// namesOf looks at the names that a run changed and that are to be given back.
func namesOf(s *store.Store, r *store.Record, undone *entries, wanted func(int, *store.Entry) bool) (*names, error) {
	n := &names{moves: change.Moves{}, stuck: map[int]error{}}
	if r.Renamed == 0 {
		return n, nil
	}
	groups := map[string][]given{}
	i := -1
	for e, err := range r.Files.All() {
		if err != nil {
			return nil, err
		}
		if i++; e.NewName == "" || undone.has(i) {
			continue
		}
		if e.Kind == disk.Directory {
			n.moves[e.Absolute()] = string(e.NewName)
		}
		if wanted(i, e) {
			dir := filepath.Dir(e.Absolute())
			groups[dir] = append(groups[dir], given{i, e.Base(), string(e.NewName), e.Op != change.Rename})
		}
	}
	for path, group := range groups {
		dir, err := s.System.OpenDir(n.moves.Of(path))
		if err != nil {
			continue // each file says so
		}
		n.free(dir, group)
		disk.Close(dir)
	}
	return n, nil
}

// A given is a name that a run gave.
type given struct {
	i        int
	old, now string
	replaced bool // the run changed its content, or its text, too
}

// free notes which files of a directory cannot get their old names back, since others have them and keep them.
func (n *names) free(dir disk.Dir, group []given) {
	by := map[string]int{}
	for _, g := range group {
		by[g.now] = g.i
	}
	for again := true; again; {
		again = false
		for _, g := range group {
			if n.stuck[g.i] != nil {
				continue
			}
			other, ours := by[g.old]
			was, err := dir.Stat(g.old)
			is, isErr := dir.Stat(g.now)
			switch {
			case disk.Missing(isErr) && err == nil && !ours && g.replaced:
				n.stuck[g.i] = errNamed
			case disk.Missing(isErr) && err == nil && !ours:
				n.stuck[g.i] = errAlready
			case err != nil, isErr == nil && was.ID == is.ID: // free, or upper and lower case are one
			case ours && n.stuck[other] == nil:
			case ours:
				n.stuck[g.i] = errWaits
			default:
				n.stuck[g.i] = errTaken
			}
			again = again || n.stuck[g.i] != nil
		}
	}
}

// nameOnly undoes a change that left the content alone.
func (w *reverser) nameOnly(b *Back, e *store.Entry, dir disk.Dir, name string) error {
	is, err := dir.Stat(name)
	switch {
	case disk.Missing(err) && e.Op == change.Create:
		return errAlready
	case disk.Missing(err) && e.Op == change.Remove:
		b.Op, b.Kind, b.NewTarget, b.Meta = change.Create, e.Kind, string(e.Target), e.Was
		return nil
	case disk.Missing(err) && b.Moved:
		return errMoved
	case disk.Missing(err):
		return errNameGone
	case err != nil:
		return err
	case is.Kind != e.Kind:
		return errOdd
	}
	b.Op, b.Kind = e.Op, e.Kind
	same := is.Inode == e.Staged.Inode && (!w.sameBoot || is.Device == e.Staged.Device)
	switch e.Kind {
	case disk.Directory:
		b.Moved = b.Moved || !same
		return nil
	case disk.Link:
		return w.link(b, e, dir, name)
	}
	b.Later = !w.force && (!same || is.Modified != e.Modified)
	if b.Later {
		b.Moved = false
	}
	return nil
}

// link undoes the change of a symbolic link.
func (w *reverser) link(b *Back, e *store.Entry, dir disk.Dir, name string) error {
	is, err := dir.ReadLink(name)
	if err != nil {
		return err
	}
	b.Target, b.NewTarget = is, is
	switch {
	case e.Op == change.Remove && is == string(e.Target):
		return errAlready
	case e.Op == change.Remove:
		return errAnew
	case e.Op == change.Create && is != string(e.NewTarget):
		return errChanged
	case e.Op == change.Create:
		b.Op = change.Remove
		return nil
	}
	changed := is != string(e.NewTarget) && !w.force
	if e.Op == change.Rename {
		b.Later = changed
		return nil
	}
	if is == string(e.Target) {
		if e.NewName == "" {
			return errAlready
		}
		b.Op = change.Rename
		return nil
	}
	if changed {
		return errChanged
	}
	b.NewTarget = string(e.Target)
	return nil
}
