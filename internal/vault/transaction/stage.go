package transaction

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/spool"
	"frizzel/internal/vault/store"
)

// durability says how each file is written.
func (w *writer) durability() disk.Durability { return durabilityOf(w.record.Files.Len()) }

// stageAll writes the backup and the new contents, which no one sees yet, and makes sure
// that they are on disk, and the record that knows them.
func (w *writer) stageAll(ctx context.Context) error {
	b, err := w.store.NewBackup(w.record)
	if err != nil {
		return err
	}
	err = each(ctx, w.changes.Len(), func(i int) error {
		defer w.intent.Progress.File()
		return w.stageFile(b, i)
	})
	if err = errors.Join(err, b.Close(w.record)); err != nil {
		return err
	}
	if w.durability() == disk.Unsynced {
		if err := w.dirs.syncSystems(); err != nil {
			return err
		}
	}
	w.record.Staged = true
	return w.store.Save(w.record)
}

// stages is how often a file's content is gone through: read, backed up, written.
const stages = 3

// A staging is one file that is being staged.
type staging struct {
	*writer
	backup *store.Backup
	i      int
	change change.Change
	entry  *store.Entry
	dir    *dir
	name   string
	look
}

// stageFile writes the backup of file i and stages its new content and its copy.
func (w *writer) stageFile(b *store.Backup, i int) error {
	c, err := w.changes.At(i)
	if err != nil {
		return err
	}
	return w.stage(b, i, c)
}

func (w *writer) stage(b *store.Backup, i int, c change.Change) error {
	e, err := w.record.Files.At(i)
	if err != nil {
		return err
	}
	s := &staging{writer: w, backup: b, i: i, change: c, entry: e}
	s.dir, s.name = w.dirs.of(e)
	if err := s.nameable(); err != nil {
		return err
	}
	if !c.Op.IsContent(c.Kind) {
		return s.withoutContent()
	}
	if c.Op == change.Create {
		there, err := s.fresh()
		if err != nil {
			return err
		}
		if !there {
			return w.saw(i, e, s.look)
		}
	}
	return s.target()
}

// target backs a file up that is there, and stages its new content.
func (s *staging) target() error {
	if err := s.dir.Writable(s.name); err != nil {
		return asChanged(err, s.change.Path)
	}
	target, err := s.dir.Open(s.name)
	if err != nil {
		return asChanged(err, s.change.Path)
	}
	defer disk.Close(target)
	if s.found, err = target.Stat(); err != nil {
		return err
	}
	if err := s.names(); err != nil {
		return err
	}
	s.entry.In, s.entry.Inode = s.dir.ID(), s.found.ID
	if s.entry.Was, err = disk.MetaOf(target, s.found); err != nil {
		return err
	}
	take := s.streamed
	if _, held := s.change.Edits.(edit.List); held && s.found.Size <= s.store.Limits.MaxHeld {
		take = s.held
	}
	if err := take(target); errors.Is(err, store.ErrBackup) {
		return &DamagedError{s.change.Path}
	} else if err != nil {
		return err
	}
	if err := s.saw(s.i, s.entry, s.look); err != nil {
		return err
	}
	return s.besides(target)
}

// held stages the target, whose content is small enough to be held.
func (s *staging) held(target disk.File) error {
	c, e := &s.change, s.entry
	old, err := disk.ReadAll(target, s.found.Size)
	if err != nil {
		return err
	}
	by := digest.By(c.Before)
	if e.Before = by.Of(old); e.Before != c.Before {
		return &change.ChangedError{Path: c.Path}
	}
	s.intent.Progress.Add(int64(len(old)) / stages)
	if e.Old, err = s.backup.Put(old); err != nil {
		return err
	}
	s.intent.Progress.Add(int64(len(old)) / stages)
	if e.Edits, err = s.backup.PutEdits(c.Edits); err != nil || c.Op == change.Remove {
		return err
	}
	edits, _ := c.Edits.(edit.List)
	if !edits.Fits(len(old)) {
		return edit.ErrMisfit
	}
	made := edits.Apply(old)
	e.After = by.Of(made)
	return s.content(e.Was, s.found.Links, func(out io.Writer) error {
		s.intent.Progress.Add(int64(len(made)) / stages)
		_, err := out.Write(made)
		return err
	})
}

// streamed stages the target, of any size.
func (s *staging) streamed(target disk.File) error {
	c, e := &s.change, s.entry
	if back, ok := c.Edits.(edit.Inverse); ok { // which reads all that is kept of the file
		kept := &spool.Edits{Of: back}
		defer kept.Close()
		c.Edits = kept
	}
	f := flow{size: s.found.Size, change: c, backup: s.backup, done: s.intent.Progress}
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
	var err error
	if c.Op == change.Remove {
		err = to(nil)
	} else {
		err = s.content(e.Was, s.found.Links, to)
	}
	if err == nil {
		e.Edits, err = s.backup.PutEdits(c.Edits)
	}
	return err
}

// asChanged converts the error of a file that can no longer be opened to a *ChangedError.
func asChanged(err error, path string) error {
	if disk.Missing(err) || errors.Is(err, disk.ErrNotRegular) {
		return &change.ChangedError{Path: path}
	}
	return err
}

