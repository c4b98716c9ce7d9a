// Package disktest is a disk in memory that forgets, when it crashes, what was not synced.
//
// Every file has what a program sees and what is safe. [Disk.Crash] gives the disk as it
// may be found afterwards: names, contents, page by page, and attributes that were not
// synced are there, or are not, as a source of chance says and as the kind of disk allows.
// Any operation can be made to fail or to be the last one, and syncs to do nothing, by the
// place in the program that asks for them.
package disktest

import (
	"errors"
	"io"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"frizzel/internal/disk"
)

// Kind is how names reach a disk that were not synced.
type Kind int

const (
	Journal Kind = iota // in order, as a journal keeps them
	OwnName             // in any order, but a synced file's own name with it
	Posix               // in any order
)

// Kinds are all kinds of disk.
func Kinds() []Kind { return []Kind{Journal, OwnName, Posix} }

func (k Kind) String() string { return [...]string{"journal", "own name", "POSIX"}[k] }

// page is how many bytes of a file reach the disk together: few on all file systems but
// the first, so that small files have several.
func page(device uint64) int {
	if device == 1 {
		return 1024
	}
	return 8
}

// Disk is a disk.System in memory. It is for one goroutine.
type Disk struct {
	Kind Kind
	// Before is called before each operation that can fail; its error is the
	// operation's. It may panic, as a machine does that goes down.
	Before func(op, name string) error
	// Deaf reports whether syncs from a place in the program do nothing.
	Deaf func(place string) bool
	// Syncs are the places that syncs came from.
	Syncs map[string]bool

	root    *node
	pending []naming // in order
	clock   int64
	inodes  uint64
}

// node is a file or a folder.
type node struct {
	info  disk.Info
	attrs map[string][]byte

	names map[string]*node // of a folder
	safe  map[string]*node

	content  []byte   // never changed, but replaced
	versions [][]byte // that were there since it was synced, the safe one first
	metas    []meta   // the same of what it is besides
}

type meta struct {
	info  disk.Info
	attrs map[string][]byte
}

// naming is a change of names that is not safe yet: what a rename does is one.
type naming struct {
	folder *node
	names  map[string]*node // nil for one that goes
	of     *node            // that is made or renamed
}

// New returns an empty disk.
func New(kind Kind) *Disk {
	d := &Disk{Kind: kind, Syncs: map[string]bool{}}
	d.root = d.node(nil, disk.Directory, 0o755)
	return d
}

func (d *Disk) node(above *node, kind disk.Kind, mode uint32) *node {
	d.inodes++
	d.clock++
	device := uint64(1)
	if above != nil {
		device = above.info.Device
	}
	n := &node{info: disk.Info{
		ID: disk.ID{Device: device, Inode: d.inodes}, Kind: kind, Mode: mode, Links: 1,
		UID: os.Geteuid(), GID: os.Getegid(), Modified: d.clock, Changed: d.clock,
	}}
	if kind == disk.Directory {
		n.names, n.safe = map[string]*node{}, map[string]*node{}
	} else {
		n.versions = [][]byte{nil}
	}
	n.metas = []meta{{n.info, nil}}
	return n
}

// Folder makes a folder of a file system of its own, all of it safe.
func (d *Disk) Folder(path string, device uint64) {
	at := d.root
	for _, name := range parts(path) {
		below := at.names[name]
		if below == nil {
			below = d.node(at, disk.Directory, 0o755)
			at.names[name], at.safe[name] = below, below
		}
		at = below
	}
	at.info.Device = device
	at.metas = []meta{{at.info, nil}}
}

// File makes a file, all of it safe; with a path that has one it changes it.
func (d *Disk) File(path, content string, mode uint32) {
	folder, name := d.at(filepath.Dir(path)), filepath.Base(path)
	n := folder.names[name]
	if n == nil {
		n = d.node(folder, disk.Regular, mode)
	}
	d.touch(n)
	n.content, n.info.Size = []byte(content), int64(len(content))
	n.keep()
	folder.names[name], folder.safe[name] = n, n
}

// Link gives a file another name, safe.
func (d *Disk) Link(from, to string) {
	n := d.at(from)
	n.info.Links++
	n.keep()
	folder := d.at(filepath.Dir(to))
	folder.names[filepath.Base(to)], folder.safe[filepath.Base(to)] = n, n
}

