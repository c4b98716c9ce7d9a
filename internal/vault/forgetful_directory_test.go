package vault

import (
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"slices"

	"frizzel/internal/disk"
)

// OpenDir opens a directory by its path.
func (d *Disk) OpenDir(path string) (disk.Dir, error) {
	n := d.at(path)
	if err := d.check("open", path); err != nil {
		return nil, err
	}
	if n == nil || n.names == nil {
		return nil, missing("open", path)
	}
	return &dir{d, n}, nil
}

func missing(op, name string) error {
	return &os.PathError{Op: op, Path: name, Err: fs.ErrNotExist}
}

type dir struct {
	d *Disk
	n *node
}

func (f *dir) ID() disk.ID { return f.n.info.ID }

func (f *dir) Open(name string) (disk.File, error) {
	if err := f.d.check("open", name); err != nil {
		return nil, err
	}
	n := f.n.names[name]
	switch {
	case n == nil:
		return nil, missing("open", name)
	case n.info.Kind != disk.Regular:
		return nil, &os.PathError{Op: "open", Path: name, Err: disk.ErrNotRegular}
	}
	return &file{f.d, n, name, 0}, nil
}

func (f *dir) OpenToWrite(name string) (disk.File, error) { return f.Open(name) }

func (f *dir) Create(name string) (disk.File, error) {
	if err := f.d.check("create", name); err != nil {
		return nil, err
	}
	if f.n.names[name] != nil {
		return nil, &os.PathError{Op: "create", Path: name, Err: fs.ErrExist}
	}
	n := f.d.node(f.n, disk.Regular, 0o600)
	f.name(n, map[string]*node{name: n})
	return &file{f.d, n, name, 0}, nil
}

// name changes names.
func (f *dir) name(of *node, names map[string]*node) {
	for name, n := range names {
		if n == nil {
			delete(f.n.names, name)
		} else {
			f.n.names[name] = n
		}
	}
	f.d.touch(f.n)
	f.d.pending = append(f.d.pending, naming{f.n, names, of})
}

func (f *dir) OpenDir(name string) (disk.Dir, error) {
	n := f.n.names[name]
	if err := f.d.check("open", name); err != nil {
		return nil, err
	}
	if n == nil || n.names == nil {
		return nil, missing("open", name)
	}
	return &dir{f.d, n}, nil
}

func (f *dir) MakeDir(name string, mode uint32) error {
	if err := f.d.check("make directory", name); err != nil {
		return err
	}
	if f.n.names[name] != nil {
		return &os.PathError{Op: "make directory", Path: name, Err: fs.ErrExist}
	}
	n := f.d.node(f.n, disk.Directory, mode)
	f.name(n, map[string]*node{name: n})
	return nil
}

func (f *dir) Rename(from, to string) error {
	if err := f.d.check("rename", to); err != nil {
		return err
	}
	n := f.n.names[from]
	if n == nil {
		return missing("rename", from)
	}
	f.d.touch(n)
	f.name(n, map[string]*node{from: nil, to: n})
	return nil
}

// RenameFree renames to a name that nothing has: at once, or on a system that cannot do that by a second name.
func (f *dir) RenameFree(from, to string) error {
	if f.n.names[to] != nil {
		return &os.PathError{Op: "rename", Path: to, Err: fs.ErrExist}
	}
	n := f.n.names[from]
	if n == nil {
		return missing("rename", from)
	}
	if !f.d.Linked || n.info.Kind == disk.Directory {
		return f.Rename(from, to)
	}
	if err := f.d.check("link", to); err != nil {
		return err
	}
	n.info.Links++
	f.name(n, map[string]*node{to: n})
	if err := f.Sync(); err != nil {
		return err
	}
	return f.Remove(from)
}

func (f *dir) ReadLink(name string) (string, error) {
	n := f.n.names[name]
	if n == nil || n.info.Kind != disk.Link {
		return "", missing("read link", name)
	}
	return string(n.content), nil
}

func (f *dir) MakeLink(target, name string) error {
	if err := f.d.check("make link", name); err != nil {
		return err
	}
	if f.n.names[name] != nil {
		return &os.PathError{Op: "make link", Path: name, Err: fs.ErrExist}
	}
	n := f.d.node(f.n, disk.Link, 0o777)
	n.content, n.info.Size = []byte(target), int64(len(target))
	n.keep() // which its name makes safe
	f.name(n, map[string]*node{name: n})
	return nil
}

func (f *dir) ChownLink(string, int, int) error { return nil }
func (f *dir) MaxName() int                     { return 255 }

func (f *dir) Remove(name string) error {
	if err := f.d.check("remove", name); err != nil {
		return err
	}
	n := f.n.names[name]
	if n == nil || n.names != nil {
		return missing("remove", name)
	}
	n.info.Links--
	f.name(n, map[string]*node{name: nil})
	return nil
}

func (f *dir) RemoveDir(name string) error {
	if n := f.n.names[name]; n == nil || len(n.names) > 0 {
		return missing("remove", name)
	}
	f.name(nil, map[string]*node{name: nil})
	return nil
}