// content stages the new content of a file that has links hard links. fill writes it, and may be
// called twice.
func (s *staging) content(meta disk.Meta, links int, fill func(io.Writer) error) (err error) {
	e := s.entry
	e.InPlace = links > 1 || s.isMounted(e)
	if !e.InPlace {
		s.staged, err = writeLike(s.dir, e.Temp(), meta, s.durability(), fill)
		e.Staged, e.Modified = s.staged.ID, s.staged.Modified
		e.InPlace = errors.Is(err, errNotKept)
	}
	if e.InPlace {
		e.Staged, e.Modified = disk.ID{}, 0
		s.inPlace.Store(true)
		err = s.stageInPlace(fill)
	}
	return errors.Join(err, s.asWanted(err))
}

// asWanted returns err, or, if it is nil, an error if the new content does not have the intended digest.
func (s *staging) asWanted(err error) error {
	if after := s.change.After; err == nil && after != (digest.Digest{}) && after != s.entry.After {
		return &DamagedError{s.change.Path}
	}
	return nil
}

// A DamagedError reports a file whose new content would be wrong because its stored content is damaged.
type DamagedError struct{ Path string }

// ExitStatus returns Unreadable.
func (*DamagedError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *DamagedError) Error() string {
	return fmt.Sprintf("%s cannot be made what it was: what is kept of it is damaged", e.Path)
}

// stageInPlace stages the new content of a file that is to be rewritten in place.
func (s *staging) stageInPlace(fill func(io.Writer) error) error {
	f, err := s.store.NewStaged(s.record, s.i)
	if err != nil {
		return err
	}
	return errors.Join(fill(f), f.Close())
}

// fresh stages the content of a file that is not there yet. It reports true if one is
// that an earlier run left, which then is replaced like any other.
func (s *staging) fresh() (there bool, err error) {
	c, e := &s.change, s.entry
	old, err := s.dir.Open(s.name)
	switch {
	case disk.Missing(err):
		e.In, e.Was = s.dir.ID(), c.Meta
		s.staged, err = writeLike(s.dir, e.Temp(), c.Meta, s.durability(), func(out io.Writer) error {
			by := digest.By(c.After)
			hash := by.New()
			err := edit.Rewrite(io.MultiWriter(hash, out), bytes.NewReader(nil), c.Edits)
			e.After = by.Sum(hash)
			return err
		})
		e.Staged = s.staged.ID
		return false, errors.Join(err, s.asWanted(err))
	case errors.Is(err, disk.ErrNotRegular):
		return false, &ExistsError{c.Path}
	case err != nil:
		return false, err
	}
	defer disk.Close(old)
	left, err := s.leftBefore(old)
	if err == nil && !left {
		err = &ExistsError{c.Path}
	}
	if err != nil {
		return false, err
	}
	digest, _, err := change.ReadFile(old, digest.By(c.After))
	if err != nil {
		return false, err
	}
	c.Edits = edit.Between{Old: func() (io.ReadCloser, error) {
		f, err := s.dir.Open(s.name)
		return disk.Open(f), err
	}, Fresh: edit.Edited(edit.Empty, c.Edits)}
	c.Op, c.Before = change.Rewrite, digest
	e.Op, e.Before = c.Op, c.Before
	return true, nil
}

// leftBefore reports whether a file that is there holds what an earlier run left there.
func (s *staging) leftBefore(old disk.File) (bool, error) {
	if s.intent.LeftBy == nil {
		return false, nil
	}
	for _, left := range s.intent.LeftBy(s.change.Absolute()) {
		is, _, err := change.ReadFile(old, digest.By(left))
		if err != nil || is == left {
			return err == nil, err
		}
	}
	return false, nil
}

// besides stages the old content of the target as a file of its own, if the run keeps it.
func (s *staging) besides(target disk.File) error {
	k, ok := s.beside[s.i]
	if !ok {
		return nil
	}
	c := s.besideOf(&s.change)
	c.Meta, c.After = s.entry.Was, s.entry.Before
	c.Edits = edit.Between{Old: edit.Empty, Fresh: func() (io.ReadCloser, error) {
		return io.NopCloser(disk.Reader(target)), nil
	}}
	return s.stage(s.backup, k, c)
}

// errNotKept is returned if a copy cannot have its original's attributes.
var errNotKept = errors.New("owner or attributes cannot be kept")

// writeLike creates a file with the owner, mode and attributes of meta, and returns its attributes. Nobody can open
// it who could not open the original: only its owner has access until all attributes are set, and fill writes the
// content after that. If the attributes cannot be set, the file is removed and the error is errNotKept.
func writeLike(dir disk.Dir, name string, meta disk.Meta, durability disk.Durability, fill func(io.Writer) error) (disk.Info, error) {
	f, err := dir.Create(name)
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
		_ = dir.Remove(name)
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
	asMade := true
	if is.UID != meta.UID || is.GID != meta.GID {
		if err := f.Chown(meta.UID, meta.GID); err != nil {
			return errNotKept
		}
		asMade = false
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
			asMade = false
		}
	}
	for name := range has { // such as an access list that new files inherit
		if _, wanted := meta.Attributes[name]; !wanted && !strings.HasPrefix(name, "security.") {
			if err := f.RemoveAttribute(name); err != nil {
				return errNotKept
			}
			asMade = false
		}
	}
	mode := meta.Mode &^ specialBits
	if asMade && is.Mode == mode {
		return nil
	}
	return f.Chmod(mode)
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
	for i := range w.changes.Len() {
		e, err := w.record.Files.At(i)
		if err != nil {
			return err
		}
		if e.Op == change.Remove || !e.HasContent() {
			continue
		}
		staged := filepath.Join(dirOf(e), e.Temp())
		if e.InPlace {
			staged = w.store.StagedPath(w.record, i)
		}
		if err := w.intent.ProveFile(ctx, string(e.Path), staged); err != nil {
			return err
		}
	}
	return nil
}
