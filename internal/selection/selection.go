// Package selection turns paths and globs into files, in path order.
//
// The central type is [Selection], what a person asked for; [Selection.Walk] finds
// the files. Nothing is passed over in silence: what is left out is reported with
// its reason, and no file comes twice.
package selection

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"frizzel/core/program"
)

// Selection is what a person asked for.
type Selection struct {
	Paths []string // files and folders; none is the current folder
	In    []string // globs of the files to take; none takes all
	Out   []string // globs of the files to leave out
}

// File is a file that was found.
type File struct {
	// Path is the file's name for people: as it was given, or below the folder
	// that was given.
	Path string
	// Rel is the path from the folder given, or from the current one for a file
	// given singly, with slashes.
	Rel string
	// Folder and Name are where the file is written: Folder is absolute, Name is
	// below it, and no link within Name is followed out of Folder.
	Folder, Name string
}

// Reason is why something was left out.
type Reason string

const (
	Binary         Reason = "binary"
	VersionControl Reason = "version control"
	SymbolicLink   Reason = "symbolic link"
	Special        Reason = "special file"
	NotSelected    Reason = "not selected"
	Own            Reason = "frizzel's own"
	Unreadable     Reason = "unreadable"
)

// Skip is something that was left out.
type Skip struct {
	Path   string
	Reason Reason
	Err    error // of what is Unreadable
}

// MissingError is the error of paths that are not there.
type MissingError struct {
	Paths []string
}

func (e *MissingError) Error() string {
	names := make([]string, len(e.Paths))
	for i, p := range e.Paths {
		names[i] = fmt.Sprintf("%q", p)
	}
	return "there is no " + strings.Join(names, ", no ")
}

// versionControl are the folders that version control keeps its own files in.
var versionControl = []string{".git", ".hg", ".svn", ".bzr", ".jj", ".pijul", "_darcs", "CVS"}

// TempPrefix is what the names of the files begin with that a run stages beside
// their targets.
const TempPrefix = ".frizzel-"

// Check returns a *MissingError where a path is not there.
func (s *Selection) Check() error {
	var missing []string
	for _, p := range s.Paths {
		if _, err := os.Stat(p); errors.Is(err, fs.ErrNotExist) || p == "" {
			missing = append(missing, p)
		}
	}
	if len(missing) > 0 {
		return &MissingError{missing}
	}
	return nil
}

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
	seen map[string]bool // absolute paths of what was found
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
		return w.folder(folder{shown: path, root: real})
	}
	if !info.Mode().IsRegular() {
		w.skip(Skip{path, Special, nil})
		return nil
	}
	f := File{Path: path, Rel: fromHere(abs), Folder: filepath.Dir(real), Name: filepath.Base(real)}
	return w.found(f, real)
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
	shown string // the folder's name for people
	root  string // the folder given, absolute, its links resolved
	rel   string // from root, "" for root itself
}

func (w *walker) folder(f folder) error {
	if err := w.ctx.Err(); err != nil {
		return err
	}
	abs := filepath.Join(f.root, f.rel)
	if w.seen[abs] {
		return nil
	}
	w.seen[abs] = true
	entries, err := os.ReadDir(abs)
	if err != nil {
		w.skip(Skip{f.shown, Unreadable, err})
	}
	for _, e := range entries {
		shown := filepath.Join(f.shown, e.Name())
		rel := filepath.Join(f.rel, e.Name())
		switch mode := e.Type(); {
		case mode.IsDir() && slices.Contains(versionControl, e.Name()):
			w.skip(Skip{shown, VersionControl, nil})
		case mode.IsDir():
			if err := w.folder(folder{shown, f.root, rel}); err != nil {
				return err
			}
		case mode&fs.ModeSymlink != 0:
			w.skip(Skip{shown, SymbolicLink, nil})
		case !mode.IsRegular():
			w.skip(Skip{shown, Special, nil})
		case strings.HasPrefix(e.Name(), TempPrefix):
			w.skip(Skip{shown, Own, nil})
		default:
			file := File{Path: shown, Rel: filepath.ToSlash(rel), Folder: f.root, Name: rel}
			if err := w.found(file, filepath.Join(f.root, rel)); err != nil {
				return err
			}
		}
	}
	return nil
}

// found passes a file on, unless it came before or is not wanted.
func (w *walker) found(f File, abs string) error {
	switch {
	case w.seen[abs]:
		return nil
	case len(w.In) > 0 && !program.MatchesAny(w.In, f.Rel), program.MatchesAny(w.Out, f.Rel):
		w.skip(Skip{f.Path, NotSelected, nil})
		return nil
	}
	if len(w.Paths) > 1 { // else nothing can come twice
		w.seen[abs] = true
	}
	return w.file(f)
}
