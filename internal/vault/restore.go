package vault

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
)

// Unfinished returns the runs that were cut off and not put back yet. It reads the
// manifests of those alone.
func (v *Vault) Unfinished() ([]*Record, error) {
	return v.some(func(id string) (bool, error) {
		state, err := v.state(id)
		return state == Staging || state == Replacing, err
	})
}

// some returns the records of the runs that are wanted, the oldest first.
func (v *Vault) some(wanted func(id string) (bool, error)) ([]*Record, error) {
	entries, err := os.ReadDir(v.runs())
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var records []*Record
	for _, e := range entries {
		ok, err := wanted(e.Name())
		if err != nil {
			return nil, err
		}
		if !ok {
			continue
		}
		r, err := v.Run(e.Name())
		if errors.Is(err, fs.ErrNotExist) { // cut off before it had a manifest, so before it did anything
			continue
		}
		if err != nil {
			return nil, err
		}
		records = append(records, r)
	}
	slices.SortStableFunc(records, func(a, b *Record) int { return a.Time.Compare(b.Time) })
	return records, nil
}

// Recover puts back every run that was cut off, and returns them.
func (v *Vault) Recover(ctx context.Context) ([]*Record, error) {
	cut, err := v.Unfinished()
	if err != nil || len(cut) == 0 { // then there is nothing to lock for, nor perhaps a vault
		return nil, err
	}
	unlock, err := v.lock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	return v.recover()
}

// recover puts back every run that was cut off. The vault is locked.
func (v *Vault) recover() ([]*Record, error) {
	if err := v.sweep(); err != nil {
		return nil, err
	}
	cut, err := v.Unfinished()
	if err != nil {
		return nil, err
	}
	for _, r := range cut {
		if err := v.restore(r); err != nil {
			return nil, fmt.Errorf("the run %s was cut off and cannot be put back: %w", r.ID, err)
		}
	}
	return cut, nil
}

// sweep removes the folders of runs that were cut off before they had a manifest,
// and so before they did anything.
func (v *Vault) sweep() error {
	entries, err := os.ReadDir(v.runs())
	if err != nil {
		return err
	}
	for _, e := range entries {
		folder := filepath.Join(v.runs(), e.Name())
		if _, err := os.Stat(filepath.Join(folder, manifestName)); errors.Is(err, fs.ErrNotExist) {
			if err := os.RemoveAll(folder); err != nil {
				return err
			}
		}
	}
	return nil
}

// restore puts back one run that did not end: it removes temporary files, and
// gives the files that hold what the run wrote their old content.
func (v *Vault) restore(r *Record) error {
	o := reach{disk: v.disk}
	defer o.close()
	var errs []error
	for i := range r.Files {
		if err := v.restoreFile(&o, r, i); err != nil && !errors.Is(err, fs.ErrNotExist) {
			errs = append(errs, err)
		}
	}
	if err := errors.Join(errs...); err != nil {
		return err
	}
	return v.enter(r, PutBack)
}

func (v *Vault) restoreFile(o *reach, r *Record, i int) error {
	e := &r.Files[i]
	root, name, err := o.in(e)
	if err != nil {
		return err
	}
	temp := tempName(r, i)
	if err := root.Remove(temp); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	_ = os.Remove(v.stagedFile(r, i))
	if err := v.removeBeside(root, e); err != nil {
		return err
	}
	if r.State == Staging {
		return nil
	}
	now, err := o.read(e)
	if e.Removed && errors.Is(err, fs.ErrNotExist) {
		return v.bringBack(root, r, e, name)
	}
	if err != nil {
		return err
	}
	if e.Created {
		if DigestOf(now) == e.After {
			return root.Remove(name)
		}
		return nil
	}
	digest := DigestOf(now)
	if digest == e.Before || digest != e.After && !e.InPlace {
		return nil // as it was, or someone else's by now
	}
	old, err := v.Old(r, e)
	if err != nil {
		return err
	}
	if !e.InPlace {
		return replaceWith(root, name, temp, old)
	}
	edits, err := v.Edits(r, e)
	if err != nil || !halfWritten(now, old, edits.Apply(old)) {
		return err
	}
	return rewriteInPlace(root, name, old)
}

// halfWritten reports whether a content is what a rewriting from old to fresh leaves
// where it is cut off at any byte: the start of the one, and the rest of the other.
// What is neither is someone else's by now.
func halfWritten(now, old, fresh []byte) bool {
	n := 0
	for n < len(now) && n < len(fresh) && now[n] == fresh[n] {
		n++
	}
	return n == len(fresh) && n == len(now) || bytes.Equal(now[n:], old[min(n, len(old)):])
}

// removeBeside takes away an old content that was left beside a new one.
func (v *Vault) removeBeside(root *folder, e *Entry) error {
	if e.Beside == "" {
		return nil
	}
	beside := filepath.Base(string(e.Beside))
	f, err := root.Open(beside)
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		return err
	}
	content, err := f.readAll()
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	if DigestOf(content) != e.Before && len(content) > 0 { // not one that this run left
		return nil
	}
	return root.Remove(beside)
}

// bringBack writes a file again that a run took away.
func (v *Vault) bringBack(root *folder, r *Record, e *Entry, name string) error {
	old, err := v.Old(r, e)
	if err != nil {
		return err
	}
	f, err := root.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY)
	if err != nil {
		return err
	}
	if err = f.write(old); err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// replaceWith gives a file another content by way of a temporary file.
func replaceWith(root *folder, name, temp string, content []byte) error {
	err := writeLike(root, name, temp, content)
	if err == nil {
		err = root.Rename(temp, name)
	}
	if err != nil {
		_ = root.Remove(temp)
	}
	return err
}

// writeLike writes a content to a new file with the attributes of another.
func writeLike(root *folder, like, name string, content []byte) error {
	original, err := root.Open(like)
	if err != nil {
		return err
	}
	defer func() { _ = original.Close() }()
	f, err := root.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY)
	if err != nil {
		return err
	}
	st, err := original.stat()
	if err == nil {
		err = f.write(content)
	}
	if err == nil {
		err = likeOriginal(f, original, st)
	}
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}
