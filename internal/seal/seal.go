// Package seal keeps a review: what was shown for each file, and what exactly would
// be written, in one file that can be carried to where it is to be done.
//
// The central type is [Seal]. It names files by their whole paths, and holds for each
// the digest of what was reviewed, the edits to it, the digest of what they make of
// it, and the diff that a person reads.
package seal

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"time"

	"frizzel/core/edit"
	"frizzel/internal/vault"
)

// version is of the file's format.
const version = 1

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
	Files   []File            `json:"files"`
}

// File is one file of a review.
type File struct {
	Path    vault.Path   `json:"path"` // whole
	Changes int          `json:"changes"`
	Before  vault.Digest `json:"before"`
	After   vault.Digest `json:"after"`
	Edits   edit.List    `json:"edits"`
	Diff    string       `json:"diff"`
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

// Add adds a file: its content as it was read and the edits to it.
func (s *Seal) Add(path string, changes int, old []byte, edits edit.List, diff string) error {
	abs, err := filepath.Abs(path)
	if err == nil {
		abs, err = filepath.EvalSymlinks(abs)
	}
	s.Files = append(s.Files, File{
		Path: vault.Path(abs), Changes: changes, Edits: edits, Diff: diff,
		Before: vault.DigestOf(old), After: vault.DigestOf(edits.Apply(old)),
	})
	return err
}

// Text returns the seal as a file's content.
func (s *Seal) Text() (string, error) {
	text, err := json.MarshalIndent(s, "", " ")
	return string(text) + "\n", err
}

// Read reads a seal's file.
func Read(path string) (*Seal, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	s := &Seal{}
	if err := json.Unmarshal(text, s); err != nil || s.Version == 0 {
		return nil, fmt.Errorf("%s is no sealed review", path)
	}
	if s.Version > version {
		return nil, fmt.Errorf("%s was sealed by a newer frizzel", path)
	}
	return s, nil
}

// Changes returns what is to be written, and the paths of files that no longer are
// what was reviewed.
func (s *Seal) Changes() (changes []vault.Change, differ []string, err error) {
	for _, f := range s.Files {
		c := vault.Change{
			Path: string(f.Path), Folder: filepath.Dir(string(f.Path)), Name: filepath.Base(string(f.Path)),
			Before: f.Before, Edits: f.Edits,
		}
		now, err := c.Content()
		var changed *vault.ChangedError
		switch {
		case errors.As(err, &changed), errors.Is(err, fs.ErrNotExist):
			differ = append(differ, string(f.Path))
			continue
		case err != nil:
			return nil, nil, err
		}
		if !fits(f.Edits, now) || vault.DigestOf(f.Edits.Apply(now)) != f.After {
			return nil, nil, fmt.Errorf("the seal is damaged: its edits of %s do not make what was reviewed", f.Path)
		}
		changes = append(changes, c)
	}
	return changes, differ, nil
}

// fits reports whether edits are in order and within a content.
func fits(edits edit.List, content []byte) bool {
	at := 0
	for _, e := range edits {
		if e.Start < at || e.End < e.Start || e.End > len(content) {
			return false
		}
		at = e.End
	}
	return true
}
