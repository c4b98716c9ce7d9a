package disk

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"
)

// Resolve returns the absolute path of a path that the user named. Links in the part of it that exists are
// resolved, since the user named them. The result is for System.OpenDir, which follows no link: one that is
// planted later leads nowhere.
func Resolve(path string) (string, error) {
	abs, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	rest := ""
	for at := abs; ; at = filepath.Dir(at) {
		resolved, err := filepath.EvalSymlinks(at)
		if err == nil {
			return filepath.Join(resolved, rest), nil
		}
		if _, there := os.Lstat(at); !errors.Is(err, fs.ErrNotExist) || there == nil || at == filepath.Dir(at) {
			return "", err // a link to nothing among them
		}
		rest = filepath.Join(filepath.Base(at), rest)
	}
}

// openPath opens a directory by its absolute path, directory by directory, and follows no link in it.
func openPath(path string) (int, error) {
	path = filepath.Clean(path)
	if !filepath.IsAbs(path) {
		return -1, unix.EINVAL
	}
	fd, err := openWhole(path)
	if err != errNoWhole {
		return fd, err
	}
	parts := strings.Split(path[1:], "/")
	if path == "/" {
		return openAt(unix.AT_FDCWD, path, os.O_RDONLY|unix.O_DIRECTORY, 0)
	}
	at, err := openAt(unix.AT_FDCWD, "/", searching|unix.O_DIRECTORY, 0)
	if err != nil {
		return -1, err
	}
	for i, name := range parts {
		flag := searching
		if i == len(parts)-1 {
			flag = os.O_RDONLY
		}
		next, err := openAt(at, name, flag|unix.O_DIRECTORY, 0)
		_ = unix.Close(at)
		if err != nil {
			return -1, err
		}
		at = next
	}
	return at, nil
}

// errNoWhole means that the system has no call that opens a path without following links.
var errNoWhole = errors.New("openat2 is missing")
