package transaction

import (
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/vault/store"
)

// Names are changed after contents, from the deepest directory up, so that a path is good until its own turn. Every rename
// is within one open directory and goes to a name that nothing has.
//
// On a disk that loses unsynced names in any order, a name must not go to one file before it is on disk that the other one
// has left it: else that one may be found without any name. So what gets the name of another one (in a swap or a chain)
// goes to a temporary name first, the directory is synced, and then it gets its own.

// A TakenError reports a new name that something else has.
type TakenError struct{ Path, New string }

// ExitStatus returns Refused.
func (*TakenError) ExitStatus() exit.Status { return exit.Refused }

func (e *TakenError) Error() string {
	return fmt.Sprintf("%s would be called %s, and something else is called so; nothing was written", e.Path, e.New)
}

// A MountedError reports a mount point that would be renamed.
type MountedError struct{ Path string }

// ExitStatus returns Refused.
func (*MountedError) ExitStatus() exit.Status { return exit.Refused }

func (e *MountedError) Error() string {
	return fmt.Sprintf("%s is a mount point, which cannot be renamed; nothing was written", e.Path)
}

// A renaming is a name that changes.
type renaming struct {
	i             int // index of the entry
	path          string
	from, to      string // last parts of paths
	by            string // the temporary name in between
	kind          disk.Kind
	inode, staged disk.ID // the file's, before and after its content was replaced
	replaced      bool    // its content, or its text, is another one too
	turn          bool    // it goes by the temporary name
}

// is reports whether a file is the one to rename.
func (r *renaming) is(info disk.Info, devices bool) bool {
	same := func(id disk.ID) bool {
		return id != disk.ID{} && id.Inode == info.Inode && (id.Device == info.Device || !devices)
	}
	return info.Kind == r.kind && (same(r.inode) || same(r.staged))
}

// renamings returns the names that a run changes, by the path of their directory.
func renamings(r *store.Record) (map[string][]*renaming, error) {
	if r.Renamed == 0 {
		return nil, nil
	}
	groups := map[string][]*renaming{}
	for i := range r.Files.Len() {
		e, err := r.Files.At(i)
		if err != nil {
			return nil, err
		}
		if e.NewName != "" {
			dir := dirOf(e)
			groups[dir] = append(groups[dir], &renaming{
				i: i, path: string(e.Path), from: e.Base(), to: string(e.NewName), by: e.Between(), kind: e.Kind, inode: e.Inode, staged: e.Staged,
				replaced: e.Op != change.Rename,
			})
		}
	}
	return groups, nil
}

// upwards returns paths so that each comes before the directories above it.
func upwards(groups map[string][]*renaming) []string {
	paths := downwards(groups)
	slices.Reverse(paths)
	return paths
}

// downwards returns paths so that each comes behind the directories above it.
func downwards(groups map[string][]*renaming) (paths []string) {
	for path := range groups {
		paths = append(paths, path)
	}
	slices.SortFunc(paths, func(a, b string) int {
		return slices.Compare(strings.Split(a, "/"), strings.Split(b, "/"))
	})
	return paths
}

// planned checks that every new name is free, and says which renames go by a temporary name.
func (w *writer) planned() error {
	var err error
	if w.renames, err = renamings(w.record); err != nil {
		return err
	}
	for path, group := range w.renames {
		if err := plan(w.dirs.open[path], group); err != nil {
			return err
		}
	}
	return nil
}

// plan is planned for one directory.
func plan(dir disk.Dir, group []*renaming) error {
	leaves, gets := map[string]*renaming{}, map[string]*renaming{}
	for _, r := range group {
		leaves[r.from] = r
		if other := gets[r.to]; other != nil {
			return &TakenError{r.path, r.to}
		}
		gets[r.to] = r
	}
	var listed map[string]bool
	list := func() error {
		if listed != nil {
			return nil
		}
		all, err := dir.Names()
		listed = map[string]bool{}
		for _, name := range all {
			listed[name] = true
		}
		return err
	}
	for _, r := range group {
		if r.turn = leaves[r.to] != nil; r.turn {
			continue
		}
		if len(group) >= manyNames && !strings.EqualFold(r.from, r.to) {
			if err := list(); err != nil {
				return err
			}
			if !listed[r.to] { // on a file system that does not tell upper from lower case the rename itself finds out
				continue
			}
		}
		there, err := dir.Stat(r.to)
		if disk.Missing(err) {
			continue
		}
		if err := errors.Join(err, list()); err != nil {
			return err
		}
		other := slices.ContainsFunc(group, func(o *renaming) bool { return o.is(there, true) })
		if listed[r.to] || !other {
			return &TakenError{r.path, r.to}
		}
		r.turn = true // the file system does not tell upper from lower case
	}
	return nil
}

// manyNames is the number of new names in a directory from which it is listed, instead of looking for each.
const manyNames = 16