func (f *dir) Stat(name string) (disk.Info, error) {
	n := f.n.names[name]
	if n == nil {
		return disk.Info{}, missing("look at", name)
	}
	return n.info, nil
}

func (f *dir) Names() ([]string, error) { return slices.Sorted(maps.Keys(f.n.names)), nil }
func (f *dir) Writable(string) error    { return nil }
func (f *dir) TryLock() (bool, error)   { return true, nil }
func (f *dir) Close() error             { return nil }

func (f *dir) Chmod(mode uint32) error {
	f.n.info.Mode = mode
	return nil
}

func (f *dir) Sync() error {
	if err := f.d.check("sync", "directory"); err != nil {
		return err
	}
	if !f.d.synced() {
		return nil
	}
	last := -1
	for i, p := range f.d.pending {
		if p.dir == f.n {
			last = i
		}
	}
	if f.d.Kind == Journal { // which has kept all before by then
		f.d.makeSafe(f.d.pending[:last+1])
		f.d.pending = f.d.pending[last+1:]
		return nil
	}
	f.d.flush(func(p naming) bool { return p.dir == f.n })
	return nil
}

// flush makes those of the names safe that are meant.
func (d *Disk) flush(meant func(naming) bool) {
	var rest []naming
	for _, p := range d.pending {
		if meant(p) {
			d.makeSafe([]naming{p})
		} else {
			rest = append(rest, p)
		}
	}
	d.pending = rest
}

func (f *dir) SyncSystem() error {
	if err := f.d.check("sync all", "file system"); err != nil {
		return err
	}
	if !f.d.synced() {
		return nil
	}
	device := f.n.info.Device
	f.d.flush(func(p naming) bool { return p.dir.info.Device == device })
	var all func(n *node)
	all = func(n *node) {
		for _, below := range n.names {
			all(below)
		}
		if n.names == nil && n.info.Device == device {
			n.keep()
		}
	}
	all(f.d.root)
	return nil
}

type file struct {
	d    *Disk
	n    *node
	name string
	at   int
}

func (f *file) Stat() (disk.Info, error) { return f.n.info, nil }

func (f *file) ReadAt(p []byte, at int64) (int, error) {
	if err := f.d.check("read", f.name); err != nil {
		return 0, err
	}
	if at >= int64(len(f.n.content)) {
		return 0, io.EOF
	}
	n := copy(p, f.n.content[at:])
	if n < len(p) {
		return n, io.EOF
	}
	return n, nil
}

// Write writes a page after the other, each of which may be the last.
func (f *file) Write(p []byte) (int, error) {
	written := 0
	for len(p) > 0 {
		if err := f.d.check("write", f.name); err != nil {
			return written, err
		}
		n := min(len(p), page(f.n.info.Device))
		fresh := make([]byte, max(len(f.n.content), f.at+n))
		copy(fresh, f.n.content)
		f.n.content = fresh
		copy(f.n.content[f.at:], p[:n])
		f.at, written, p = f.at+n, written+n, p[n:]
		f.n.info.Size = int64(len(f.n.content))
		f.d.touch(f.n)
		f.n.remember()
	}
	return written, nil
}

func (f *file) Truncate(size int64) error {
	if err := f.d.check("truncate", f.name); err != nil {
		return err
	}
	if size > int64(len(f.n.content)) {
		return errors.New("truncate: longer than the file")
	}
	f.n.content, f.n.info.Size = f.n.content[:size:size], size
	f.d.touch(f.n)
	f.n.remember()
	return nil
}

// change changes what a file is besides its content.
func (f *file) change(op string, do func()) error {
	if err := f.d.check(op, f.name); err != nil {
		return err
	}
	do()
	f.d.touch(f.n)
	f.n.remember()
	return nil
}

func (f *file) Chmod(mode uint32) error {
	return f.change("chmod", func() { f.n.info.Mode = mode })
}

func (f *file) Chown(uid, gid int) error {
	return f.change("chown", func() { f.n.info.UID, f.n.info.GID = uid, gid })
}

func (f *file) Attributes() (map[string][]byte, error) { return maps.Clone(f.n.attrs), nil }

func (f *file) SetAttribute(name string, value []byte) error {
	return f.change("attribute", func() {
		if f.n.attrs == nil {
			f.n.attrs = map[string][]byte{}
		}
		f.n.attrs[name] = slices.Clone(value)
	})
}

func (f *file) RemoveAttribute(name string) error {
	return f.change("attribute", func() { delete(f.n.attrs, name) })
}

func (f *file) Hasten(int64, int64) {} // which promises nothing

func (f *file) Sync() error {
	if err := f.d.check("sync", f.name); err != nil {
		return err
	}
	if !f.d.synced() {
		return nil
	}
	f.n.keep()
	if f.d.Kind == OwnName {
		f.d.flush(func(p naming) bool { return p.of == f.n })
	}
	return nil
}

func (f *file) Close() error { return nil }
