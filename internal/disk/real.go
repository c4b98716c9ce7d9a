package disk

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"

	"github.com/pkg/xattr"
	"golang.org/x/sys/unix"
)

// Real is the machine's own file system.
type Real struct{}

// OpenDir opens a directory by its absolute path.
func (Real) OpenDir(path string) (Dir, error) {
	fd, err := openPath(path)
	return newDir(fd, err, path)
}

// newDir returns an open directory, or the error of opening it; shown is its path for messages.
func newDir(fd int, err error, shown string) (Dir, error) {
	if err == unix.ENOTDIR || err == unix.ELOOP {
		err = ErrNotDir
	}
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: shown, Err: err}
	}
	f := &realDir{file: os.NewFile(uintptr(fd), shown)}
	info, err := infoOf(f.file)
	f.id = info.ID
	if err != nil {
		_ = f.file.Close()
		return nil, err
	}
	return f, nil
}

// openAt opens a name. It does not follow a link, and does not block on a pipe.
func openAt(at int, name string, flag int, mode uint32) (int, error) {
	for {
		fd, err := unix.Openat(at, name, flag|unix.O_CLOEXEC|unix.O_NOFOLLOW|unix.O_NONBLOCK, mode)
		if err != unix.EINTR {
			return fd, err
		}
	}
}

// realDir is an open directory. It holds a descriptor of its own instead of an os.Root,
// since that follows links within it, and has none to sync, to lock and to tell by.
type realDir struct {
	file *os.File
	id   ID
}

func (f *realDir) ID() ID { return f.id }

func (f *realDir) fd() int { return int(f.file.Fd()) }

// path names a file for messages.
func (f *realDir) path(name string) string { return f.file.Name() + "/" + name }

// fail gives an error its place.
func (f *realDir) fail(op, name string, err error) error {
	if err == nil {
		return nil
	}
	return &os.PathError{Op: op, Path: f.path(name), Err: err}
}

func (f *realDir) open(name string, flag int) (File, error) {
	fd, err := openAt(f.fd(), name, flag, 0o600)
	var info Info
	switch {
	case err == unix.ELOOP, err == unix.EMLINK, err == unix.EISDIR, err == unix.ENXIO:
		err = ErrNotRegular
	case err == nil && flag&os.O_EXCL == 0:
		var st unix.Stat_t
		if err = unix.Fstat(fd, &st); err == nil && st.Mode&unix.S_IFMT != unix.S_IFREG {
			err = ErrNotRegular
		}
		info = infoFrom(&st)
		if err != nil {
			_ = unix.Close(fd)
		}
	}
	if err != nil {
		return nil, f.fail("open", name, err)
	}
	return &realFile{fd: fd, dir: f, name: name, opened: info, fresh: flag == os.O_RDONLY}, nil
}

func (f *realDir) Open(name string) (File, error)        { return f.open(name, os.O_RDONLY) }
func (f *realDir) OpenToWrite(name string) (File, error) { return f.open(name, os.O_WRONLY) }
func (f *realDir) Create(name string) (File, error) {
	return f.open(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY)
}

func (f *realDir) OpenDir(name string) (Dir, error) {
	fd, err := openAt(f.fd(), name, os.O_RDONLY|unix.O_DIRECTORY, 0)
	return newDir(fd, err, f.path(name))
}

func (f *realDir) MakeDir(name string, mode uint32) error {
	return f.fail("make the directory", name, unix.Mkdirat(f.fd(), name, mode))
}

func (f *realDir) Rename(from, to string) error {
	return f.fail("rename to", to, unix.Renameat(f.fd(), from, f.fd(), to))
}

func (f *realDir) RenameFree(from, to string) error {
	err := renameFree(f.fd(), from, to)
	if err == errNoExclusive {
		err = f.renameByLink(from, to)
	}
	return f.fail("rename to", to, err)
}

// errNoExclusive means that the system, or the file system, has no call that renames only to a free name.
var errNoExclusive = errors.New("no exclusive rename")

// errNoSafeRename means that a name could be given only by a call that may replace another file.
var errNoSafeRename = errors.New("this file system can neither rename without replacing a file, nor make a hard link here")

