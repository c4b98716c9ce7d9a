package transaction

import (
	"bytes"
	"errors"
	"io"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
)

// prepareInPlace sees to a file that was to be rewritten in place.
func (w *putting) prepareInPlace(was disk.Info) error {
	e, dir, name := w.entry, w.dir, w.name
	if err := w.store.Verify(w.record, e); err != nil {
		w.leave(err.Error())
		return nil
	}
	ok := e.Inode == (disk.ID{}) || e.Inode.Inode == was.Inode || w.dirs.as == byPath
	if ok {
		var err error
		if ok, err = w.mixture(); err != nil {
			return err
		}
	}
	if !ok {
		w.leave("it is neither what it was nor what was to be written")
		return nil
	}
	w.steps = append(w.steps, func() error {
		old, err := w.store.OpenOld(w.record, e)
		if err != nil {
			return err
		}
		defer disk.Close(old)
		err = rewriteInPlace(dir, name, was, old)
		var changed *change.ChangedError
		if errors.As(err, &changed) {
			w.leave("it was changed by someone else")
			return nil
		}
		return err
	})
	return nil
}

// mixture reports whether a file's content may be the result of an interrupted rewrite in place.
func (w *putting) mixture() (bool, error) {
	e := w.entry
	f, err := w.dir.Open(w.name)
	if err != nil {
		return false, err
	}
	defer disk.Close(f)
	open := func() (io.ReadCloser, error) { return w.store.OpenOld(w.record, e) }
	old, err := open()
	if err != nil {
		return false, err
	}
	defer disk.Close(old)
	fresh, err := edit.Edited(open, w.store.Edits(w.record, e))()
	if err != nil {
		return false, err
	}
	defer disk.Close(fresh)
	return mixture(disk.Reader(f), old, fresh)
}

// mixture reports whether now may be the result of an interrupted rewrite in place from old to fresh or back: each
// byte is from one of them, since the pages of a file reach the disk in any order, or zero beyond the end of the
// shorter one. Any other content was written by someone else.
func mixture(now, old, fresh io.Reader) (bool, error) {
	const most = 64 << 10
	isFresh, isMixture := true, true
	parts := [3][]byte{make([]byte, most), make([]byte, most), make([]byte, most)}
	for isFresh || isMixture {
		var n [3]int
		for k, in := range []io.Reader{now, old, fresh} {
			var err error
			n[k], err = io.ReadFull(in, parts[k])
			if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
				return false, err
			}
		}
		is, was, will := parts[0][:n[0]], parts[1][:n[1]], parts[2][:n[2]]
		isFresh = isFresh && bytes.Equal(is, will)
		shorter, longer := min(n[1], n[2]), max(n[1], n[2])
		isMixture = isMixture && n[0] >= shorter && n[0] <= longer
		for i := 0; i < len(is) && isMixture; i++ {
			c := is[i]
			isMixture = i < len(was) && c == was[i] || i < len(will) && c == will[i] || i >= shorter && c == 0
		}
		if n[0] < most && longer < most {
			break
		}
	}
	return isFresh || isMixture, nil
}
