package vault

import (
	"bytes"
	"errors"
	"io/fs"
)

// ErrNothing is returned where there is no run to take back.
var ErrNothing = errors.New("there is no run to take back")

// Last returns the last run that an undo takes back: one that changed files and
// has not been taken back itself.
func (v *Vault) Last() (*Record, error) {
	records, err := v.Runs()
	if err != nil {
		return nil, err
	}
	undone := undoneRuns(records)
	for i := len(records) - 1; i >= 0; i-- {
		if r := records[i]; r.State == Done && r.Kind == Apply && !undone[r.ID] {
			return r, nil
		}
	}
	return nil, ErrNothing
}

// undoneRuns returns which runs have been taken back, by an undo that has not been
// taken back in turn.
func undoneRuns(records []*Record) map[string]bool {
	undone := map[string]bool{}
	for i := len(records) - 1; i >= 0; i-- {
		if r := records[i]; r.State == Done && r.Undoes != "" && !undone[r.ID] {
			undone[r.Undoes] = true
		}
	}
	return undone
}

// Reverse returns the changes that take a run back. left are the files that are no
// longer what the run wrote.
func (v *Vault) Reverse(r *Record) (changes []Change, left []string, err error) {
	o := reach{disk: v.disk}
	defer o.close()
	for i := range r.Files {
		e := &r.Files[i]
		now, _, err := o.read(e)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, nil, err
		}
		if err != nil || DigestOf(now) != e.After {
			left = append(left, string(e.Path))
			continue
		}
		old, err := v.Old(r, e)
		if err != nil {
			return nil, nil, err
		}
		edits, err := v.Edits(r, e)
		if err != nil {
			return nil, nil, err
		}
		inverse := edits.Invert(old)
		for i := range inverse { // let go of the rest of the old content
			inverse[i].New = bytes.Clone(inverse[i].New)
		}
		changes = append(changes, Change{
			Path: e.Absolute(), Folder: string(e.Folder), Name: string(e.Name),
			Before: e.After, Edits: inverse,
		})
	}
	return changes, left, nil
}

// Content returns a file's content as it is now. The error is a *ChangedError where
// that is not what the change is against.
func (c *Change) Content() ([]byte, error) {
	var o reach
	defer o.close()
	now, _, err := o.read(&Entry{Folder: Path(c.Folder), Name: Path(c.Name)})
	if err == nil && DigestOf(now) != c.Before {
		err = &ChangedError{c.Path}
	}
	return now, err
}
