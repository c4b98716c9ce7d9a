package vault

import (
	"bytes"
	"errors"
	"os"
	"slices"
	"strings"

	"github.com/pkg/xattr"
	"golang.org/x/sys/unix"
)

// identity is what tells one state of a file from another without reading it.
type identity struct {
	device, inode uint64
	size          int64
	modified      unix.Timespec
}

func identityOf(st unix.Stat_t) identity {
	return identity{uint64(st.Dev), uint64(st.Ino), st.Size, st.Mtim}
}

// writable reports whether the user may write a file, by effective rights.
func writable(o *folder, name, path string) error {
	if err := unix.Faccessat(o.fd, name, unix.W_OK, unix.AT_EACCESS); err != nil {
		return &os.PathError{Op: "write", Path: path, Err: err}
	}
	return nil
}

// errNotKept is returned where a copy cannot have its original's attributes.
var errNotKept = errors.New("owner or attributes cannot be kept")

// likeOriginal gives copied, a file just created, the owner, group, mode and extended
// attributes of original, which is was, in that order, since each may clear the next.
func likeOriginal(copied, original *file, was unix.Stat_t) error {
	if err := copied.d.check("attributes", copied.name); err != nil {
		return err
	}
	is, err := copied.stat()
	if err != nil {
		return err
	}
	chowned := was.Uid != is.Uid || was.Gid != is.Gid
	if chowned {
		if err := unix.Fchown(copied.fd, int(was.Uid), int(was.Gid)); err != nil {
			return errNotKept
		}
	}
	if chowned || (is.Mode^was.Mode)&0o7777 != 0 {
		if err := unix.Fchmod(copied.fd, uint32(was.Mode)&0o7777); err != nil {
			return copied.fail("chmod", err)
		}
	}
	return copyAttributes(copied, original)
}

// copyAttributes gives to the extended attributes of from, and no others.
func copyAttributes(to, from *file) error {
	wanted, err := unix.Flistxattr(from.fd, nil)
	if err != nil {
		if unsupported(err) {
			return nil
		}
		return from.fail("attributes", err)
	}
	has, err := unix.Flistxattr(to.fd, nil)
	if err != nil {
		return to.fail("attributes", err)
	}
	if wanted == 0 && has == 0 {
		return nil
	}
	source, target := os.NewFile(dup(from.fd), from.name), os.NewFile(dup(to.fd), to.name)
	if source == nil || target == nil {
		return errNotKept
	}
	defer source.Close()
	defer target.Close()
	return sameAttributes(target, source)
}

// dup returns another descriptor of an open file, to be closed by itself.
func dup(fd int) uintptr {
	n, err := unix.FcntlInt(uintptr(fd), unix.F_DUPFD_CLOEXEC, 0)
	if err != nil {
		return ^uintptr(0)
	}
	return uintptr(n)
}

func sameAttributes(to, from *os.File) error {
	names, err := xattr.FList(from)
	if err != nil {
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
