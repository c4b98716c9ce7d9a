package selection

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/change"
	"frizzel/internal/disk"
)

// A Visitor has the functions for what a walk comes upon, in path order.
type Visitor struct {
	// File is called with each file. The receiver must open or drop it.
	File func(File) error
	// Name is called with each symbolic link and with each directory below those given, before what is in it; nil for
	// nothing. A link is skipped, too, unless it is followed.
	Name func(Named) error
	Skip func(Skip) // is called with what is left out
}

// A Named is a symbolic link or a directory. It is not open.
type Named struct {
	File
	Kind disk.Kind
}

// Walk calls the visitor's functions. An error of one, or of the context, ends the walk and is returned.
func (s *Selection) Walk(ctx context.Context, v Visitor) error {
	type path struct {
		string
		listed bool
	}
	var paths []path
	for _, p := range s.Paths {
		paths = append(paths, path{p, false})
	}
	for _, p := range s.Listed {
		paths = append(paths, path{p, true})
	}
	if len(paths) == 0 {
		paths = []path{{".", false}}
	}
	slices.SortStableFunc(paths, func(a, b path) int { return comparePaths(filepath.Clean(a.string), filepath.Clean(b.string)) })
	w := &walker{Selection: s, ctx: ctx, file: v.File, name: v.Name, skip: v.Skip, seen: map[string]bool{}, names: map[string]bool{}}
	w.findGiven(s.Paths)
	for path := range s.Rules {
		w.names[filepath.Base(path)] = true
	}
	for _, p := range paths {
		take := w.given
		if p.listed {
			take = w.listed
		}
		if err := take(p.string); err != nil {
			return err
		}
	}
	return nil
}

// errSpecial is the reason of a pipe, a device or a socket that was named.
var errSpecial = errors.New("it is not a regular file")

// comparePaths orders paths part by part, as a walk comes upon them.
func comparePaths(a, b string) int {
	return slices.Compare(strings.Split(a, string(filepath.Separator)), strings.Split(b, string(filepath.Separator)))
}

// walker is one walk at work.
type walker struct {
	*Selection
	ctx  context.Context
	file func(File) error
	name func(Named) error
	skip func(Skip)
	seen map[string]bool // absolute paths of the files found, links resolved
	said map[string]bool // absolute paths of the directories and links that name was called with
	top  map[string]bool // absolute paths of the directories given
	// linked means that the path that is taken is a link, and linkedTo has the absolute paths of files that such led to.
	linked   bool
	linkedTo map[string]bool

	names map[string]bool // the last parts of Rules
}

// findGiven notes the directories given, whose names the walk does not come upon.
func (w *walker) findGiven(paths []string) {
	if w.name == nil {
		return
	}
	w.said, w.top, w.linkedTo = map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, path := range paths {
		if abs, err := disk.Resolve(path); err == nil {
			w.top[abs] = true
		}
	}
}

// named calls name with a directory or a link, once.
func (w *walker) named(f File, kind disk.Kind) error {
	abs := filepath.Join(f.Dir, f.Name)
	switch {
	case w.name == nil || w.said[abs] || kind == disk.Directory && w.top[abs]:
		return nil
	case len(w.In) > 0 && !program.MatchesAny(w.In, f.Rel), program.MatchesAny(w.Out, f.Rel):
		return nil
	}
	w.said[abs] = true
	return w.name(Named{f, kind})
}

// namedAt calls name with a directory or a link in a directory that is walked.
func (w *walker) namedAt(at dir, kind disk.Kind) error {
	if w.name == nil {
		return nil
	}
	return w.named(File{Path: at.shown, Rel: filepath.ToSlash(at.match), Dir: at.root, Name: at.rel, In: at.parent.ID()}, kind)
}

