package transaction

import (
	"context"
	"errors"
	"fmt"
	"io"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
)

// StagedError is the error of a staged copy that someone else changed before it went live.
type StagedError struct{ Path string }

// ExitStatus returns Refused.
func (*StagedError) ExitStatus() exit.Status { return exit.Refused }

func (e *StagedError) Error() string {
	return fmt.Sprintf("the staged copy of %s was changed by someone else, so nothing was written", e.Path)
}

// replaceAll makes every new content live, on disk. From here on the run is carried
// through, whatever the user's keyboard says: it is short.
func (w *writer) replaceAll(ctx context.Context) error {
	if err := each(context.WithoutCancel(ctx), w.record.Files.Len(), w.replace); err != nil {
		return err
	}
	if err := w.renameAll(); err != nil {
		return err
	}
	return w.dirs.sync(w.durability())
}

// replace makes the new content of file i live, if the file and the copy still are what
// they were.
func (w *writer) replace(i int) error {
	e, was, err := w.seen(i)
	if err != nil {
		return err
	}
	if e.Op == change.Rename {
		return nil
	}
	dir, name := w.dirs.of(e)
	now, err := dir.Stat(name)
	switch {
	case e.Op == change.Create && disk.Missing(err):
	case e.Op == change.Create, err != nil, now != was.found:
		return &change.ChangedError{Path: string(e.Path)}
	case e.Op == change.Remove:
		w.live[i] = true
		return dir.Remove(name)
	case e.Op == change.Retarget:
		w.live[i] = true
		return w.retarget(dir, name, e, was)
	case e.InPlace:
		w.live[i] = true
		content, err := w.store.OpenStaged(w.record, i, e)
		if err != nil {
			return err
		}
		defer disk.Close(content)
		return rewriteInPlace(dir, name, was.found, content)
	}
	if staged, err := dir.Stat(e.Temp()); err != nil || staged != was.staged {
		return &StagedError{string(e.Path)}
	}
	w.live[i] = true
	defer freeLater(dir, name, was.found)()
	return dir.Rename(e.Temp(), name)
}

// slowToFree is the size in bytes from which freeing a file takes noticeable time.
const slowToFree = 64 << 20

// freeLater keeps a large file open that is about to be replaced. The function that it returns closes the file in
// the background, so that freeing its space overlaps with other work.
func freeLater(dir disk.Dir, name string, was disk.Info) func() {
	if was.Size < slowToFree {
		return func() {}
	}
	old, err := dir.Open(name)
	if err != nil {
		return func() {}
	}
	return func() { go disk.Close(old) }
}

// rewriteInPlace writes another content into a file without replacing it, if the file is unchanged. Both contents
// are on disk elsewhere.
func rewriteInPlace(dir disk.Dir, name string, was disk.Info, content io.Reader) error {
	f, err := dir.OpenToWrite(name)
	if err != nil {
		return asChanged(err, name)
	}
	now, err := f.Stat()
	if err == nil && now != was {
		err = &change.ChangedError{Path: name}
	}
	out := &disk.Hastened{File: f}
	if err == nil {
		_, err = io.CopyBuffer(struct{ io.Writer }{out}, struct{ io.Reader }{content}, make([]byte, 64<<10))
	}
	if err == nil {
		err = f.Truncate(out.Written)
	}
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}
