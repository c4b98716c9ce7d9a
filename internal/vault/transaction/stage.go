package transaction

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// tempName makes the name of a content on its way, which nobody else has.
func tempName() string { return change.TempPrefix + strings.ToLower(rand.Text()) }

// durability says how each file is written.
func (w *writer) durability() disk.Durability { return durabilityOf(len(w.changes)) }

// stageAll writes the backup and the new contents, which no one sees yet, and makes sure
// that they are on disk, and the record that knows them.
func (w *writer) stageAll(ctx context.Context) error {
	b, err := w.store.NewBackup(w.record)
	if err != nil {
		return err
	}
	err = each(ctx, w.targets, func(i int) error {
		defer w.intent.Progress.File()
		return w.stage(b, i)
	})
	if err = errors.Join(err, b.Close()); err != nil {
		return err
	}
	if w.durability() == disk.Unsynced {
		if err := w.folders.syncSystems(); err != nil {
			return err
		}
	}
	w.record.Staged = true
	return w.store.Save(w.record)
}

// stages is how often a file's content is gone through: read, backed up, written.
const stages = 3

// stage backs file i up and stages its new content, and what is left beside it.
func (w *writer) stage(b *store.Backup, i int) error {
	c, e := &w.changes[i], &w.record.Files[i]
	folder, name := w.folders.of(e)
	if c.What == change.Create {
		there, err := w.stageNew(folder, name, c, e, i)
		if err != nil || !there {
			return err
		}
	}
	if err := folder.Writable(name); err != nil {
		return asChanged(err, c.Path)
	}
	target, err := folder.Open(name)
	if err != nil {
		return asChanged(err, c.Path)
	}
	defer disk.Close(target)
	info, err := target.Stat()
	if err != nil {
		return err
	}
	e.In, e.Inode, w.found[i] = folder.ID(), info.ID, info
	if e.Was, err = disk.MetaOf(target, info); err != nil {
		return err
	}
	take := w.stageStreamed
	if info.Size <= mostHeld {
		take = w.stageHeld
	}
	if err := take(b, folder, i, target); err != nil {
		return err
	}
	return w.stageBeside(b, i, target)
}

// mostHeld is up to how many bytes a content is held while it is staged.
const mostHeld = 4 << 20

// stageHeld stages file i, the target, whose content is small enough to be held.
func (w *writer) stageHeld(b *store.Backup, folder *folder, i int, target disk.File) error {
	c, e := &w.changes[i], &w.record.Files[i]
	old, err := disk.ReadAll(target, w.found[i].Size)
	if err != nil {
		return err
	}
	if e.Before = change.DigestOf(old); e.Before != c.Before {
		return &change.ChangedError{Path: c.Path}
	}
	w.intent.Progress.Add(int64(len(old)) / stages)
	if e.Old, err = b.Put(old); err != nil {
		return err
	}
	w.intent.Progress.Add(int64(len(old)) / stages)
	if e.Edits, err = b.PutEdits(c.Edits); err != nil || c.What == change.Remove {
		return err
	}
	var made bytes.Buffer
	if err := edit.Rewrite(&made, bytes.NewReader(old), c.Edits); err != nil {
		return err
	}
	e.After = change.DigestOf(made.Bytes())
	return w.stageContent(folder, i, e.Was, w.found[i].Links, func(out io.Writer) error {
		w.intent.Progress.Add(int64(made.Len()) / stages)
		_, err := out.Write(made.Bytes())
		return err
	})
}

// stageStreamed stages file i, the target, of any size.
func (w *writer) stageStreamed(b *store.Backup, folder *folder, i int, target disk.File) error {
	c, e := &w.changes[i], &w.record.Files[i]
	var err error
	if e.Edits, err = b.PutEdits(c.Edits); err != nil {
		return err
	}
	f := flow{size: w.found[i].Size, change: c, backup: b, done: w.intent.Progress}
	to := func(out io.Writer) error {
		f.old = disk.Reader(target)
		err := f.to(out)
		if err == nil && !c.Against(f.before, f.print) {
			err = &change.ChangedError{Path: c.Path}
		}
		if f.backup != nil {
			e.Before, e.Old, f.backup = f.before, f.blob, nil
		}
		e.After = f.after
		return err
	}
	if c.What == change.Remove {
		return to(nil)
	}
	return w.stageContent(folder, i, e.Was, w.found[i].Links, to)
}

// asChanged takes what can no longer be opened for a file that has changed.
func asChanged(err error, path string) error {
	if disk.Missing(err) || errors.Is(err, disk.ErrNotRegular) {
		return &change.ChangedError{Path: path}
	}
	return err
}

// stageContent stages the new content of file i, of which the disk has so many names; fill
// writes it, perhaps twice.
func (w *writer) stageContent(folder *folder, i int, meta disk.Meta, links int, fill func(io.Writer) error) (err error) {
	e := &w.record.Files[i]
	e.InPlace = links > 1
	if !e.InPlace {
		w.staged[i], err = writeLike(folder, e.Temp, meta, w.durability(), fill)
		e.Staged = w.staged[i].ID
		e.InPlace = errors.Is(err, errNotKept)
	}
	if e.InPlace {
		e.Staged = disk.ID{}
		err = w.stageInPlace(i, fill)
	}
	if after := w.changes[i].After; err == nil && after != (change.Digest{}) && after != e.After {
		err = fmt.Errorf("%s cannot be made what it was: what is kept of it is damaged", w.changes[i].Path)
	}
	return err
}

// stageInPlace stages the new content of file i, which is to be rewritten in place.
func (w *writer) stageInPlace(i int, fill func(io.Writer) error) error {
	f, err := w.store.NewStaged(w.record, i)
	if err != nil {
		return err
	}
	return errors.Join(fill(f), f.Close())
}

