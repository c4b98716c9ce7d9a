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
)

// Walk calls file with each file, in path order, and skip with what is left out.
// An error of either ends the walk and is returned; so does the context.
func (s *Selection) Walk(ctx context.Context, file func(File) error, skip func(Skip)) error {
	paths := slices.Clone(s.Paths)
	if len(paths) == 0 {
		paths = []string{"."}
	}
	slices.SortFunc(paths, func(a, b string) int { return comparePaths(filepath.Clean(a), filepath.Clean(b)) })
	w := &walker{Selection: s, ctx: ctx, file: file, skip: skip, seen: map[string]bool{}}
	for _, p := range paths {
		if err := w.given(p); err != nil {
			return err
		}
	}
	return nil
}

// comparePaths orders paths part by part, as a walk comes upon them.
func comparePaths(a, b string) int {
	return slices.Compare(strings.Split(a, string(filepath.Separator)), strings.Split(b, string(filepath.Separator)))
}

// walker is one walk at work.
type walker struct {
	*Selection
	ctx  context.Context
	file func(File) error
	skip func(Skip)
	seen map[string]bool // absolute paths of what was found, links resolved
}

// given takes a path that a person named.
func (w *walker) given(path string) error {
	info, err := os.Stat(path)
	if err != nil {
		w.skip(Skip{path, Unreadable, err})
		return nil
	}
	abs, err := filepath.Abs(path)
	if err != nil {
		return err
	}
	real, err := filepath.EvalSymlinks(abs)
	if err != nil {
		w.skip(Skip{path, Unreadable, err})
		return nil
	}
	if info.IsDir() {
		return w.folder(folder{shown: path, root: real, device: deviceOf(info)})
	}
	if !info.Mode().IsRegular() {
		w.skip(Skip{path, Special, nil})
		return nil
	}
	f := File{Path: path, Rel: fromHere(abs), Folder: filepath.Dir(real), Name: filepath.Base(real)}
	return w.found(f, real, info.Size)
}

// fromHere returns a path seen from the current folder, with slashes.
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

// folder is a folder on the way down.
type folder struct {
	shown  string // the folder's name for people
	root   string // the folder given, or linked to: absolute, its links resolved
	rel    string // from root, "" for root itself
	match  string // from the folder given, "" for that folder itself
	depth  int    // levels below the folder given
	device uint64 // of the folder given
}

// below returns the folder, or the file, of a name in f.
func (f folder) below(name string) folder {
	f.shown, f.rel, f.match = filepath.Join(f.shown, name), filepath.Join(f.rel, name), filepath.Join(f.match, name)
	f.depth++
	return f
}

func (f folder) abs() string { return filepath.Join(f.root, f.rel) }

func (w *walker) folder(f folder) error {
	if err := w.ctx.Err(); err != nil {
		return err
	}
	abs := f.abs()
	if w.seen[abs] {
		if w.Follow {
			w.skip(Skip{f.shown, Repeated, nil})
		}
		return nil
	}
	w.seen[abs] = true
	entries, err := os.ReadDir(abs)
	if err != nil {
		w.skip(Skip{f.shown, Unreadable, err})
	}
	for _, e := range entries {
		if err := w.entry(f.below(e.Name()), e); err != nil {
			return err
		}
	}
	return nil
}

// entry takes one name in a folder.
func (w *walker) entry(at folder, e fs.DirEntry) error {
	mode := e.Type()
	switch {
	case w.NoHidden && strings.HasPrefix(e.Name(), "."):
		w.skip(Skip{at.shown, Hidden, nil})
	case mode.IsDir() && slices.Contains(versionControl, e.Name()):
		w.skip(Skip{at.shown, VersionControl, nil})
	case mode.IsDir():
		return w.inner(at, e)
	case mode&fs.ModeSymlink != 0 && w.Follow:
		return w.link(at)
	case mode&fs.ModeSymlink != 0:
		w.skip(Skip{at.shown, SymbolicLink, nil})
	case !mode.IsRegular():
		w.skip(Skip{at.shown, Special, nil})
	case strings.HasPrefix(e.Name(), TempPrefix):
		w.skip(Skip{at.shown, Own, nil})
	default:
		f := File{Path: at.shown, Rel: filepath.ToSlash(at.match), Folder: at.root, Name: at.rel}
		return w.found(f, at.abs(), func() int64 {
			if info, err := e.Info(); err == nil {
				return info.Size()
			}
			return 0
		})
	}
	return nil
}

// inner takes a folder below, unless it is too deep or on another file system.
func (w *walker) inner(at folder, e fs.DirEntry) error {
	if at.abs() == w.State {
		w.skip(Skip{at.shown, Own, nil})
		return nil
	}
	if w.Depth > 0 && at.depth >= w.Depth {
		w.skip(Skip{at.shown, TooDeep, nil})
		return nil
	}
	if w.OneFileSystem {
		if info, err := e.Info(); err == nil && deviceOf(info) != at.device {
			w.skip(Skip{at.shown, OtherFileSystem, nil})
			return nil
		}
	}
	return w.folder(at)
}

// link takes a symbolic link that may be followed: to a folder, as if that folder
// had been given. Links to files are not followed.
func (w *walker) link(at folder) error {
	real, err := filepath.EvalSymlinks(at.abs())
	var info fs.FileInfo
	if err == nil {
		info, err = os.Stat(real)
	}
	switch {
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, syscall.ELOOP), err == nil && !info.IsDir():
		w.skip(Skip{at.shown, SymbolicLink, nil})
		return nil
	case err != nil:
		w.skip(Skip{at.shown, Unreadable, err})
		return nil
	case w.OneFileSystem && deviceOf(info) != at.device:
		w.skip(Skip{at.shown, OtherFileSystem, nil})
		return nil
	case w.Depth > 0 && at.depth >= w.Depth:
		w.skip(Skip{at.shown, TooDeep, nil})
		return nil
	}
	at.root, at.rel = real, ""
	return w.folder(at)
}

// found passes a file on, unless it came before or is not wanted.
func (w *walker) found(f File, abs string, size func() int64) error {
	switch {
	case w.seen[abs]:
		return nil
	case len(w.In) > 0 && !program.MatchesAny(w.In, f.Rel), program.MatchesAny(w.Out, f.Rel):
		w.skip(Skip{f.Path, NotSelected, nil})
		return nil
	case w.MaxSize > 0 && size() > w.MaxSize:
		w.skip(Skip{f.Path, TooLarge, nil})
		return nil
	}
	if len(w.Paths) > 1 || w.Follow { // else nothing can come twice
		w.seen[abs] = true
	}
	return w.file(f)
}

func deviceOf(info fs.FileInfo) uint64 {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(st.Dev)
	}
	return 0
}
