// Package seal keeps a review: which files, what they were, and what exactly would be
// written, in one file that can be carried to where it is to be done.
//
// The central type is [Seal]. It holds, for each file, what would be written and the way
// back from there, and the digests of both, so that what a person is shown is what is
// written, or the seal is damaged. The file is a line of JSON for the review and one for
// each file, and ends in a digest.
package seal

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"time"

	"github.com/klauspost/compress/zstd"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// version is of the file's format.
const version = 2

// name goes into the seal's digest.
const name = "frizzel seal"

// MostBytes is how long a seal's file may be.
const MostBytes = 1 << 30

// Seal is one review.
type Seal struct {
	Version int               `json:"frizzel_seal"`
	Title   string            `json:"title,omitempty"`
	Time    time.Time         `json:"time"`
	User    string            `json:"user"`
	Host    string            `json:"host"`
	Sources map[string]string `json:"sources"` // scripts and tables, by name
	Values  map[string]string `json:"values,omitempty"`
	Rules   []string          `json:"rules"` // labels
	Files   []File            `json:"-"`     // a line each
}

// File is one file of a review.
type File struct {
	Path    change.Path   `json:"path"` // whole
	Changes int           `json:"changes"`
	Before  change.Digest `json:"before"`
	After   change.Digest `json:"after"`
	Fresh   []byte        `json:"fresh"`          // what would be written, as a Zstandard frame
	Back    edit.List     `json:"back"`           // from that to what it was
	Diff    string        `json:"diff,omitempty"` // for a person who opens the seal; nothing is made of it
}

// New begins a seal.
func New(title string) *Seal {
	s := &Seal{Version: version, Title: title, Time: time.Now(), Sources: map[string]string{}}
	s.Host, _ = os.Hostname()
	if u, err := user.Current(); err == nil {
		s.User = u.Username
	}
	return s
}

// Add adds a file: its content as it was read, the edits to it, how many changes they are,
// and their diff.
func (s *Seal) Add(path string, changes int, old []byte, edits edit.List, diff string) error {
	abs, err := filepath.Abs(path)
	if err == nil {
		abs, err = filepath.EvalSymlinks(abs)
	}
	if err != nil {
		return err
	}
	e, err := zstd.NewWriter(nil)
	if err != nil {
		return err
	}
	defer disk.Close(e)
	fresh := edits.Apply(old)
	s.Files = append(s.Files, File{
		Path: change.Path(abs), Changes: changes, Before: change.DigestOf(old), After: change.DigestOf(fresh),
		Fresh: e.EncodeAll(fresh, nil), Back: edits.Invert(old).Clone(), Diff: diff,
	})
	return nil
}

// Text returns the seal as a file's content.
func (s *Seal) Text() ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	if err := e.Encode(s); err != nil {
		return nil, err
	}
	for i := range s.Files {
		if err := e.Encode(&s.Files[i]); err != nil {
			return nil, err
		}
	}
	return trailer.Add(name, b.Bytes()), nil
}

// DamagedError is the error of a seal that is not what was sealed.
type DamagedError struct{ Path string }

func (e *DamagedError) Error() string {
	return fmt.Sprintf("the seal %s is damaged: it is not what was sealed; nothing was written", e.Path)
}

// Read reads a seal's file. The error is a *DamagedError where it is not what was sealed.
func Read(path string) (*Seal, error) {
	text, err := disk.ReadBounded(path, MostBytes)
	if err != nil {
		return nil, err
	}
	s := &Seal{}
	d := json.NewDecoder(bytes.NewReader(text))
	if err := d.Decode(s); err != nil || s.Version == 0 {
		return nil, fmt.Errorf("%s is no sealed review", path)
	}
	if s.Version != version {
		return nil, fmt.Errorf("%s was sealed by another version of frizzel, in format %d; this one reads format %d", path, s.Version, version)
	}
	body, err := trailer.Cut(name, text)
	if err != nil {
		return nil, &DamagedError{path}
	}
	d = json.NewDecoder(bytes.NewReader(body))
	_ = d.Decode(s)
	for d.More() {
		var f File
		if err := d.Decode(&f); err != nil {
			return nil, &DamagedError{path}
		}
		if _, _, err := f.Contents(); err != nil {
			return nil, &DamagedError{path}
		}
		s.Files = append(s.Files, f)
	}
	return s, nil
}

// Contents returns what the file was and the edits to that, held against their digests.
func (f *File) Contents() (old []byte, edits edit.List, err error) {
	d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(disk.MaxContent))
	if err != nil {
		return nil, nil, err
	}
	defer d.Close()
	fresh, err := d.DecodeAll(f.Fresh, nil)
	if err != nil || !f.Back.Fits(len(fresh)) {
		return nil, nil, trailer.ErrDamaged
	}
	old, edits = f.Back.Apply(fresh), f.Back.Invert(fresh)
	if change.DigestOf(old) != f.Before || change.DigestOf(fresh) != f.After {
		return nil, nil, trailer.ErrDamaged
	}
	return old, edits, nil
}

// Standing is how the files of a seal stand on this host.
type Standing struct {
	Changes []change.Change // to files that are what was reviewed
	Counts  []int           // how many changes each of those holds
	Done    []string        // files that are the result already
	Differ  []string        // files that are neither
}

// Stand compares the seal with the files of this host.
func (s *Seal) Stand(system disk.System) (*Standing, error) {
	st := &Standing{}
	for i := range s.Files {
		f := &s.Files[i]
		path := string(f.Path)
		c := change.Change{Path: path, Folder: filepath.Dir(path), Name: filepath.Base(path), Before: f.Before}
		_, err := c.Content(system)
		var changed *change.ChangedError
		switch {
		case errors.As(err, &changed):
			c.Before = f.After
			if _, err := c.Content(system); err == nil {
				st.Done = append(st.Done, path)
			} else {
				st.Differ = append(st.Differ, path)
			}
			continue
		case errors.Is(err, fs.ErrNotExist):
			st.Differ = append(st.Differ, path)
			continue
		case err != nil:
			return nil, err
		}
		if _, c.Edits, err = f.Contents(); err != nil {
			return nil, err
		}
		st.Changes, st.Counts = append(st.Changes, c), append(st.Counts, f.Changes)
	}
	return st, nil
}