// givenLink calls name with a link that a person named. It reports whether the path is one.
func (w *walker) givenLink(path string) (bool, error) {
	if w.name == nil || strings.HasSuffix(path, "/") {
		return false, nil
	}
	info, err := os.Lstat(path)
	if err != nil || info.Mode()&fs.ModeSymlink == 0 {
		return false, nil
	}
	above, err := disk.Resolve(filepath.Dir(path))
	if err != nil {
		return true, nil
	}
	opened, err := disk.Real{}.OpenDir(above)
	if err != nil {
		return true, nil
	}
	defer disk.Close(opened)
	abs := filepath.Join(above, filepath.Base(path))
	return true, w.named(File{Path: path, Rel: fromHere(abs), Dir: above, Name: filepath.Base(path), In: opened.ID()}, disk.Link)
}

// given takes a path that a person named; links in it are followed.
func (w *walker) given(path string) error {
	linked, err := w.givenLink(path)
	if err != nil {
		return err
	}
	w.linked = linked
	defer func() { w.linked = false }()
	info, err := os.Stat(path)
	var abs, resolved string
	if err == nil {
		abs, err = filepath.Abs(path)
	}
	if err == nil {
		resolved, err = filepath.EvalSymlinks(abs)
	}
	switch {
	case linked && errors.Is(err, fs.ErrNotExist):
		return nil // its name is taken, and it leads nowhere
	case err != nil:
		w.skip(Skip{path, Unreadable, err, nil})
		return nil
	case !info.IsDir() && !info.Mode().IsRegular():
		w.skip(Skip{path, Unreadable, errSpecial, nil}) // it was named, so it is not just passed over
		return nil
	case w.Rules[resolved]:
		w.skip(Skip{path, InUse, nil, nil})
		return nil
	}
	at := resolved
	if !info.IsDir() {
		at = filepath.Dir(resolved)
	}
	opened, err := disk.Real{}.OpenDir(at)
	if err != nil {
		w.skip(Skip{path, Unreadable, err, nil})
		return nil
	}
	if info.IsDir() {
		return w.directory(path, resolved, opened)
	}
	return w.single(path, resolved, abs, opened)
}

// listed takes a path from a list, which was found and not named: a link as its last part, or as any part below the
// current directory, is not followed.
func (w *walker) listed(path string) error {
	at, err := listedAt(path)
	var above disk.Dir
	if err == nil {
		above, err = disk.Real{}.OpenDir(filepath.Dir(at))
	}
	var info disk.Info
	if err == nil {
		if info, err = above.Stat(filepath.Base(at)); err != nil {
			disk.Close(above)
		}
	}
	switch {
	case errors.Is(err, disk.ErrNotDir):
		w.skip(Skip{path, SymbolicLink, nil, nil})
		return nil
	case err != nil:
		w.skip(Skip{path, Unreadable, err, nil})
		return nil
	case info.Kind == disk.Regular && isScript(at):
		w.skip(Skip{path, Script, nil, nil})
		disk.Close(above)
		return nil
	case info.Kind == disk.Regular && w.Rules[at]:
		w.skip(Skip{path, InUse, nil, nil})
		disk.Close(above)
		return nil
	case info.Kind == disk.Regular:
		return w.single(path, at, at, above)
	}
	defer disk.Close(above)
	switch info.Kind {
	case disk.Link:
		if err := w.named(File{Path: path, Rel: fromHere(at), Dir: filepath.Dir(at), Name: filepath.Base(at), In: above.ID()}, disk.Link); err != nil {
			return err
		}
		w.skip(Skip{path, SymbolicLink, nil, nil})
	case disk.Directory:
		opened, err := above.OpenDir(filepath.Base(at))
		if err != nil {
			w.skip(Skip{path, Unreadable, err, nil})
			return nil
		}
		return w.directory(path, at, opened)
	default:
		w.skip(Skip{path, Special, nil, nil})
	}
	return nil
}

// listedAt returns the absolute path of a path from a list. Only the directories above its last part that are not below
// the current directory are resolved.
func listedAt(path string) (string, error) {
	here, err := filepath.Abs(".")
	if err != nil {
		return "", err
	}
	abs, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	base := filepath.Dir(abs)
	if rel, err := filepath.Rel(here, abs); err == nil && filepath.IsLocal(rel) {
		base = here
	}
	resolved, err := filepath.EvalSymlinks(base)
	if err != nil {
		return "", err
	}
	rel, err := filepath.Rel(base, abs)
	return filepath.Join(resolved, rel), err
}