// renameByLink renames without replacing anything: a file gets its new name as a second one, which is on disk before the
// old one goes. A directory cannot have two.
func (f *realDir) renameByLink(from, to string) error {
	info, err := f.Stat(from)
	if err != nil {
		return err
	}
	if info.Kind == Directory {
		if _, err := f.Stat(to); err == nil {
			return unix.EEXIST
		}
		return unix.Renameat(f.fd(), from, f.fd(), to)
	}
	switch err := unix.Linkat(f.fd(), from, f.fd(), to, 0); err {
	case nil:
	case unix.EPERM, unix.EOPNOTSUPP, unix.ENOSYS:
		return errNoSafeRename
	default:
		return err
	}
	if err := f.Sync(); err != nil {
		return errors.Join(err, unix.Unlinkat(f.fd(), to, 0))
	}
	return unix.Unlinkat(f.fd(), from, 0)
}

// maxTarget is the size in bytes of the buffer for a link's text, of which systems allow less.
const maxTarget = 64 << 10

func (f *realDir) ReadLink(name string) (string, error) {
	for size := 256; ; size *= 4 {
		buffer := make([]byte, size)
		n, err := unix.Readlinkat(f.fd(), name, buffer)
		if err != nil {
			return "", f.fail("read the link", name, err)
		}
		if n < size || size >= maxTarget {
			return string(buffer[:n]), nil
		}
	}
}

func (f *realDir) MakeLink(target, name string) error {
	return f.fail("make the link", name, unix.Symlinkat(target, f.fd(), name))
}

func (f *realDir) ChownLink(name string, uid, gid int) error {
	return f.fail("change the owner of", name, unix.Fchownat(f.fd(), name, uid, gid, unix.AT_SYMLINK_NOFOLLOW))
}

func (f *realDir) MaxName() int { return maxName(f.fd()) }

func (f *realDir) Remove(name string) error {
	return f.fail("remove", name, unix.Unlinkat(f.fd(), name, 0))
}

func (f *realDir) RemoveDir(name string) error {
	return f.fail("remove", name, unix.Unlinkat(f.fd(), name, unix.AT_REMOVEDIR))
}

func (f *realDir) Stat(name string) (Info, error) {
	var st unix.Stat_t
	if err := unix.Fstatat(f.fd(), name, &st, unix.AT_SYMLINK_NOFOLLOW); err != nil {
		return Info{}, f.fail("look at", name, err)
	}
	return infoFrom(&st), nil
}

func (f *realDir) Names() ([]string, error) {
	if _, err := f.file.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	return f.file.Readdirnames(-1)
}

func (f *realDir) Entries() ([]fs.DirEntry, error) {
	if _, err := f.file.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	entries, err := f.file.ReadDir(-1)
	slices.SortFunc(entries, func(a, b fs.DirEntry) int { return strings.Compare(a.Name(), b.Name()) })
	return entries, err
}

func (f *realDir) Writable(name string) error {
	return f.fail("write", name, unix.Faccessat(f.fd(), name, unix.W_OK, unix.AT_EACCESS))
}

func (f *realDir) TryLock() (bool, error) {
	err := unix.Flock(f.fd(), unix.LOCK_EX|unix.LOCK_NB)
	switch {
	case err == unix.EWOULDBLOCK:
		return false, nil
	case err == nil, err == unix.EBADF, err == unix.ENOLCK, err == unix.EINVAL, unsupported(err):
		return true, nil
	}
	return false, f.fail("lock", "", err)
}

func (f *realDir) Chmod(mode uint32) error {
	return f.fail("change the mode of", "", unix.Fchmod(f.fd(), mode))
}

func (f *realDir) Sync() error       { return f.file.Sync() }
func (f *realDir) SyncSystem() error { return syncSystem(f.file) }
func (f *realDir) Close() error      { return f.file.Close() }

// realFile is an open file. It is not an os.File, which asks the kernel more than is needed here of
// each of many small files.
type realFile struct {
	fd     int
	dir    *realDir
	name   string // in it
	opened Info   // the attributes when it was opened for reading
	fresh  bool   // Stat was not called yet
}

// retried repeats a system call that a signal interrupted.
func retried(call func() (int, error)) (int, error) {
	for {
		if n, err := call(); err != unix.EINTR {
			return n, err
		}
	}
}

func (f *realFile) Stat() (Info, error) {
	if f.fresh {
		f.fresh = false
		return f.opened, nil
	}
	var st unix.Stat_t
	if _, err := retried(func() (int, error) { return 0, unix.Fstat(f.fd, &st) }); err != nil {
		return Info{}, f.fail("look at", err)
	}
	return infoFrom(&st), nil
}

