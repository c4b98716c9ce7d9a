// Package selection turns paths and globs into files, in the order of paths.
//
// The central type is [Selection]; [Selection.Walk] finds its files. Nothing is skipped silently: an omitted
// file is reported with the reason. No file is visited twice.
package selection

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
)

// A Selection says which files a person wants.
type Selection struct {
	Paths  []string // files and directories that the user named
	Listed []string // files and directories from a list; without any path, the current directory is walked
	In     []string // globs of the files to take; none takes all
	Out    []string // globs of the files to leave out

	Depth         int             // directory levels to read, 1 for the directory's own files; 0 for all
	NoHidden      bool            // leave out names that begin with a dot, below the paths given
	Follow        bool            // follow symbolic links to directories
	OneFileSystem bool            // stay on the file systems of the directories named
	Rules         map[string]bool // whole paths of what the run was given: scripts, tables, values, lists
	State         disk.ID         // the directory of backups, which is omitted; zero if there is none
	// Names means that the names of links are wanted, so that one that leads nowhere is there.
	Names bool
}

// File is a file that was found.
type File struct {
	// Path is the file's name for people: as it was given, or below the directory
	// that was given.
	Path string
	// Rel is the path from the directory given, or from the current one for a file
	// given singly, with slashes.
	Rel string
	// Dir and Name are the path for writing the file: Dir is absolute, Name is relative to it, and no link
	// within Name is followed out of Dir.
	Dir, Name string
	// In is the directory that holds the file.
	In disk.ID
	// Linked means that the file was reached by a link that was named, so that Path ends in another name than its own.
	Linked bool

	parent *parent // the directory, open until the file was
}

// parent is a directory that stays open while it is walked, or a file in it is to be opened.
type parent struct {
	disk.Dir
	users atomic.Int32
}

func (p *parent) release() {
	if p.users.Add(-1) == 0 {
		disk.Close(p)
	}
}

// Absolute returns the file's whole path, without links.
func (f *File) Absolute() string { return filepath.Join(f.Dir, f.Name) }

// Open opens the file in the directory that was walked, whatever that is called by now. It is
// called once; a file that is not opened is dropped.
func (f *File) Open() (disk.File, error) {
	defer f.Drop()
	return f.parent.Open(filepath.Base(f.Name))
}

// Drop releases a file that is not opened.
func (f *File) Drop() {
	if f.parent != nil {
		f.parent.release()
	}
}

// Reopen opens the file once more, if its directory is the one that was walked.
func (f *File) Reopen(system disk.System) (disk.File, error) {
	abs := filepath.Join(f.Dir, f.Name)
	dir, err := system.OpenDir(filepath.Dir(abs))
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	if dir.ID() != f.In {
		return nil, &fs.PathError{Op: "open", Path: f.Path, Err: errMoved}
	}
	return dir.Open(filepath.Base(abs))
}

// errMoved is the reason of a file whose directory another one took the place of.
var errMoved = errors.New("its directory is not the one that was read")

// Reason is why something was left out.
type Reason string

const (
	Binary         Reason = "binary"
	VersionControl Reason = "version control"
	SymbolicLink   Reason = "symbolic link"
	Special        Reason = "special file"
	NotSelected    Reason = "not selected"
	Script         Reason = "rule script"
	Own            Reason = "frizzel's own" // reviews, pages, the history
	InUse          Reason = "file of these rules"
	Unreadable     Reason = "unreadable"

	Hidden          Reason = "hidden"
	TooDeep         Reason = "too deep"
	TooLarge        Reason = "too large"
	OtherFileSystem Reason = "on another file system"
	Repeated        Reason = "read already"

	Document Reason = "document"            // none were wanted
	Damaged  Reason = "unreadable document" // damaged, encrypted or the like
	OldKind  Reason = "document in an old format, not read"
)

// Count returns the phrase for n files that were omitted for the reason.
func (r Reason) Count(n int) string {
	if n != 1 && r == InUse {
		return fmt.Sprintf("%d files of these rules", n)
	}
	if n != 1 && r == OldKind {
		return fmt.Sprintf("%d documents in old formats, not read", n)
	}
	if n != 1 && (r == Script || r == SymbolicLink || r == Special || r == Document || r == Damaged) {
		r += "s"
	}
	return fmt.Sprintf("%d %s", n, r)
}

// Skip is something that was left out.
type Skip struct {
	Path   string
	Reason Reason
	Err    error         // set if Reason is Unreadable
	At     func() string // returns the absolute path, its links resolved but the last one; nil if that is not below a path given
}

// MissingError is the error of paths that are not there.
type MissingError struct {
	Paths []string
}

// ExitStatus returns Wrong.
func (*MissingError) ExitStatus() exit.Status { return exit.Wrong }

func (e *MissingError) Error() string {
	names := make([]string, len(e.Paths))
	for i, p := range e.Paths {
		names[i] = fmt.Sprintf("%q", p)
	}
	return "there is no " + strings.Join(names, ", no ")
}

// versionControl are the directories that version control keeps its own files in.
var versionControl = []string{".git", ".hg", ".svn", ".bzr", ".jj", ".pijul", "_darcs", "CVS"}

// IsVersionControl reports whether a directory of this name has files of version control, which no walk enters.
func IsVersionControl(name string) bool { return slices.Contains(versionControl, name) }

// Check returns a *MissingError if a path does not exist.
func (s *Selection) Check() error {
	var missing []string
	missed := func(paths []string, stat func(string) (fs.FileInfo, error)) {
		for _, p := range paths {
			if _, err := stat(p); errors.Is(err, fs.ErrNotExist) || p == "" {
				missing = append(missing, p)
			}
		}
	}
	stat := os.Stat
	if s.Names {
		stat = os.Lstat
	}
	missed(s.Paths, stat)
	missed(s.Listed, os.Lstat)
	if len(missing) > 0 {
		return &MissingError{missing}
	}
	return nil
}
