package vault

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sys/unix"

	"frizzel/internal/selection"
)

// manyFiles is from how many files on they are taken care of by several hands.
const manyFiles = 256

// each does something for every file, each hand taking neighbours, so that their
// folder stays open. It ends at the first error, or with the context.
func (w *writer) each(ctx context.Context, do func(o *reach, i int) error) error {
	hands := 1
	if len(w.changes) >= manyFiles {
		hands = runtime.GOMAXPROCS(0)
	}
	group, ctx := errgroup.WithContext(ctx)
	for h := range hands {
		from, to := h*len(w.changes)/hands, (h+1)*len(w.changes)/hands
		part := func() error {
			o := &reach{disk: w.vault.disk}
			defer o.close()
			for i := from; i < to; i++ {
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := do(o, i); err != nil {
					return err
				}
			}
			return nil
		}
		if hands == 1 {
			return part()
		}
		group.Go(part)
	}
	return group.Wait()
}

// stageAll writes the backup and the new contents, which no one sees yet.
func (w *writer) stageAll(ctx context.Context) error {
	b, err := w.vault.newBackup(w.record)
	if err != nil {
		return err
	}
	w.staged = make([]identity, len(w.changes))
	err = w.each(ctx, func(o *reach, i int) error { return w.stage(o, b, i) })
	if err == nil {
		err = b.file.Sync()
	}
	return errors.Join(err, b.file.Close())
}

// proveFiles asks about each staged copy.
func (w *writer) proveFiles(ctx context.Context) error {
	if w.intent.ProveFile == nil {
		return nil
	}
	for i := range w.record.Files {
		e := &w.record.Files[i]
		if e.Removed {
			continue
		}
		staged := filepath.Join(filepath.Dir(e.Absolute()), tempName(w.record, i))
		if e.InPlace {
			staged = w.vault.stagedFile(w.record, i)
		}
		if err := w.intent.ProveFile(ctx, string(e.Path), staged); err != nil {
			return err
		}
	}
	return nil
}

func (w *writer) stage(o *reach, b *backup, i int) (err error) {
	c, e := &w.changes[i], &w.record.Files[i]
	if c.Create {
		return w.stageNew(o, c, e, i)
	}
	folder, name, err := o.in(e)
	if err != nil {
		return err
	}
	if err := writable(folder, name, e.Absolute()); err != nil {
		return err
	}
	target, old, st, err := o.open(e)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, target.Close()) }()
	if DigestOf(old) != c.Before {
		return &ChangedError{c.Path}
	}
	if e.Old, err = b.put(old); err != nil {
		return err
	}
	if e.Edits, err = b.putEdits(c.Edits); err != nil {
		return err
	}
	fresh := c.Edits.Apply(old)
	e.After = DigestOf(fresh)
	w.staged[i] = identityOf(st)
	if e.Beside != "" {
		if err := w.leaveBeside(o, e, old); err != nil {
			return err
		}
	}
	if c.Remove {
		e.After = Digest{}
		return nil
	}
	e.InPlace = st.Nlink > 1
	if !e.InPlace {
		err = w.stageBeside(folder, target, st, i, fresh)
		e.InPlace = errors.Is(err, errNotKept)
	}
	if e.InPlace {
		err = w.vault.disk.writeFile(w.vault.stagedFile(w.record, i), fresh, os.O_TRUNC)
	}
	return err
}

// stageNew writes the content of a file that is not there yet.
func (w *writer) stageNew(o *reach, c *Change, e *Entry, i int) error {
	if err := w.vault.disk.check("mkdir", string(e.Name)); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(e.Absolute()), 0o755); err != nil {
		return err
	}
	root, name, err := o.in(e)
	if err != nil {
		return err
	}
	if _, err := root.stat(name); !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s is there already; nothing was written: %w", e.Path, fs.ErrExist)
	}
	content := c.Edits.Apply(nil)
	e.After = DigestOf(content)
	f, err := root.OpenFile(tempName(w.record, i), os.O_CREATE|os.O_EXCL|os.O_WRONLY)
	if err != nil {
		return err
	}
	if err = f.write(content); err == nil {
		err = f.fail("chmod", unix.Fchmod(f.fd, uint32(c.Mode.Perm())))
	}
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// leaveBeside writes the old content to a file beside its own, which must not be
// there yet.
func (w *writer) leaveBeside(o *reach, e *Entry, old []byte) error {
	root, name, err := o.in(e)
	if err != nil {
		return err
	}
	beside := filepath.Base(string(e.Beside))
	if _, err := root.stat(beside); !errors.Is(err, fs.ErrNotExist) {
		e.Beside = ""
		return fmt.Errorf("%s is there already, so the old %s cannot be left there: %w", beside, e.Path, fs.ErrExist)
	}
	return writeLike(root, name, beside, old)
}

// tempName is the name of a new content beside its target.
func tempName(r *Record, i int) string {
	return fmt.Sprintf("%s%s-%d", selection.TempPrefix, r.ID, i)
}

// stagedFile is where the new content of a file that is rewritten in place waits.
func (v *Vault) stagedFile(r *Record, i int) string {
	return filepath.Join(v.runs(), r.ID, fmt.Sprintf("new-%d", i))
}

// stageBeside writes a content to a temporary file beside its target, with the
// target's attributes.
func (w *writer) stageBeside(o *folder, target *file, st unix.Stat_t, i int, content []byte) error {
	temp := tempName(w.record, i)
	f, err := o.create(temp, uint32(st.Mode))
	if err != nil {
		return err
	}
	if err = f.write(content); err == nil {
		err = likeOriginal(f, target, st)
	}
	if err == nil && len(w.changes) <= fewFiles {
		err = f.Sync()
	}
	err = errors.Join(err, f.Close())
	if err != nil {
		_ = o.Remove(temp)
	}
	return err
}

// fewFiles is up to how many files each is synced by itself; more are synced with
// their whole file system, once.
const fewFiles = 8

// barrier waits until everything staged has reached the disk.
func (w *writer) barrier() error {
	if len(w.changes) <= fewFiles {
		return nil
	}
	return w.syncDevices()
}

func (w *writer) syncDevices() error {
	devices := map[uint64]string{}
	for i := range w.record.Files {
		devices[w.staged[i].device] = string(w.record.Files[i].Folder)
	}
	for _, folder := range devices {
		if err := w.vault.disk.syncFileSystem(folder); err != nil {
			return err
		}
	}
	return nil
}