func (f *realFile) ReadAt(p []byte, at int64) (read int, err error) {
	for read < len(p) {
		n, err := retried(func() (int, error) { return unix.Pread(f.fd, p[read:min(len(p), read+maxAtOnce)], at+int64(read)) })
		if err != nil {
			return read, f.fail("read", err)
		}
		read += n
		if n == 0 || read < len(p) && at+int64(read) == f.opened.Size { // which spares one more call
			return read, io.EOF
		}
	}
	return read, nil
}

// maxAtOnce is the size in bytes of one system call.
const maxAtOnce = 1 << 30

func (f *realFile) Write(p []byte) (written int, err error) {
	for written < len(p) {
		n, err := retried(func() (int, error) { return unix.Write(f.fd, p[written:min(len(p), written+maxAtOnce)]) })
		if err == nil && n == 0 {
			err = io.ErrUnexpectedEOF
		}
		if err != nil {
			return written, f.fail("write", err)
		}
		written += n
	}
	return written, nil
}

func (f *realFile) Truncate(size int64) error {
	_, err := retried(func() (int, error) { return 0, unix.Ftruncate(f.fd, size) })
	return f.fail("truncate", err)
}

func (f *realFile) Sync() error {
	_, err := retried(func() (int, error) { return 0, unix.Fsync(f.fd) })
	return f.fail("sync", err)
}

func (f *realFile) Chmod(mode uint32) error {
	return f.fail("change the mode of", unix.Fchmod(f.fd, mode))
}

func (f *realFile) Chown(uid, gid int) error {
	return f.fail("change the owner of", unix.Fchown(f.fd, uid, gid))
}

func (f *realFile) Close() error { return f.fail("close", unix.Close(f.fd)) }

func (f *realFile) fail(op string, err error) error { return f.dir.fail(op, f.name, err) }

func (f *realFile) Attributes() (map[string][]byte, error) {
	n, err := unix.Flistxattr(f.fd, nil)
	if n == 0 || unsupported(err) {
		return nil, nil
	}
	file, err := f.file()
	if err != nil {
		return nil, err
	}
	defer Close(file)
	names, err := xattr.FList(file)
	if err != nil {
		return nil, err
	}
	all := map[string][]byte{}
	for _, name := range names {
		value, err := xattr.FGet(file, name)
		if err != nil {
			return nil, err
		}
		all[name] = value
	}
	return all, nil
}

// file returns the same file as package xattr wants it.
func (f *realFile) file() (*os.File, error) {
	fd, err := unix.FcntlInt(uintptr(f.fd), unix.F_DUPFD_CLOEXEC, 0)
	if err != nil {
		return nil, f.fail("open", err)
	}
	return os.NewFile(uintptr(fd), f.dir.path(f.name)), nil
}

func (f *realFile) SetAttribute(name string, value []byte) error {
	file, err := f.file()
	if err != nil {
		return err
	}
	defer Close(file)
	return xattr.FSet(file, name, value)
}

func (f *realFile) RemoveAttribute(name string) error {
	file, err := f.file()
	if err != nil {
		return err
	}
	defer Close(file)
	return xattr.FRemove(file, name)
}

func unsupported(err error) bool {
	return errors.Is(err, unix.ENOTSUP) || errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS)
}

func infoOf(f *os.File) (Info, error) {
	var st unix.Stat_t
	if err := unix.Fstat(int(f.Fd()), &st); err != nil {
		return Info{}, &os.PathError{Op: "look at", Path: f.Name(), Err: err}
	}
	return infoFrom(&st), nil
}

func infoFrom(st *unix.Stat_t) Info {
	kind := Special
	switch st.Mode & unix.S_IFMT {
	case unix.S_IFREG:
		kind = Regular
	case unix.S_IFDIR:
		kind = Directory
	case unix.S_IFLNK:
		kind = Link
	}
	return Info{
		ID: ID{uint64(st.Dev), uint64(st.Ino)}, Kind: kind, Mode: uint32(st.Mode) & 0o7777,
		UID: int(st.Uid), GID: int(st.Gid), Links: int(st.Nlink), Size: st.Size,
		Modified: st.Mtim.Nano(), Changed: st.Ctim.Nano(),
	}
}
