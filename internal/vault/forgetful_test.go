package vault

import (
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

// Disk is a disk.System in memory that forgets, when it crashes, what was not synced. It is
// for one goroutine.
//
// Every file has what a program sees and what is safe. [Disk.Crash] gives the disk as it
// may be found afterwards: names, contents, page by page, and attributes that were not
// synced are there, or are not, as a source of chance says and as the kind of disk allows.
// Any operation can be made to fail or to be the last one, and syncs to do nothing, by the
// place in the program that asks for them.
type Disk struct {
	Kind Kind
	// Before is called before each operation that can fail; its error is the
	// operation's. It may panic, as a machine does that goes down.
	Before func(op, name string) error
	// Deaf reports whether syncs from a place in the program do nothing.
	Deaf func(place string) bool
	// Linked means that no call renames to a free name alone: a file gets a second name, and loses the first.
	Linked bool
	// Syncs are the places that syncs came from.
	Syncs map[string]bool

	root    *node
	pending []naming // in order
	clock   int64
	inodes  uint64
}

// node is a file or a directory.
type node struct {
	info  disk.Info
	attrs map[string][]byte

	names map[string]*node // of a directory
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
	dir   *node
	names map[string]*node // nil for one that goes
	of    *node            // that is made or renamed
}

// NewDisk returns an empty disk.
func NewDisk(kind Kind) *Disk {
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

// Dir makes a directory of a file system of its own, all of it safe.
func (d *Disk) Dir(path string, device uint64) {
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
	dir, name := d.at(filepath.Dir(path)), filepath.Base(path)
	n := dir.names[name]
	if n == nil {
		n = d.node(dir, disk.Regular, mode)
	}
	d.touch(n)
	n.content, n.info.Size = []byte(content), int64(len(content))
	n.keep()
	dir.names[name], dir.safe[name] = n, n
}

// Link gives a file another name, safe.
func (d *Disk) Link(from, to string) {
	n := d.at(from)
	n.info.Links++
	n.keep()
	dir := d.at(filepath.Dir(to))
	dir.names[filepath.Base(to)], dir.safe[filepath.Base(to)] = n, n
}

// Symlink makes a symbolic link, safe.
func (d *Disk) Symlink(target, path string) {
	dir, name := d.at(filepath.Dir(path)), filepath.Base(path)
	n := d.node(dir, disk.Link, 0o777)
	n.content, n.info.Size = []byte(target), int64(len(target))
	n.keep()
	dir.names[name], dir.safe[name] = n, n
}

// Remove takes a file or a directory away, safe.
func (d *Disk) Remove(path string) {
	dir := d.at(filepath.Dir(path))
	delete(dir.names, filepath.Base(path))
	delete(dir.safe, filepath.Base(path))
}

// Read returns what a program would read, and what the file is; false if none is.
func (d *Disk) Read(path string) (string, disk.Info, bool) {
	n := d.at(path)
	if n == nil {
		return "", disk.Info{}, false
	}
	return string(n.content), n.info, true
}

// Names lists all files below a directory.
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
		d.makeSafe(d.pending[:r.IntN(len(d.pending)+1)])
	default:
		for _, p := range d.pending { // in order, so that the last one of a name that is kept wins
			if r.IntN(2) == 0 {
				d.makeSafe([]naming{p})
			}
		}
	}
	after := &Disk{Kind: d.Kind, Linked: d.Linked, Syncs: d.Syncs, clock: d.clock, inodes: d.inodes}
	after.root = after.found(kept, r, map[*node]*node{})
	return after
}

// makeSafe makes names safe.
func (d *Disk) makeSafe(all []naming) {
	for _, p := range all {
		for name, n := range p.names {
			if n == nil {
				delete(p.dir.safe, name)
			} else {
				p.dir.safe[name] = n
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
		switch {
		case strings.Contains(f.File, "forgetful"):
			continue
		case strings.Contains(f.File, "_test.go"), !more:
			return strings.Join(names[:min(len(names), 3)], " < ")
		}
		if strings.Contains(f.Function, "/internal/vault/") || strings.Contains(f.Function, "/internal/disk.") {
			names = append(names, f.Function[strings.LastIndexByte(f.Function, '/')+1:])
		}
	}
}