// stageNew stages the content of a file that is not there yet. It reports true where one is
// that an earlier run left, which then is replaced like any other.
func (w *writer) stageNew(folder *folder, name string, c *change.Change, e *store.Entry, i int) (there bool, err error) {
	old, err := folder.Open(name)
	switch {
	case disk.Missing(err):
		e.In, e.Was = folder.ID(), c.Meta
		w.staged[i], err = writeLike(folder, e.Temp, c.Meta, w.durability(), func(out io.Writer) error {
			hash := sha256.New()
			err := edit.Rewrite(io.MultiWriter(hash, out), bytes.NewReader(nil), c.Edits)
			e.After = change.Digest(hash.Sum(nil))
			return err
		})
		e.Staged = w.staged[i].ID
		return false, err
	case errors.Is(err, disk.ErrNotRegular):
		return false, &ExistsError{c.Path}
	case err != nil:
		return false, err
	}
	defer disk.Close(old)
	digest, _, err := change.Read(disk.Reader(old))
	if err != nil {
		return false, err
	}
	if w.intent.LeftBy == nil || !w.intent.LeftBy(c.Absolute(), digest) {
		return false, &ExistsError{c.Path}
	}
	c.Edits = edit.Between{Old: func() (io.ReadCloser, error) {
		f, err := folder.Open(name)
		return opened(f), err
	}, Fresh: edit.Edited(edit.Empty, c.Edits)}
	c.What, c.Before = change.Rewrite, digest
	e.What, e.Before = c.What, c.Before
	return true, nil
}

// opened reads an open file.
func opened(f disk.File) io.ReadCloser {
	return struct {
		io.Reader
		io.Closer
	}{disk.Reader(f), f}
}

// stageBeside stages the old content of file i, the target, as a file of its own, where that is
// asked for.
func (w *writer) stageBeside(b *store.Backup, i int, target disk.File) error {
	k, ok := w.beside[i]
	if !ok {
		return nil
	}
	w.changes[k].Meta, w.changes[k].After = w.record.Files[i].Was, w.record.Files[i].Before
	w.changes[k].Edits = edit.Between{Old: edit.Empty, Fresh: func() (io.ReadCloser, error) {
		return io.NopCloser(disk.Reader(target)), nil
	}}
	return w.stage(b, k)
}

// errNotKept is returned where a copy cannot have its original's attributes.
var errNotKept = errors.New("owner or attributes cannot be kept")

// writeLike makes a file with the owner, mode and attributes that meta says, and returns
// what it is then. Nobody can open it who could not open the original: it is its owner's
// alone until it has all of them, and its content, which fill writes, comes after. Where it
// cannot have them, nothing is left, and the error is errNotKept.
func writeLike(folder disk.Folder, name string, meta disk.Meta, durability disk.Durability, fill func(io.Writer) error) (disk.Info, error) {
	f, err := folder.Create(name)
	if err != nil {
		return disk.Info{}, err
	}
	out := &disk.Hastened{File: f}
	if err = giveOwner(f, meta); err == nil {
		err = fill(out)
	}
	if err == nil {
		err = giveRest(f, meta)
	}
	if err == nil && durability == disk.Synced {
		err = f.Sync()
	}
	var info disk.Info
	if err == nil {
		info, err = f.Stat()
	}
	if err == nil && (info.Mode != meta.Mode || info.UID != meta.UID || info.GID != meta.GID || info.Size != out.Written) {
		err = errNotKept
	}
	if err = errors.Join(err, f.Close()); err != nil {
		_ = folder.Remove(name)
	}
	return info, err
}

// The bits of a mode that a write may clear.
const specialBits = 0o7000

// giveOwner gives a new file its owner, then its attributes, then its mode, since each
// may clear the next.
func giveOwner(f disk.File, meta disk.Meta) error {
	is, err := f.Stat()
	if err != nil {
		return err
	}
	if is.UID != meta.UID || is.GID != meta.GID {
		if err := f.Chown(meta.UID, meta.GID); err != nil {
			return errNotKept
		}
	}
	has, err := f.Attributes()
	if err != nil {
		return errNotKept
	}
	for name, value := range meta.Attributes {
		if !clearedByWriting(name) && !bytes.Equal(has[name], value) {
			if err := f.SetAttribute(name, value); err != nil {
				return errNotKept
			}
		}
	}
	for name := range has { // such as an access list that new files inherit
		if _, wanted := meta.Attributes[name]; !wanted && !strings.HasPrefix(name, "security.") {
			if err := f.RemoveAttribute(name); err != nil {
				return errNotKept
			}
		}
	}
	return f.Chmod(meta.Mode &^ specialBits)
}

// giveRest gives a file what writing to it takes away.
func giveRest(f disk.File, meta disk.Meta) error {
	for name, value := range meta.Attributes {
		if clearedByWriting(name) {
			if err := f.SetAttribute(name, value); err != nil {
				return errNotKept
			}
		}
	}
	if meta.Mode&specialBits == 0 {
		return nil
	}
	return f.Chmod(meta.Mode)
}

// clearedByWriting reports whether an attribute is lost when a file is written to.
func clearedByWriting(name string) bool { return name == "security.capability" }

// proveFiles asks about each staged copy.
func (w *writer) proveFiles(ctx context.Context) error {
	if w.intent.ProveFile == nil {
		return nil
	}
	for i := range w.targets {
		e := &w.record.Files[i]
		if e.What == change.Remove {
			continue
		}
		staged := filepath.Join(folderOf(e), e.Temp)
		if e.InPlace {
			staged = w.store.StagedPath(w.record, i)
		}
		if err := w.intent.ProveFile(ctx, string(e.Path), staged); err != nil {
			return err
		}
	}
	return nil
}