// renameAll gives all files their new names.
func (w *writer) renameAll() error {
	for _, path := range upwards(w.renames) {
		dir, group := w.dirs.open[path], w.renames[path]
		turns := false
		for _, r := range group {
			to := r.to
			if r.turn {
				to, turns = r.by, true
			}
			if err := w.rename(dir, r, r.from, to); err != nil {
				return err
			}
		}
		if !turns {
			continue
		}
		if err := dir.Sync(); err != nil {
			return err
		}
		for _, r := range group {
			if r.turn {
				if err := w.rename(dir, r, r.by, r.to); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// rename renames one file, if the file that has the name is the one that is meant.
func (w *writer) rename(dir disk.Dir, r *renaming, from, to string) error {
	info, err := dir.Stat(from)
	if err != nil || !r.is(info, true) {
		return &change.ChangedError{Path: r.path}
	}
	w.live[r.i] = true
	if err := dir.RenameFree(from, to); errors.Is(err, fs.ErrExist) {
		return &TakenError{r.path, r.to}
	} else if err != nil {
		return fmt.Errorf("%s: cannot rename: %w", r.path, err)
	}
	w.intent.Progress.Add(1)
	return nil
}

// withoutContent prepares a change of a name, or of a symbolic link.
func (s *staging) withoutContent() error {
	c, e := &s.change, s.entry
	if err := s.dir.Writable("."); err != nil {
		return err
	}
	e.In = s.dir.ID()
	found, err := s.dir.Stat(s.name)
	switch {
	case c.Op == change.Create:
		return s.createLink(err)
	case disk.Missing(err), err == nil && found.Kind != c.Kind:
		return &change.ChangedError{Path: c.Path}
	case err != nil:
		return err
	}
	s.found = found
	e.Inode, e.Staged, e.Modified = found.ID, found.ID, found.Modified
	e.Was = disk.Meta{Mode: found.Mode, UID: found.UID, GID: found.GID}
	if c.Kind == disk.Link {
		if is, err := s.dir.ReadLink(s.name); err != nil || is != c.Target {
			return asChanged(errors.Join(err, &change.ChangedError{Path: c.Path}), c.Path)
		}
	}
	if c.Before != (digest.Digest{}) {
		if now, _, err := lookAt(s.dir, s.name, c.Before.By); err != nil || now != c.Before {
			return asChanged(errors.Join(err, &change.ChangedError{Path: c.Path}), c.Path)
		}
	}
	if c.Op == change.Retarget {
		if err := s.newLink(); err != nil {
			return err
		}
	}
	return s.saw(s.i, e, s.look)
}

// createLink stages a symbolic link that is not there yet; there is the error of looking at its name. One that is there
// already, with that text, stays.
func (s *staging) createLink(there error) error {
	c, e := &s.change, s.entry
	if disk.Missing(there) {
		var err error
		e.Was = c.Meta
		s.staged, err = linkLike(s.dir, e.Temp(), c.NewTarget, c.Meta)
		e.Staged = s.staged.ID
		return errors.Join(err, s.saw(s.i, e, s.look))
	}
	if is, err := s.dir.ReadLink(s.name); there != nil || err != nil || is != c.NewTarget {
		return errors.Join(there, &ExistsError{c.Path})
	}
	e.Op, e.Target = change.Rename, e.NewTarget
	return s.saw(s.i, e, s.look)
}

// newLink stages a symbolic link with its new text.
func (s *staging) newLink() error {
	if s.found.Links > 1 {
		return &NamesError{s.change.Path, "a link with another text would take one of them only"}
	}
	var err error
	s.staged, err = linkLike(s.dir, s.entry.Temp(), s.change.NewTarget, s.entry.Was)
	s.entry.Staged, s.entry.Modified = s.staged.ID, s.staged.Modified
	return err
}

// linkLike makes a symbolic link with the owner of meta.
func linkLike(dir disk.Dir, name, target string, meta disk.Meta) (info disk.Info, err error) {
	if err = dir.MakeLink(target, name); err != nil {
		return info, err
	}
	info, err = dir.Stat(name)
	if err == nil && (info.UID != meta.UID || info.GID != meta.GID) {
		if err = dir.ChownLink(name, meta.UID, meta.GID); err == nil {
			info, err = dir.Stat(name)
		}
	}
	if err != nil {
		_ = dir.Remove(name)
	}
	return info, err
}

// retarget makes a link's new text live.
func (w *writer) retarget(dir disk.Dir, name string, e *store.Entry, was look) error {
	if is, err := dir.ReadLink(name); err != nil || is != string(e.Target) {
		return &change.ChangedError{Path: string(e.Path)}
	}
	if staged, err := dir.Stat(e.Temp()); err != nil || staged != was.staged {
		return &StagedError{string(e.Path)}
	}
	return dir.Rename(e.Temp(), name)
}

// nameable returns why a file must not get the new name, as far as that is about the file alone.
func (s *staging) nameable() error {
	if s.change.NewName == "" {
		return nil
	}
	if strings.ContainsAny(s.change.NewName, "/\x00") || s.change.NewName == "." || s.change.NewName == ".." { // which no rule passes on
		return exit.Refusedf("%s cannot be called %q", s.change.Path, s.change.NewName)
	}
	if s.isMounted(s.entry) || s.mountedBelow() {
		return &MountedError{s.change.Path}
	}
	return nil
}

// mountedBelow reports whether another file system begins at a directory, as far as its number says so.
func (s *staging) mountedBelow() bool {
	if s.change.Kind != disk.Directory {
		return false
	}
	info, err := s.dir.Stat(s.name)
	return err == nil && info.Device != s.dir.ID().Device
}