// Remove takes a file or a folder away, safe.
func (d *Disk) Remove(path string) {
	folder := d.at(filepath.Dir(path))
	delete(folder.names, filepath.Base(path))
	delete(folder.safe, filepath.Base(path))
}

// Read returns what a program would read, and what the file is; false where none is.
func (d *Disk) Read(path string) (string, disk.Info, bool) {
	n := d.at(path)
	if n == nil {
		return "", disk.Info{}, false
	}
	return string(n.content), n.info, true
}

// Names lists all files below a folder.
func (d *Disk) Names(path string) (all []string) {
	n := d.at(path)
	if n == nil {
		return nil
	}
	for name, below := range n.names {
		if below.names != nil {
			all = append(all, d.Names(filepath.Join(path, name))...)
		} else {
			all = append(all, filepath.Join(path, name))
		}
	}
	slices.Sort(all)
	return all
}

func parts(path string) []string {
	return strings.FieldsFunc(path, func(r rune) bool { return r == '/' })
}

func (d *Disk) at(path string) *node {
	n := d.root
	for _, name := range parts(path) {
		if n == nil || n.names == nil {
			return nil
		}
		n = n.names[name]
	}
	return n
}

// touch notes that something about a node changes.
func (d *Disk) touch(n *node) {
	d.clock++
	n.info.Changed = d.clock
	if n.names == nil {
		n.info.Modified = d.clock
	}
}

// keep makes all of a node safe, but for names.
func (n *node) keep() {
	n.versions = [][]byte{n.content}
	n.metas = []meta{{n.info, maps.Clone(n.attrs)}}
}

// remember notes what a node is by now.
func (n *node) remember() {
	n.versions = append(n.versions, n.content)
	n.metas = append(n.metas, meta{n.info, maps.Clone(n.attrs)})
}

// Crash returns the disk as it may be found after the machine went down.
func (d *Disk) Crash(r *rand.Rand) *Disk {
	kept := d.root
	switch d.Kind {
	case Journal:
		d.settle(d.pending[:r.IntN(len(d.pending)+1)])
	default:
		for _, p := range d.pending { // in order, so that the last one of a name that is kept wins
			if r.IntN(2) == 0 {
				d.settle([]naming{p})
			}
		}
	}
	after := &Disk{Kind: d.Kind, Syncs: d.Syncs, clock: d.clock, inodes: d.inodes}
	after.root = after.found(kept, r, map[*node]*node{})
	return after
}

// settle makes names safe.
func (d *Disk) settle(all []naming) {
	for _, p := range all {
		for name, n := range p.names {
			if n == nil {
				delete(p.folder.safe, name)
			} else {
				p.folder.safe[name] = n
			}
		}
	}
}

// found is a node as it is found after a crash.
func (d *Disk) found(n *node, r *rand.Rand, done map[*node]*node) *node {
	if c := done[n]; c != nil {
		return c
	}
	m := n.metas[r.IntN(len(n.metas))]
	c := &node{info: m.info, attrs: maps.Clone(m.attrs)}
	done[n] = c
	if n.names != nil {
		c.names, c.safe = map[string]*node{}, map[string]*node{}
		for _, name := range slices.Sorted(maps.Keys(n.safe)) {
			below := d.found(n.safe[name], r, done)
			c.names[name], c.safe[name] = below, below
		}
	} else {
		c.content = tear(n.versions, page(n.info.Device), r)
		c.info.Size = int64(len(c.content))
	}
	c.info.Links = n.info.Links
	c.keep()
	return c
}

// tear makes a content of the pages of several; what none of them holds is zero.
func tear(versions [][]byte, page int, r *rand.Rand) []byte {
	size := len(versions[r.IntN(len(versions))])
	out := make([]byte, size)
	for at := 0; at < size; at += page {
		if v := versions[r.IntN(len(versions))]; at < len(v) {
			copy(out[at:min(at+page, size)], v[at:])
		}
	}
	return out
}

// check is what happens before each operation.
func (d *Disk) check(op, name string) error {
	if d.Before == nil {
		return nil
	}
	return d.Before(op, name)
}

// synced reports whether a sync does anything.
func (d *Disk) synced() bool {
	place := place()
	d.Syncs[place] = true
	return d.Deaf == nil || !d.Deaf(place)
}

