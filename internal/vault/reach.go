package vault

import (
	"path/filepath"

	"golang.org/x/sys/unix"
)

// reach opens files of a run through the folders that were selected, so that no
// path component swapped for a link leads out of them. It keeps one folder open,
// the last one used, since files come in path order.
type reach struct {
	disk   disk
	base   string // the folder selected, absolute
	dir    string // below base
	folder *folder
}

// in returns the folder that holds an entry's file, and the file's name in it.
func (o *reach) in(e *Entry) (*folder, string, error) {
	base, dir := string(e.Folder), filepath.Dir(string(e.Name))
	name := filepath.Base(string(e.Name))
	if o.folder != nil && o.base == base && o.dir == dir {
		return o.folder, name, nil
	}
	o.close()
	f, err := o.disk.openFolder(base, dir)
	if err != nil {
		return nil, "", err
	}
	o.base, o.dir, o.folder = base, dir, f
	return f, name, nil
}

func (o *reach) close() {
	if o.folder != nil {
		o.folder.Close()
		o.folder = nil
	}
}

// open opens a file and returns its content and what it is. The caller closes it.
func (o *reach) open(e *Entry) (*file, []byte, unix.Stat_t, error) {
	folder, name, err := o.in(e)
	if err != nil {
		return nil, nil, unix.Stat_t{}, err
	}
	f, err := folder.Open(name)
	if err != nil {
		return nil, nil, unix.Stat_t{}, err
	}
	st, err := f.stat()
	if err == nil && st.Mode&unix.S_IFMT != unix.S_IFREG {
		err = &ChangedError{string(e.Path)}
	}
	var content []byte
	if err == nil {
		content, err = f.readSized(st.Size)
	}
	if err != nil {
		_ = f.Close()
		return nil, nil, st, err
	}
	return f, content, st, nil
}

// read returns a file's content.
func (o *reach) read(e *Entry) ([]byte, error) {
	f, content, _, err := o.open(e)
	if err != nil {
		return nil, err
	}
	return content, f.Close()
}

// sync makes sure that the names in the entry's folder have reached the disk.
func (o *reach) sync(e *Entry) error {
	folder, _, err := o.in(e)
	if err != nil {
		return err
	}
	return folder.sync()
}
