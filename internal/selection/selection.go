// Package selection turns paths and globs into files, in path order.
//
// The central type is [Selection], what a person asked for; [Selection.Walk] finds
// the files. Nothing is passed over in silence: what is left out is reported with
// its reason, and no file comes twice.
package selection

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"
)

// Selection is what a person asked for.
type Selection struct {
	Paths []string // files and folders; none is the current folder
	In    []string // globs of the files to take; none takes all
	Out   []string // globs of the files to leave out

	Depth         int    // folder levels to read, 1 for the folder's own files; 0 for all
	NoHidden      bool   // leave out names that begin with a dot, below what was named
	Follow        bool   // follow symbolic links to folders
	OneFileSystem bool   // stay on the file systems of the folders named
	MaxSize       int64  // bytes; 0 for any
	State         string // the folder of backups, which is left out
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

	Hidden          Reason = "hidden"
	TooDeep         Reason = "too deep"
	TooLarge        Reason = "too large"
	OtherFileSystem Reason = "on another file system"
	Repeated        Reason = "read already"
)

// Count writes how many files were left out for the reason.
func (r Reason) Count(n int) string {
	if n != 1 && (r == SymbolicLink || r == Special) {
		r += "s"
	}
	return fmt.Sprintf("%d %s", n, r)
}

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
