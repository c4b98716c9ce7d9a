package vault

import (
	"bytes"
	"errors"
	"os"
	"slices"
	"strings"
	"syscall"

	"github.com/pkg/xattr"
	"golang.org/x/sys/unix"
)

// identity is what tells one state of a file from another without reading it.
type identity struct {
	device, inode uint64
	size          int64
	modified      int64 // nanoseconds
}

func identityOf(info os.FileInfo) identity {
	id := identity{size: info.Size(), modified: info.ModTime().UnixNano()}
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		id.device, id.inode = uint64(st.Dev), uint64(st.Ino)
	}
	return id
}

// links returns how many names a file has.
func links(info os.FileInfo) uint64 {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(st.Nlink)
	}
	return 1
}

// writable reports whether the user may write a file, by effective rights.
func writable(path string) error {
	if err := unix.Faccessat(unix.AT_FDCWD, path, unix.W_OK, unix.AT_EACCESS); err != nil {
		return &os.PathError{Op: "write", Path: path, Err: err}
	}
	return nil
}

// errNotKept is returned where a copy cannot have its original's attributes.
var errNotKept = errors.New("owner or attributes cannot be kept")

// likeOriginal gives copied the owner, group, mode and extended attributes of
// original, in that order, since each may clear the next.
func likeOriginal(copied, original *file) error {
	if err := copied.d.check("attributes", copied.Name()); err != nil {
		return err
	}
	to, from := copied.File, original.File
	info, err := from.Stat()
	if err != nil {
		return err
	}
	fresh, err := to.Stat()
	if err != nil {
		return err
	}
	was, is := info.Sys().(*syscall.Stat_t), fresh.Sys().(*syscall.Stat_t)
	if was.Uid != is.Uid || was.Gid != is.Gid {
		if err := to.Chown(int(was.Uid), int(was.Gid)); err != nil {
			return errNotKept
		}
	}
	if err := unix.Fchmod(int(to.Fd()), uint32(was.Mode)&0o7777); err != nil {
		return err
	}
	return copyAttributes(to, from)
}

func copyAttributes(to, from *os.File) error {
	names, err := xattr.FList(from)
	if err != nil {
		if unsupported(err) {
			return nil
		}
		return err
	}
	for _, name := range names {
		value, err := xattr.FGet(from, name)
		if err != nil {
			return errNotKept
		}
		if have, err := xattr.FGet(to, name); err == nil && bytes.Equal(have, value) {
			continue // such as a security label that new files are given
		}
		if err := xattr.FSet(to, name, value); err != nil {
			return errNotKept
		}
	}
	extra, err := xattr.FList(to)
	if err != nil {
		return err
	}
	for _, name := range extra { // such as an access list that new files inherit
		if !slices.Contains(names, name) && !strings.HasPrefix(name, "security.") {
			if err := xattr.FRemove(to, name); err != nil {
				return errNotKept
			}
		}
	}
	return nil
}

func unsupported(err error) bool {
	return errors.Is(err, unix.ENOTSUP) || errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS)
}
