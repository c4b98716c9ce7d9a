package vault

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"time"

	"frizzel/core/edit"
)

// Change is what is to be done to one file.
type Change struct {
	Path         string // for people
	Folder, Name string // Folder is absolute, Name below it
	Before       Digest // of the content that Edits are against
	Edits        edit.List

	// Create makes a file that is not there, its content what Edits make of
	// nothing, its mode Mode; Remove takes one away.
	Create, Remove bool
	Mode           os.FileMode
}

// Intent is what a run is for.
type Intent struct {
	Kind    Kind
	Undoes  string
	Command []string
	Note    string
	Rules   []string // labels, of which Edits hold indices
	Changes int
	After   string    // a command, kept for when the run is taken back
	Hold    time.Time // when the run is to be put back unless it is kept; zero for never
	Beside  string    // what is added to the names of old files left beside the new ones
	// ProveFile is asked about each new content before any is live, by the path of
	// its staged copy; Prove when all are live. An error of either puts the run back.
	ProveFile func(ctx context.Context, path, staged string) error
	Prove     func(ctx context.Context) error
}

// ChangedError is the error of a file that is no longer what was read.
type ChangedError struct {
	Path string
}

func (e *ChangedError) Error() string {
	return fmt.Sprintf("%s has changed since it was read; nothing was written", e.Path)
}

// Outcome is a run that was written, and the earlier ones that were cut off and
// have been put back before it.
type Outcome struct {
	Run       *Record
	Recovered []*Record
}

// Write makes all changes, or none where it returns an error.
func (v *Vault) Write(ctx context.Context, intent Intent, changes []Change) (*Outcome, error) {
	unlock, err := v.lock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	out := &Outcome{}
	if out.Recovered, err = v.recover(); err != nil {
		return out, err
	}
	w := &writer{vault: v, intent: intent, record: newRecord(intent, changes), changes: changes}
	if err := w.write(ctx); err != nil {
		return out, w.putBack(err)
	}
	out.Run = w.record
	return out, nil
}

func newRecord(intent Intent, changes []Change) *Record {
	r := &Record{
		Kind: intent.Kind, Undoes: intent.Undoes, Time: time.Now(), Command: intent.Command,
		Note: intent.Note, Rules: intent.Rules, Changes: intent.Changes, After: intent.After, Hold: intent.Hold,
	}
	r.Host, _ = os.Hostname()
	if u, err := user.Current(); err == nil {
		r.User = u.Username
	}
	here, _ := os.Getwd()
	r.Folder = Path(here)
	for _, c := range changes {
		r.Files = append(r.Files, Entry{
			Path: Path(c.Path), Folder: Path(c.Folder), Name: Path(c.Name), Before: c.Before,
			Rules: rulesOf(c.Edits), Created: c.Create, Removed: c.Remove,
		})
		if intent.Beside != "" && !c.Create {
			r.Files[len(r.Files)-1].Beside = Path(c.Name + intent.Beside)
		}
	}
	return r
}

// rulesOf returns the rules that made edits, each once.
func rulesOf(edits edit.List) []int {
	seen := map[int]bool{}
	var rules []int
	for _, e := range edits {
		for _, r := range e.Rules {
			if !seen[r] {
				seen[r] = true
				rules = append(rules, r)
			}
		}
	}
	return rules
}

// writer is one run at work.
type writer struct {
	vault   *Vault
	intent  Intent
	record  *Record
	changes []Change
	staged  []identity // of each target, as it was when its copy was staged
}

func (w *writer) write(ctx context.Context) error {
	if err := w.vault.create(w.record); err != nil {
		return err
	}
	if err := w.vault.save(w.record); err != nil {
		return err
	}
	if !w.record.Hold.IsZero() {
		mark := filepath.Join(w.vault.runs(), w.record.ID, holdName)
		if err := w.vault.disk.writeFile(mark, []byte("on hold\n"), os.O_TRUNC); err != nil {
			return err
		}
	}
	if err := w.stageAll(ctx); err != nil {
		return err
	}
	if err := w.vault.save(w.record); err != nil {
		return err
	}
	if err := w.barrier(); err != nil {
		return err
	}
	if err := w.proveFiles(ctx); err != nil {
		return err
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if err := w.vault.enter(w.record, Replacing); err != nil {
		return err
	}
	if err := w.replaceAll(); err != nil {
		return err
	}
	if w.intent.Prove != nil {
		if err := w.intent.Prove(ctx); err != nil {
			return err
		}
	}
	return w.vault.enter(w.record, Done)
}

// replaceAll makes every new content live. From here on the run is carried
// through, whatever the user's keyboard says: it is short.
func (w *writer) replaceAll() error {
	ctx := context.Background()
	if err := w.each(ctx, w.replace); err != nil {
		return err
	}
	if len(w.changes) > fewFiles {
		return w.syncDevices()
	}
	return w.each(ctx, func(o *reach, i int) error { return o.sync(&w.record.Files[i]) })
}

func (w *writer) replace(o *reach, i int) error {
	e := &w.record.Files[i]
	root, name, err := o.in(e)
	if err != nil {
		return err
	}
	st, err := root.stat(name)
	switch {
	case e.Created:
		if !errors.Is(err, fs.ErrNotExist) {
			return &ChangedError{string(e.Path)}
		}
	case err != nil || identityOf(st) != w.staged[i]:
		return &ChangedError{string(e.Path)}
	case e.Removed:
		return root.Remove(name)
	}
	if !e.InPlace {
		return root.Rename(tempName(w.record, i), name)
	}
	content, err := w.vault.disk.readFile(w.vault.stagedFile(w.record, i))
	if err != nil {
		return err
	}
	return rewriteInPlace(root, name, content)
}

// rewriteInPlace gives a file another content without replacing it.
func rewriteInPlace(root *folder, name string, content []byte) error {
	f, err := root.OpenFile(name, os.O_WRONLY)
	if err != nil {
		return err
	}
	if err = f.write(content); err == nil {
		err = f.truncate(int64(len(content)))
	}
	if err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}

// putBack undoes what an unfinished run did, and returns why it was not finished.
func (w *writer) putBack(cause error) error {
	if w.record.ID == "" {
		return cause
	}
	if _, err := os.Stat(filepath.Join(w.vault.runs(), w.record.ID, manifestName)); errors.Is(err, fs.ErrNotExist) {
		return errors.Join(cause, os.RemoveAll(filepath.Join(w.vault.runs(), w.record.ID)))
	}
	if w.record.State == Replacing { // even if the journal says "done" by now
		_ = w.vault.enter(w.record, Replacing)
	}
	if err := w.vault.restore(w.record); err != nil {
		return fmt.Errorf("%w\nputting the files back failed as well, the next run tries again: %w", cause, err)
	}
	return cause
}
