package vault

import (
	"errors"
	"os"
	"path/filepath"
)

// reach opens files of a run through the folders that were selected, so that no
// path component swapped for a link leads out of them. It keeps one folder open,
// the last one used, since files come in path order.
type reach struct {
	disk   disk
	folder string // absolute
	dir    string // below folder
	root   *folder
}

// in returns the folder that holds an entry's file, and the file's name in it.
func (o *reach) in(e *Entry) (*folder, string, error) {
	base, dir := string(e.Folder), filepath.Dir(string(e.Name))
	name := filepath.Base(string(e.Name))
	if o.root != nil && o.folder == base && o.dir == dir {
		return o.root, name, nil
	}
	o.close()
	root, err := o.disk.openRoot(base)
	if err != nil {
		return nil, "", err
	}
	if dir != "." {
		sub, err := root.OpenRoot(dir)
		if err = errors.Join(err, root.Close()); err != nil {
			return nil, "", err
		}
		root = sub
	}
	o.folder, o.dir, o.root = base, dir, root
	return root, name, nil
}

func (o *reach) close() {
	if o.root != nil {
		_ = o.root.Close()
		o.root = nil
	}
}

// read returns a file's content and what it is.
func (o *reach) read(e *Entry) ([]byte, os.FileInfo, error) {
	root, name, err := o.in(e)
	if err != nil {
		return nil, nil, err
	}
	f, err := root.Open(name)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, nil, err
	}
	content, err := f.readAll()
	return content, info, err
}

// sync makes sure that the names in the entry's folder have reached the disk.
func (o *reach) sync(e *Entry) error {
	root, _, err := o.in(e)
	if err != nil {
		return err
	}
	d, err := root.Open(".")
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}
