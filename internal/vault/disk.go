package vault

import (
	"errors"
	"fmt"
	"os"

	"golang.org/x/sys/unix"
)

// disk is the file system as the vault uses it: every operation that can fail or be
// cut off goes through it, so that a test can make each of them fail in turn. It
// makes no system call that a run over many files could do without.
type disk struct {
	before func(op, path string) error // nil but in tests
}

func (d disk) check(op, path string) error {
	if d.before == nil {
		return nil
	}
	return d.before(op, path)
}

// mkdirAll makes a folder, its owner's alone. One that is there must be the user's
// own, and no link.
func (d disk) mkdirAll(path string) error {
	if err := d.check("mkdir", path); err != nil {
		return err
	}
	if err := os.MkdirAll(path, 0o700); err != nil {
		return err
	}
	var st unix.Stat_t
	if err := unix.Lstat(path, &st); err != nil {
		return &os.PathError{Op: "stat", Path: path, Err: err}
	}
	if st.Mode&unix.S_IFMT != unix.S_IFDIR || int(st.Uid) != os.Geteuid() {
		return fmt.Errorf("%s is no folder of yours", path)
	}
	return os.Chmod(path, 0o700)
}

func (d disk) mkdir(path string) error {
	if err := d.check("mkdir", path); err != nil {
		return err
	}
	return os.Mkdir(path, 0o700)
}

// openFile opens a file of the vault's own.
func (d disk) openFile(path string, flag int) (*file, error) {
	return d.openAt(unix.AT_FDCWD, path, flag, 0o600)
}

// openAt opens a file in an open folder. The last part of the path is not followed
// where it is a link.
func (d disk) openAt(folder int, path string, flag int, mode uint32) (*file, error) {
	if err := d.check("open", path); err != nil {
		return nil, err
	}
	fd, err := retry(func() (int, error) {
		return unix.Openat(folder, path, flag|unix.O_CLOEXEC|unix.O_NOFOLLOW|unix.O_NONBLOCK, mode)
	})
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: path, Err: err}
	}
	return &file{fd, path, d}, nil
}

// retry makes a call again where a signal broke it off.
func retry[T any](call func() (T, error)) (T, error) {
	for {
		v, err := call()
		if err != unix.EINTR {
			return v, err
		}
	}
}

func (d disk) readFile(path string) ([]byte, error) {
	f, err := d.openFile(path, os.O_RDONLY)
	if err != nil {
		return nil, err
	}
	content, err := f.readAll()
	return content, errors.Join(err, f.Close())
}

func (d disk) rename(from, to string) error {
	if err := d.check("rename", to); err != nil {
		return err
	}
	return os.Rename(from, to)
}

