package transaction

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"path/filepath"
	"strings"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/progress"
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
		content := c.Edits.Apply(nil)
		there, err := w.stageNew(folder, name, c, e, i, content)
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
	old, err := disk.ReadAll(target, info.Size)
	if err != nil {
		return err
	}
	if change.DigestOf(old) != c.Before {
		return &change.ChangedError{Path: c.Path}
	}
	w.intent.Progress.Add(int64(len(old)) / stages)
	e.In, e.Inode, w.found[i] = folder.ID(), info.ID, info
	if e.Was, err = disk.MetaOf(target, info); err != nil {
		return err
	}
	if e.Old, err = b.Put(old); err != nil {
		return err
	}
	w.intent.Progress.Add(int64(len(old)) / stages)
	if e.Edits, err = b.PutEdits(c.Edits); err != nil {
		return err
	}
	if err := w.stageBeside(b, i, old, e.Was); err != nil || c.What == change.Remove {
		return err
	}
	return w.stageContent(folder, i, c.Edits.Apply(old), e.Was, info.Links)
}

// asChanged takes what can no longer be opened for a file that has changed.
func asChanged(err error, path string) error {
	if disk.Missing(err) || errors.Is(err, disk.ErrNotRegular) {
		return &change.ChangedError{Path: path}
	}
	return err
}

// stageContent stages the new content of file i, of which the disk has so many names.
func (w *writer) stageContent(folder *folder, i int, fresh []byte, meta disk.Meta, links int) (err error) {
	e := &w.record.Files[i]
	e.After = change.DigestOf(fresh)
	e.InPlace = links > 1
	if !e.InPlace {
		w.staged[i], err = writeLike(folder, e.Temp, meta, fresh, w.durability(), w.intent.Progress)
		e.Staged = w.staged[i].ID
		e.InPlace = errors.Is(err, errNotKept)
	}
	if e.InPlace {
		e.Staged = disk.ID{}
		err = w.store.PutStaged(w.record, i, fresh)
	}
	return err
}

// stageNew stages the content of a file that is not there yet. It reports true where one is
// that an earlier run left, which then is replaced like any other.
func (w *writer) stageNew(folder *folder, name string, c *change.Change, e *store.Entry, i int, content []byte) (there bool, err error) {
	old, _, err := disk.ReadFile(folder, name)
	switch {
	case disk.Missing(err):
		e.In, e.After, e.Was = folder.ID(), change.DigestOf(content), c.Meta
		w.staged[i], err = writeLike(folder, e.Temp, c.Meta, content, w.durability(), w.intent.Progress)
		e.Staged = w.staged[i].ID
		return false, err
	case errors.Is(err, disk.ErrNotRegular):
		return false, &ExistsError{c.Path}
	case err != nil:
		return false, err
	}
	digest := change.DigestOf(old)
	if w.intent.LeftBy == nil || !w.intent.LeftBy(c.Absolute(), digest) {
		return false, &ExistsError{c.Path}
	}
	c.What, c.Before, c.Edits = change.Rewrite, digest, edit.List{{End: len(old), New: content}}
	e.What, e.Before = c.What, c.Before
	return true, nil
}

// stageBeside stages the old content of file i as a file of its own, where that is asked
// for.
func (w *writer) stageBeside(b *store.Backup, i int, old []byte, meta disk.Meta) error {
	k, ok := w.beside[i]
	if !ok {
		return nil
	}
	w.changes[k].Edits, w.changes[k].Meta = edit.List{{New: old}}, meta
	err := w.stage(b, k)
	w.changes[k].Edits = nil // lets go of the content
	return err
}

// errNotKept is returned where a copy cannot have its original's attributes.
var errNotKept = errors.New("owner or attributes cannot be kept")

// writeLike makes a file with the owner, mode and attributes that meta says, and returns
// what it is then. Nobody can open it who could not open the original: it is its owner's
// alone until it has all of them, and its content comes after. Where it cannot have them,
// nothing is left, and the error is errNotKept.
func writeLike(folder disk.Folder, name string, meta disk.Meta, content []byte, durability disk.Durability, done *progress.Meter) (disk.Info, error) {
	f, err := folder.Create(name)
	if err != nil {
		return disk.Info{}, err
	}
	if err = giveOwner(f, meta); err == nil {
		err = writeParts(f, content, done)
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
	if err == nil && (info.Mode != meta.Mode || info.UID != meta.UID || info.GID != meta.GID || info.Size != int64(len(content))) {
		err = errNotKept
	}
	if err = errors.Join(err, f.Close()); err != nil {
		_ = folder.Remove(name)
	}
	return info, err
}

// writeParts writes a content, a large one in parts, so that progress can be told.
func writeParts(f disk.File, content []byte, done *progress.Meter) error {
	const most = 16 << 20
	for {
		n := min(len(content), most)
		if _, err := f.Write(content[:n]); err != nil {
			return err
		}
		done.Add(int64(n) / stages)
		if content = content[n:]; len(content) == 0 {
			return nil
		}
	}
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