// place names the part of the program that asks for a sync: the functions of the vault
// that lead to it.
func place() string {
	pcs := make([]uintptr, 30)
	frames := runtime.CallersFrames(pcs[:runtime.Callers(3, pcs)])
	var names []string
	for {
		f, more := frames.Next()
		if strings.Contains(f.File, "_test.go") || !more {
			break
		}
		if strings.Contains(f.Function, "/internal/vault/") || strings.Contains(f.Function, "/internal/disk.") {
			names = append(names, f.Function[strings.LastIndexByte(f.Function, '/')+1:])
		}
	}
	return strings.Join(names[:min(len(names), 3)], " < ")
}

// OpenFolder opens a folder by its path.
func (d *Disk) OpenFolder(path string) (disk.Folder, error) {
	n := d.at(path)
	if err := d.check("open", path); err != nil {
		return nil, err
	}
	if n == nil || n.names == nil {
		return nil, missing("open", path)
	}
	return &folder{d, n}, nil
}

func missing(op, name string) error {
	return &os.PathError{Op: op, Path: name, Err: fs.ErrNotExist}
}

type folder struct {
	d *Disk
	n *node
}

func (f *folder) ID() disk.ID { return f.n.info.ID }

func (f *folder) Open(name string) (disk.File, error) {
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

func (f *folder) OpenToWrite(name string) (disk.File, error) { return f.Open(name) }

func (f *folder) Create(name string) (disk.File, error) {
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
func (f *folder) name(of *node, names map[string]*node) {
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

func (f *folder) OpenFolder(name string) (disk.Folder, error) {
	n := f.n.names[name]
	if err := f.d.check("open", name); err != nil {
		return nil, err
	}
	if n == nil || n.names == nil {
		return nil, missing("open", name)
	}
	return &folder{f.d, n}, nil
}

func (f *folder) MakeFolder(name string, mode uint32) error {
	if err := f.d.check("make folder", name); err != nil {
		return err
	}
	if f.n.names[name] != nil {
		return &os.PathError{Op: "make folder", Path: name, Err: fs.ErrExist}
	}
	n := f.d.node(f.n, disk.Directory, mode)
	f.name(n, map[string]*node{name: n})
	return nil
}

func (f *folder) Rename(from, to string) error {
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

func (f *folder) Remove(name string) error {
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

func (f *folder) RemoveFolder(name string) error {
	if n := f.n.names[name]; n == nil || len(n.names) > 0 {
		return missing("remove", name)
	}
	f.name(nil, map[string]*node{name: nil})
	return nil
}

func (f *folder) Stat(name string) (disk.Info, error) {
	n := f.n.names[name]
	if n == nil {
		return disk.Info{}, missing("look at", name)
	}
	return n.info, nil
}

func (f *folder) Names() ([]string, error) { return slices.Sorted(maps.Keys(f.n.names)), nil }
func (f *folder) Writable(string) error    { return nil }
func (f *folder) TryLock() (bool, error)   { return true, nil }
func (f *folder) Close() error             { return nil }

func (f *folder) Chmod(mode uint32) error {
	f.n.info.Mode = mode
	return nil
}

func (f *folder) Sync() error {
	if err := f.d.check("sync", "folder"); err != nil {
		return err
	}
	if !f.d.synced() {
		return nil
	}
	last := -1
	for i, p := range f.d.pending {
		if p.folder == f.n {
			last = i
		}
	}
	if f.d.Kind == Journal { // which has kept all before by then
		f.d.settle(f.d.pending[:last+1])
		f.d.pending = f.d.pending[last+1:]
		return nil
	}
	f.d.flush(func(p naming) bool { return p.folder == f.n })
	return nil
}

// flush makes those of the names safe that are meant.
func (d *Disk) flush(meant func(naming) bool) {
	var rest []naming
	for _, p := range d.pending {
		if meant(p) {
			d.settle([]naming{p})
		} else {
			rest = append(rest, p)
		}
	}
	d.pending = rest
}

func (f *folder) SyncSystem() error {
	if err := f.d.check("sync all", "file system"); err != nil {
		return err
	}
	if !f.d.synced() {
		return nil
	}
	device := f.n.info.Device
	f.d.flush(func(p naming) bool { return p.folder.info.Device == device })
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