// writeFile writes a file of the vault's own, on disk before it returns.
func (d disk) writeFile(path string, content []byte, flag int) error {
	f, err := d.openFile(path, flag|os.O_CREATE|os.O_WRONLY)
	if err != nil {
		return err
	}
	if err = f.write(content); err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// syncFolder waits until the names in a folder have reached the disk.
func (d disk) syncFolder(path string) error {
	f, err := d.openFile(path, os.O_RDONLY)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

func (d disk) syncFileSystem(folder string) error {
	if err := d.check("syncfs", folder); err != nil {
		return err
	}
	return syncFileSystem(folder)
}

// file is an open file.
type file struct {
	fd   int
	name string
	d    disk
}

func (f *file) fail(op string, err error) error {
	if err != nil {
		err = &os.PathError{Op: op, Path: f.name, Err: err}
	}
	return err
}

// write appends all of p.
func (f *file) write(p []byte) error {
	if err := f.d.check("write", f.name); err != nil {
		_, _ = unix.Write(f.fd, p[:len(p)/2]) // as a full disk does
		return err
	}
	for len(p) > 0 {
		n, err := retry(func() (int, error) { return unix.Write(f.fd, p) })
		if err != nil {
			return f.fail("write", err)
		}
		p = p[n:]
	}
	return nil
}

// readAt reads all of p from a place.
func (f *file) readAt(p []byte, at int64) error {
	for len(p) > 0 {
		n, err := retry(func() (int, error) { return unix.Pread(f.fd, p, at) })
		if err == nil && n == 0 {
			err = errors.New("the file is too short")
		}
		if err != nil {
			return f.fail("read", err)
		}
		p, at = p[n:], at+int64(n)
	}
	return nil
}

func (f *file) truncate(size int64) error {
	if err := f.d.check("truncate", f.name); err != nil {
		return err
	}
	return f.fail("truncate", unix.Ftruncate(f.fd, size))
}

func (f *file) Sync() error {
	if err := f.d.check("sync", f.name); err != nil {
		return err
	}
	_, err := retry(func() (int, error) { return 0, unix.Fsync(f.fd) })
	return f.fail("sync", err)
}

func (f *file) Close() error { return f.fail("close", unix.Close(f.fd)) }

// stat returns what the file is.
func (f *file) stat() (unix.Stat_t, error) {
	var st unix.Stat_t
	return st, f.fail("stat", unix.Fstat(f.fd, &st))
}

// readAll reads the file from where it stands.
func (f *file) readAll() ([]byte, error) {
	st, err := f.stat()
	if err != nil {
		return nil, err
	}
	return f.readSized(st.Size)
}

// readSized reads the file, which most likely is of the size.
func (f *file) readSized(size int64) ([]byte, error) {
	if err := f.d.check("read", f.name); err != nil {
		return nil, err
	}
	content := make([]byte, 0, max(size, 0)+1)
	for {
		n, err := retry(func() (int, error) { return unix.Read(f.fd, content[len(content):cap(content)]) })
		if err != nil {
			return nil, f.fail("read", err)
		}
		content = content[:len(content)+n]
		switch {
		case n == 0 || int64(len(content)) == size && n == int(size):
			return content, nil
		case len(content) == cap(content):
			content = append(content, 0)[:len(content)]
		}
	}
}

// folder is an open folder. The names in it are single ones, so that no link leads
// out of it.
type folder struct {
	fd int
	d  disk
}

// openFolder opens the folder dir below base, which no link leads out of.
func (d disk) openFolder(base, dir string) (*folder, error) {
	if err := d.check("open", dir); err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(base)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	opened, err := root.Open(dir)
	if err != nil {
		return nil, err
	}
	defer opened.Close()
	fd, err := unix.FcntlInt(opened.Fd(), unix.F_DUPFD_CLOEXEC, 0)
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: dir, Err: err}
	}
	return &folder{fd, d}, nil
}

func (o *folder) Close() { _ = unix.Close(o.fd) }

func (o *folder) Open(name string) (*file, error) { return o.OpenFile(name, os.O_RDONLY) }

func (o *folder) OpenFile(name string, flag int) (*file, error) {
	return o.d.openAt(o.fd, name, flag, 0o600)
}

// create makes a file that is not there yet, with no more rights than mode.
func (o *folder) create(name string, mode uint32) (*file, error) {
	return o.d.openAt(o.fd, name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode&0o777)
}

func (o *folder) Rename(from, to string) error {
	if err := o.d.check("rename", to); err != nil {
		return err
	}
	if err := unix.Renameat(o.fd, from, o.fd, to); err != nil {
		return &os.PathError{Op: "rename", Path: to, Err: err}
	}
	return nil
}

func (o *folder) Remove(name string) error {
	if err := o.d.check("remove", name); err != nil {
		return err
	}
	if err := unix.Unlinkat(o.fd, name, 0); err != nil {
		return &os.PathError{Op: "remove", Path: name, Err: err}
	}
	return nil
}

// stat returns what a name in the folder is, links not followed.
func (o *folder) stat(name string) (unix.Stat_t, error) {
	var st unix.Stat_t
	if err := unix.Fstatat(o.fd, name, &st, unix.AT_SYMLINK_NOFOLLOW); err != nil {
		return st, &os.PathError{Op: "stat", Path: name, Err: err}
	}
	return st, nil
}

// sync waits until the names in the folder have reached the disk.
func (o *folder) sync() error {
	f := &file{o.fd, "folder", o.d}
	return f.Sync()
}