// directory walks an open directory that a path leads to.
func (w *walker) directory(path, resolved string, opened disk.Dir) error {
	return w.dir(dir{shown: path, root: resolved, device: opened.ID().Device, parent: newParent(opened)})
}

// single takes a regular file that a path leads to, in an open directory.
func (w *walker) single(path, resolved, abs string, in disk.Dir) error {
	p := newParent(in)
	defer p.release()
	return w.found(File{
		Path: path, Rel: fromHere(abs), Dir: filepath.Dir(resolved), Name: filepath.Base(resolved), In: in.ID(), Linked: w.linked, parent: p,
	}, func() string { return resolved })
}

func newParent(f disk.Dir) *parent {
	p := &parent{Dir: f}
	p.users.Store(1)
	return p
}

// fromHere returns a path seen from the current directory, with slashes.
func fromHere(abs string) string {
	here, err := os.Getwd()
	if err != nil {
		return filepath.ToSlash(abs)
	}
	rel, err := filepath.Rel(here, abs)
	if err != nil {
		return filepath.ToSlash(abs)
	}
	return filepath.ToSlash(rel)
}

// directory is a directory on the way down, or a name in one.
type dir struct {
	shown  string // the directory's name for people
	root   string // the directory given, or linked to: absolute, its links resolved
	rel    string // from root, "" for root itself
	match  string // from the directory given, "" for that directory itself
	depth  int    // levels below the directory given
	device uint64 // of the directory given
	parent *parent
}

// below returns the directory, or the file, of a name in f; its parent is f's own.
func (f dir) below(name string) dir {
	if f.depth == 0 { // as a person gave it
		f.shown = filepath.Clean(f.shown)
	}
	same := f.rel == f.match
	f.shown, f.rel = join(f.shown, name), join(f.rel, name)
	if same {
		f.match = f.rel
	} else {
		f.match = join(f.match, name)
	}
	f.depth++
	return f
}

// join is filepath.Join of a clean path and a name that was read in it.
func join(dir, name string) string {
	switch {
	case dir == "" || dir == ".":
		return name
	case dir[len(dir)-1] == filepath.Separator:
		return dir + name
	}
	return dir + string(filepath.Separator) + name
}

func (f dir) abs() string { return filepath.Join(f.root, f.rel) }

// directory walks an open directory, and releases it.
func (w *walker) dir(f dir) error {
	defer f.parent.release()
	if err := w.ctx.Err(); err != nil {
		return err
	}
	abs := f.abs()
	switch {
	case w.seen[abs] && w.Follow:
		w.skip(Skip{f.shown, Repeated, nil, nil})
		return nil
	case w.seen[abs]:
		return nil
	case f.parent.ID() == w.State && w.State != disk.ID{}:
		w.skip(Skip{f.shown, Own, nil, nil})
		return nil
	}
	w.seen[abs] = true
	entries, err := f.parent.Dir.(disk.Lister).Entries()
	if err != nil {
		w.skip(Skip{f.shown, Unreadable, err, nil})
	}
	for _, e := range entries {
		if err := w.entry(f.below(e.Name()), e); err != nil {
			return err
		}
	}
	return nil
}

