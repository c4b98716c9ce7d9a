package transaction

import (
	"context"
	"path/filepath"
	"slices"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// A naming gives what a run renamed its old names back, directory by directory.
type naming struct {
	record *store.Record
	as     identity
	stuck  change.Moves   // directories that keep their new name
	at     map[int]string // the last parts of the paths of entries that keep their new name
	left   []store.Left
	away   []string
}

func newNaming(r *store.Record, as identity) *naming {
	return &naming{record: r, as: as, stuck: change.Moves{}, at: map[int]string{}}
}

// namesBack gives all files of a run their old names, from the top down, so that then each has its old path. dir returns
// the open directory of a path.
func (n *naming) namesBack(dir func(path string, in disk.ID) (*dir, func(), error)) error {
	groups, err := renamings(n.record)
	if err != nil {
		return err
	}
	for _, path := range downwards(groups) {
		group := groups[path]
		e, err := n.record.Files.At(group[0].i)
		if err != nil {
			return err
		}
		d, done, err := dir(n.stuck.Of(path), e.In)
		if err != nil {
			return err
		}
		switch {
		case d.away == nil:
			err = n.group(d, path, group)
		case n.as != byPath: // else they are given up with their contents
			for _, r := range group {
				n.away = append(n.away, r.path)
			}
		}
		done()
		if err != nil {
			return err
		}
	}
	return nil
}

// A misnamed is a file that has not its old name.
type misnamed struct {
	*renaming
	is   string // the name that it has
	info disk.Info
	turn bool // it goes by the temporary name
}

// group gives the files of one directory their old names.
func (n *naming) group(d disk.Dir, path string, group []*renaming) error {
	all, err := n.find(d, path, group)
	if err != nil || len(all) == 0 {
		return err
	}
	if all, err = n.possible(d, path, all); err != nil {
		return err
	}
	turns := false
	for _, m := range all {
		switch {
		case m.turn && m.is == m.to:
			turns = true
			if err := d.RenameFree(m.to, m.by); err != nil {
				return err
			}
		case m.turn:
			turns = true
		default:
			if err := d.RenameFree(m.is, m.from); err != nil {
				return err
			}
		}
	}
	if err := d.Sync(); err != nil || !turns {
		return err
	}
	for _, m := range all {
		if m.turn {
			if err := d.RenameFree(m.by, m.from); err != nil {
				return err
			}
		}
	}
	return d.Sync() // before old contents get the names
}

// find returns the files of a directory that do not have their old names.
func (n *naming) find(d disk.Dir, path string, group []*renaming) (all []*misnamed, err error) {
	for _, r := range group {
		m, err := n.where(d, r)
		switch {
		case err != nil:
			return nil, err
		case m == nil:
			if _, err := d.Stat(r.from); err == nil && r.replaced { // the old content is back in another file; what it holds is looked at next
				continue
			}
			n.leave(r, path, r.to, "it is gone, or another file has its name by now")
		case m.is != r.from:
			all = append(all, m)
		}
	}
	return all, nil
}

// where finds a renamed file; nil if it is gone.
func (n *naming) where(d disk.Dir, r *renaming) (*misnamed, error) {
	var found *misnamed
	for _, name := range []string{r.from, r.by, r.to} {
		info, err := d.Stat(name)
		switch {
		case disk.Missing(err):
			continue
		case err != nil:
			return nil, err
		case !n.same(r, info):
			continue
		case found == nil:
			found = &misnamed{renaming: r, is: name, info: info}
		case found.info.ID == info.ID:
			if err := n.twice(d, found, name); err != nil {
				return nil, err
			}
		case r.replaced && info.Inode == r.staged.Inode && found.info.Inode == r.inode.Inode:
			if err := n.second(d, r, name); err != nil {
				return nil, err
			}
		}
	}
	return found, nil
}

// twice settles which of two names a file has. It has both if the run was cut off between a link and a removal; it has one
// of them if the file system does not tell upper from lower case.
func (n *naming) twice(d disk.Dir, found *misnamed, name string) error {
	listed, err := d.Names()
	switch {
	case err != nil || !slices.Contains(listed, name):
		return err
	case slices.Contains(listed, found.is):
		return d.Remove(name)
	}
	found.is = name
	return nil
}

// same reports whether a file is the one that was renamed. Where what the files hold decides, its kind must do.
func (n *naming) same(r *renaming, info disk.Info) bool {
	if n.as == byPath {
		return info.Kind == r.kind
	}
	return r.is(info, n.as != otherBoot)
}

// second removes a further name of a new content whose file has its old name and content: the machine lost that the content
// was replaced, and kept the name that it got next. Another content than the run's stays.
func (n *naming) second(d disk.Dir, r *renaming, name string) error {
	e, err := n.record.Files.At(r.i)
	if err != nil {
		return err
	}
	if e.Op == change.Retarget {
		if is, err := d.ReadLink(name); err != nil || is != string(e.NewTarget) {
			return err
		}
		return d.Remove(name)
	}
	now, _, err := lookAt(d, name, digest.By(e.Before, e.After))
	if err != nil || now != e.After {
		return err
	}
	return d.Remove(name)
}

// possible leaves those files alone whose old name another file has, and says which of the others go by a temporary name:
// those whose old name is that of another one until then.
func (n *naming) possible(d disk.Dir, path string, all []*misnamed) ([]*misnamed, error) {
	has := map[string]*misnamed{}
	for _, m := range all {
		has[m.is] = m
	}
	for again := true; again; {
		again = false
		for i := 0; i < len(all); i++ {
			m := all[i]
			m.turn = m.is == m.by
			_, err := d.Stat(m.from)
			if disk.Missing(err) {
				continue
			}
			if err != nil {
				return nil, err
			}
			if has[m.from] != nil {
				m.turn = true
				continue
			}
			if m.is == m.by && d.RenameFree(m.by, m.to) == nil {
				m.is = m.to
			}
			n.leave(m.renaming, path, m.is, "another file has its old name by now")
			delete(has, m.is)
			all = append(all[:i], all[i+1:]...)
			i, again = i-1, true
		}
	}
	return all, nil
}

// leave remembers a file that keeps the name that it has.
func (n *naming) leave(r *renaming, path, is, reason string) {
	n.at[r.i] = is
	n.left = append(n.left, store.Left{Path: change.Path(filepath.Join(n.stuck.Of(path), is)), Reason: reason})
	if r.kind == disk.Directory {
		n.stuck[filepath.Join(path, r.from)] = is
	}
}

// dirOf returns the directory that holds an entry's file, among those that are open by their old paths or by those that
// they kept.
func (n *naming) dirOf(f *dirs, e *store.Entry) *dir {
	if d := f.open[dirOf(e)]; d != nil {
		return d
	}
	return f.open[n.stuck.Of(dirOf(e))]
}

// inOpen returns directories that are open.
func inOpen(f *dirs) func(string, disk.ID) (*dir, func(), error) {
	return func(path string, _ disk.ID) (*dir, func(), error) { return f.open[path], func() {}, nil }
}

// byOpening opens and locks one directory after another, as their paths come to be.
func byOpening(ctx context.Context, l *store.Locked, as identity) func(string, disk.ID) (*dir, func(), error) {
	return func(path string, in disk.ID) (*dir, func(), error) {
		f := openDirs(l, wanted{path: {In: in}}, as)
		err := f.lock(ctx, l)
		return f.open[path], f.close, err
	}
}
