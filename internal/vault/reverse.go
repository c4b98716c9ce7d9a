package vault

import (
	"bytes"
	"errors"
	"io/fs"
	"path/filepath"
	"strings"

	"frizzel/core/edit"
)

// ErrNothing is returned where there is no run to take back.
var ErrNothing = errors.New("there is no run to take back")

// Last returns the last run of the kind that was not taken back whole: the one that
// an undo of an Apply, or a redo of an Undo, is about.
func (v *Vault) Last(kind Kind) (*Record, error) {
	records, err := v.Runs()
	if err != nil {
		return nil, err
	}
	undone := undoneFiles(records)
	for i := len(records) - 1; i >= 0; i-- {
		if r := records[i]; r.State == Done && r.Kind == kind && len(undone[r.ID]) < len(r.Files) {
			return r, nil
		}
	}
	return nil, ErrNothing
}

// Undone returns how many files of each run have been taken back.
func Undone(records []*Record) map[string]int {
	counts := map[string]int{}
	for id, files := range undoneFiles(records) {
		counts[id] = len(files)
	}
	return counts
}

// undoneFiles returns the files of each run that have been taken back, by a run that
// has not been taken back in turn.
func undoneFiles(records []*Record) map[string]map[string]bool {
	undone := map[string]map[string]bool{}
	for i := len(records) - 1; i >= 0; i-- {
		r := records[i]
		if r.State != Done || r.Undoes == "" {
			continue
		}
		if undone[r.Undoes] == nil {
			undone[r.Undoes] = map[string]bool{}
		}
		for f := range r.Files {
			if path := r.Files[f].Absolute(); !undone[r.ID][path] {
				undone[r.Undoes][path] = true
			}
		}
	}
	return undone
}

// Touches reports whether an entry is the file of a path, absolute, or lies below it.
func (e *Entry) Touches(path string) bool {
	abs := e.Absolute()
	return abs == path || strings.HasPrefix(abs, strings.TrimSuffix(path, "/")+"/")
}

// Reversal says what of a run is to be taken back.
type Reversal struct {
	Paths []string // absolute files and folders; none is all of the run
	Force bool     // files that have changed since, too
}

// Reverse returns the changes that take a run back. left are the files that are no
// longer what the run wrote, and so are left alone.
func (v *Vault) Reverse(r *Record, how Reversal) (changes []Change, left []string, err error) {
	o := reach{disk: v.disk}
	defer o.close()
	records, err := v.Runs()
	if err != nil {
		return nil, nil, err
	}
	undone := undoneFiles(records)[r.ID]
	for i := range r.Files {
		e := &r.Files[i]
		if undone[e.Absolute()] || !wanted(e, how.Paths) {
			continue
		}
		c, err := v.reverse(&o, r, e, how.Force)
		if err != nil {
			return nil, nil, err
		}
		if c == nil {
			left = append(left, string(e.Path))
			continue
		}
		changes = append(changes, *c)
	}
	return changes, left, nil
}

func wanted(e *Entry, paths []string) bool {
	for _, p := range paths {
		if e.Touches(p) {
			return true
		}
	}
	return len(paths) == 0
}

// reverse returns the change that takes one file back, nil where it must be left.
func (v *Vault) reverse(o *reach, r *Record, e *Entry, force bool) (*Change, error) {
	c := &Change{Path: e.Absolute(), Folder: string(e.Folder), Name: string(e.Name)}
	now, err := o.read(e)
	gone := errors.Is(err, fs.ErrNotExist)
	if err != nil && !gone {
		return nil, err
	}
	if e.Created {
		if gone || DigestOf(now) != e.After && !force {
			return nil, nil
		}
		c.Remove, c.Before = true, DigestOf(now)
		c.Edits = edit.List{{End: len(now)}}
		return c, nil
	}
	old, err := v.Old(r, e)
	if err != nil {
		return nil, err
	}
	switch {
	case e.Removed || gone && force:
		if !gone {
			return nil, nil
		}
		c.Create, c.Mode = true, 0o644
		c.Edits = edit.List{{New: old}}
	case gone:
		return nil, nil
	case DigestOf(now) == e.After:
		edits, err := v.Edits(r, e)
		if err != nil {
			return nil, err
		}
		c.Before = e.After
		c.Edits = edits.Invert(old)
		for i := range c.Edits { // let go of the rest of the old content
			c.Edits[i].New = bytes.Clone(c.Edits[i].New)
		}
	case !force:
		return nil, nil
	default:
		c.Before = DigestOf(now)
		c.Edits = whole(now, old)
	}
	return c, nil
}

// whole replaces what differs between two contents, but for what they begin and end
// with in common.
func whole(now, old []byte) edit.List {
	front := 0
	for front < len(now) && front < len(old) && now[front] == old[front] {
		front++
	}
	back := 0
	for back < len(now)-front && back < len(old)-front && now[len(now)-1-back] == old[len(old)-1-back] {
		back++
	}
	return edit.List{{Start: front, End: len(now) - back, New: old[front : len(old)-back]}}.Changing(now)
}

// Content returns a file's content as it is now. The error is a *ChangedError where
// that is not what the change is against.
func (c *Change) Content() ([]byte, error) {
	if c.Create {
		return nil, nil
	}
	var o reach
	defer o.close()
	now, err := o.read(&Entry{Folder: Path(c.Folder), Name: Path(c.Name)})
	if err == nil && DigestOf(now) != c.Before {
		err = &ChangedError{c.Path}
	}
	return now, err
}

// Absolute returns the whole path of the file that a change is about.
func (c *Change) Absolute() string { return filepath.Join(c.Folder, c.Name) }