// entry takes one name in a directory.
func (w *walker) entry(at dir, e fs.DirEntry) error {
	mode := e.Type()
	if mode&fs.ModeSymlink != 0 && (!w.NoHidden || !strings.HasPrefix(e.Name(), ".")) {
		if err := w.namedAt(at, disk.Link); err != nil {
			return err
		}
	}
	switch {
	case w.NoHidden && strings.HasPrefix(e.Name(), "."):
		w.skip(Skip{at.shown, Hidden, nil, at.abs})
	case mode.IsDir() && IsVersionControl(e.Name()):
		w.skip(Skip{at.shown, VersionControl, nil, at.abs})
	case mode.IsDir():
		return w.inner(at, e.Name())
	case mode&fs.ModeSymlink != 0 && w.Follow:
		return w.link(at)
	case mode&fs.ModeSymlink != 0:
		w.skip(Skip{at.shown, SymbolicLink, nil, at.abs})
	case !mode.IsRegular():
		w.skip(Skip{at.shown, Special, nil, at.abs})
	case isScript(e.Name()):
		w.skip(Skip{at.shown, Script, nil, at.abs})
	case strings.HasPrefix(e.Name(), change.TempPrefix):
		w.skip(Skip{at.shown, Own, nil, at.abs})
	case w.names[e.Name()] && w.Rules[at.abs()]:
		w.skip(Skip{at.shown, InUse, nil, at.abs})
	default:
		return w.found(File{
			Path: at.shown, Rel: filepath.ToSlash(at.match), Dir: at.root, Name: at.rel,
			In: at.parent.ID(), parent: at.parent,
		}, at.abs)
	}
	return nil
}

// isScript reports whether a name is that of a rule script, which names what it looks for. Only a script that a person
// names is read.
func isScript(name string) bool { return strings.HasSuffix(name, script.Suffix) }

// inner takes a directory below, unless it is too deep or on another file system.
func (w *walker) inner(at dir, name string) error {
	if err := w.namedAt(at, disk.Directory); err != nil {
		return err
	}
	if w.Depth > 0 && at.depth >= w.Depth {
		w.skip(Skip{at.shown, TooDeep, nil, at.abs})
		return nil
	}
	opened, err := at.parent.OpenDir(name)
	if err != nil {
		w.skip(Skip{at.shown, Unreadable, err, at.abs})
		return nil
	}
	return w.opened(at, opened)
}

// opened walks a directory unless it is on another file system.
func (w *walker) opened(at dir, opened disk.Dir) error {
	if w.OneFileSystem && opened.ID().Device != at.device {
		disk.Close(opened)
		w.skip(Skip{at.shown, OtherFileSystem, nil, at.abs})
		return nil
	}
	at.parent = newParent(opened)
	return w.dir(at)
}

// link takes a symbolic link that may be followed: to a directory, as if that directory
// had been given. Links to files are not followed.
func (w *walker) link(at dir) error {
	resolved, err := filepath.EvalSymlinks(at.abs())
	var info fs.FileInfo
	if err == nil {
		info, err = os.Stat(resolved)
	}
	switch {
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, syscall.ELOOP), err == nil && !info.IsDir():
		w.skip(Skip{at.shown, SymbolicLink, nil, at.abs})
		return nil
	case err == nil && w.Depth > 0 && at.depth >= w.Depth:
		w.skip(Skip{at.shown, TooDeep, nil, at.abs})
		return nil
	}
	var opened disk.Dir
	if err == nil {
		opened, err = disk.Real{}.OpenDir(resolved)
	}
	if err != nil {
		w.skip(Skip{at.shown, Unreadable, err, at.abs})
		return nil
	}
	at.root, at.rel = resolved, ""
	return w.opened(at, opened)
}

// found passes a file on, unless it came before or is not wanted.
func (w *walker) found(f File, abs func() string) error {
	var again string // the path of its second occurrence
	if len(w.Paths)+len(w.Listed) > 1 || w.Follow {
		again = abs()
	}
	switch {
	case w.seen[again] && w.linkedTo[again] && !f.Linked:
		return w.named(f, disk.Regular) // read by the name of a link, it is called by its own here
	case w.seen[again]:
		return nil
	case len(w.In) > 0 && !program.MatchesAny(w.In, f.Rel), program.MatchesAny(w.Out, f.Rel):
		w.skip(Skip{f.Path, NotSelected, nil, abs})
		return nil
	}
	if again != "" { // else nothing can come twice
		w.seen[again] = true
	}
	if f.Linked && w.name != nil {
		w.linkedTo[again] = true
	}
	f.parent.users.Add(1)
	return w.file(f)
}
