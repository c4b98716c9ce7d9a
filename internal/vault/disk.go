package vault

import (
	"errors"
	"io"
	"os"
)

// disk is the file system as the vault uses it: every operation that can fail or be
// cut off goes through it, so that a test can make each of them fail in turn.
type disk struct {
	before func(op, path string) error // nil but in tests
}

func (d disk) check(op, path string) error {
	if d.before == nil {
		return nil
	}
	return d.before(op, path)
}

func (d disk) mkdirAll(path string) error {
	if err := d.check("mkdir", path); err != nil {
		return err
	}
	if err := os.MkdirAll(path, 0o700); err != nil {
		return err
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
	if err := d.check("open", path); err != nil {
		return nil, err
	}
	f, err := os.OpenFile(path, flag, 0o600)
	return &file{f, d}, err
}

func (d disk) readFile(path string) ([]byte, error) {
	if err := d.check("read", path); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
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
	if _, err = f.Write(content); err == nil {
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

func (d disk) openRoot(path string) (*folder, error) {
	if err := d.check("open", path); err != nil {
		return nil, err
	}
	r, err := os.OpenRoot(path)
	return &folder{r, d}, err
}

// file is an open file.
type file struct {
	*os.File
	d disk
}

func (f *file) Write(p []byte) (int, error) {
	if err := f.d.check("write", f.Name()); err != nil {
		n, _ := f.File.Write(p[:len(p)/2]) // as a full disk does
		return n, err
	}
	return f.File.Write(p)
}

func (f *file) WriteAt(p []byte, at int64) (int, error) {
	if err := f.d.check("write", f.Name()); err != nil {
		n, _ := f.File.WriteAt(p[:len(p)/2], at)
		return n, err
	}
	return f.File.WriteAt(p, at)
}

func (f *file) Truncate(size int64) error {
	if err := f.d.check("truncate", f.Name()); err != nil {
		return err
	}
	return f.File.Truncate(size)
}

func (f *file) Sync() error {
	if err := f.d.check("sync", f.Name()); err != nil {
		return err
	}
	return f.File.Sync()
}

func (f *file) readAll() ([]byte, error) {
	if err := f.d.check("read", f.Name()); err != nil {
		return nil, err
	}
	return io.ReadAll(f.File)
}

// folder is an open folder, out of which no link leads.
type folder struct {
	*os.Root
	d disk
}

func (o *folder) OpenRoot(name string) (*folder, error) {
	if err := o.d.check("open", name); err != nil {
		return nil, err
	}
	r, err := o.Root.OpenRoot(name)
	return &folder{r, o.d}, err
}

func (o *folder) Open(name string) (*file, error) { return o.OpenFile(name, os.O_RDONLY) }

func (o *folder) OpenFile(name string, flag int) (*file, error) {
	if err := o.d.check("open", name); err != nil {
		return nil, err
	}
	f, err := o.Root.OpenFile(name, flag, 0o600)
	return &file{f, o.d}, err
}

func (o *folder) Rename(from, to string) error {
	if err := o.d.check("rename", to); err != nil {
		return err
	}
	return o.Root.Rename(from, to)
}

func (o *folder) Remove(name string) error {
	if err := o.d.check("remove", name); err != nil {
		return err
	}
	return o.Root.Remove(name)
}
