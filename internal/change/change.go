// Package change is what is to be done to files: what a run over many files makes, a
// person takes, and the vault writes.
//
// The central type is [Change], the edits to one file and the digest of the content
// that they are against.
package change

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"unicode/utf8"

	"frizzel/core/edit"
	"frizzel/internal/disk"
)

// TempPrefix is what the names of the files begin with that a run stages beside
// their targets.
const TempPrefix = ".frizzel-"

// What says what becomes of a file.
type What string

const (
	Rewrite What = ""        // another content
	Create  What = "created" // a file that is not there before
	Remove  What = "removed" // one that is not there after
)

// Change is what is to be done to one file.
type Change struct {
	Path         string // for people
	Folder, Name string // Folder is absolute, Name below it
	// In is the folder that holds the file, as it was when the file was read; zero
	// where it was not there yet, or is not known.
	In     disk.ID
	What   What
	Before Digest    // of the content that Edits are against
	Edits  edit.List // what a new file holds is what they make of nothing
	Meta   disk.Meta // of a new file
	Role   Role
}

// Role is why a new file is there.
type Role string

const (
	Target Role = ""       // one that was to be changed
	Beside Role = "beside" // the old content, left beside the new one
	Copy   Role = "copy"   // a changed copy of a file that stays as it is
)

// Absolute returns the whole path of the file that a change is about.
func (c *Change) Absolute() string { return filepath.Join(c.Folder, c.Name) }

// ChangedError is the error of a file that is no longer what was read.
type ChangedError struct{ Path string }

func (e *ChangedError) Error() string {
	return fmt.Sprintf("%s has changed since it was read; nothing was written", e.Path)
}

// Content reads the file as it is now, nothing for one to be created. The error is a
// *ChangedError where it is not what the change is against.
func (c *Change) Content(system disk.System) ([]byte, error) {
	if c.What == Create {
		return nil, nil
	}
	abs := c.Absolute()
	folder, err := system.OpenFolder(filepath.Dir(abs))
	if err != nil {
		return nil, err
	}
	defer disk.Close(folder)
	if c.In != (disk.ID{}) && folder.ID() != c.In {
		return nil, &ChangedError{c.Path}
	}
	now, _, err := disk.ReadFile(folder, filepath.Base(abs))
	switch {
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, disk.ErrNotRegular):
		return nil, &ChangedError{c.Path}
	case err == nil && DigestOf(now) != c.Before:
		return nil, &ChangedError{c.Path}
	}
	return now, err
}

// Digest is the SHA-256 of a content.
type Digest [sha256.Size]byte

// DigestOf returns the digest of a content.
func DigestOf(content []byte) Digest { return sha256.Sum256(content) }

// MarshalText gives the digest in hexadecimal digits.
func (d Digest) MarshalText() ([]byte, error) { return hex.AppendEncode(nil, d[:]), nil }

// UnmarshalText reads hexadecimal digits.
func (d *Digest) UnmarshalText(text []byte) error {
	if hex.DecodedLen(len(text)) != len(d) {
		return fmt.Errorf("a digest of %d characters", len(text))
	}
	_, err := hex.Decode(d[:], text)
	return err
}

// Path is a path that need not be UTF-8: one that is not stands in JSON as its bytes.
type Path string

type pathBytes struct {
	Bytes []byte `json:"bytes"`
}

// MarshalJSON gives a string, or an object that holds the path's bytes.
func (p Path) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(p)) {
		return json.Marshal(string(p))
	}
	return json.Marshal(pathBytes{[]byte(p)})
}

// UnmarshalJSON reads what MarshalJSON gives.
func (p *Path) UnmarshalJSON(text []byte) error {
	if bytes.HasPrefix(text, []byte("{")) {
		var b pathBytes
		err := json.Unmarshal(text, &b)
		*p = Path(b.Bytes)
		return err
	}
	return json.Unmarshal(text, (*string)(p))
}
