package rules

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"

	"frizzel/core/script"
	"frizzel/internal/disk"
)

// A reach is the directories below which scripts may read files: those of the scripts that the user named, the current
// one, and those of --allow-read. A script comes from a colleague, and runs with the rights of whoever runs it, so it
// must not read, say, a password file and show it.
type reach []string // absolute

// reach returns the directories of the scripts and of AllowRead.
func (r *Given) reach() (reach, error) {
	dirs := reach{}
	add := func(path string) error {
		abs, err := filepath.Abs(path)
		dirs = append(dirs, abs)
		return err
	}
	if err := add("."); err != nil {
		return nil, err
	}
	for _, path := range r.Scripts {
		if path != "-" {
			if err := add(filepath.Dir(path)); err != nil {
				return nil, err
			}
		}
	}
	for _, path := range r.AllowRead {
		if err := add(path); err != nil {
			return nil, err
		}
	}
	return dirs, nil
}

// An OutsideError reports a file that a script names and may not read.
type OutsideError struct{ Path string }

func (e *OutsideError) Error() string {
	return fmt.Sprintf("%s is not below the script's directory or the current one, so the script may not read it; allow it with --allow-read %s", e.Path, filepath.Dir(e.Path))
}

// errNotAFile is the reason of a pipe, a device or a directory that a script names.
var errNotAFile = errors.New("is not a regular file")

// load reads a regular file below one of the directories. No link leads out of them (os.Root), and a pipe is not waited
// for.
func (dirs reach) load(path string) ([]byte, error) {
	abs, err := filepath.Abs(path)
	if err != nil {
		return nil, err
	}
	most := int64(MaxTable)
	if strings.HasSuffix(path, script.Suffix) {
		most = MaxScript
	}
	last := error(&OutsideError{path})
	for _, dir := range dirs {
		rel, err := filepath.Rel(dir, abs)
		if err != nil || !filepath.IsLocal(rel) {
			continue
		}
		text, err := readBelow(dir, rel, path, most)
		if err == nil {
			return text, nil
		}
		if errors.Is(err, fs.ErrNotExist) || !isEscape(err) {
			return nil, err
		}
	}
	return nil, last
}

// readBelow reads a regular file of at most limit bytes; name is used in messages.
func readBelow(dir, rel, name string, limit int64) ([]byte, error) {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	defer disk.Close(root)
	f, err := root.OpenFile(rel, os.O_RDONLY|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, fmt.Errorf("%s %w", name, errNotAFile)
	}
	return disk.ReadStream(f, name, limit)
}

// isEscape reports whether a link leads out of an os.Root. The package has no value for that error, but all others are
// those of system calls.
func isEscape(err error) bool {
	var path *fs.PathError
	var number unix.Errno
	return errors.As(err, &path) && !errors.As(err, &number)
}
