// Package change has the changes that are to be made to files: a run over many files produces them, a
// person accepts them, and the vault writes them.
//
// The central type is [Change]: the edits to one file, and the digest of the content that they apply to.
package change

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
)

// TempPrefix is the prefix of the names of the temporary files that a run stages beside its targets.
const TempPrefix = ".frizzel-"

// An Op is the kind of change made to a file.
type Op string

const (
	Rewrite  Op = ""           // the content changes
	Create   Op = "created"    // the file does not exist before
	Remove   Op = "removed"    // the file does not exist after
	Rename   Op = "renamed"    // only the name changes; the content is not looked at
	Retarget Op = "retargeted" // a symbolic link gets another text
)

// IsContent reports whether a change of a kind of file is one of a content. A link has a text instead, and a directory neither.
func (o Op) IsContent(kind disk.Kind) bool {
	return kind == disk.Regular && o != Rename && o != Retarget
}

// A Change is a change to one file.
type Change struct {
	Path      string // for people
	Dir, Name string // Dir is absolute, Name below it
	// In is the directory that held the file when it was read; zero if there was none, or
	// it is not known.
	In disk.ID
	Op Op
	// NewName is the last part of the path after the change, "" if it stays. Directories above may change theirs by
	// changes of their own.
	NewName string
	Kind    disk.Kind // of what is there
	// Target and NewTarget are the texts of a symbolic link before and after; equal if it is only renamed.
	Target, NewTarget string
	// Of is the index of the change, in the run that is undone, that this one undoes.
	Of int
	// Before is zero for a Rename unless the rename depends on the content.
	Before digest.Digest // of the content that Edits are against
	// Print is the fingerprint of the old content, set if Before is not known.
	Print Print
	// After is the digest that the edited content must have; zero if unknown.
	After digest.Digest
	Edits edit.Source // against the old content, which is empty for a new file; nil for no edits
	Rules []int       // those that made them, by index
	Meta  disk.Meta   // of a new file
	Role  Role
}

// Role is why a new file is there.
type Role string

const (
	Target Role = ""       // one that was to be changed
	Beside Role = "beside" // the old content, left beside the new one
	Copy   Role = "copy"   // a changed copy of a file that stays unchanged
)

// HasContent reports whether the change is one of a content, and not only of a name or of the text of a link.
func (c *Change) HasContent() bool { return c.Op.IsContent(c.Kind) }

// Count returns the number of edits, of which a new name and a new target are one each.
func (c *Change) Count() (n int) {
	if c.Edits != nil {
		n = c.Edits.Len()
	}
	if c.NewName != "" {
		n++
	}
	if c.Op == Retarget || c.Kind == disk.Link && (c.Op == Create || c.Op == Remove) {
		n++
	}
	return n
}

// Absolute returns the whole path of the file that a change is about.
func (c *Change) Absolute() string { return filepath.Join(c.Dir, c.Name) }

// A ChangedError is the error of a file whose content changed since it was read.
type ChangedError struct{ Path string }

// ExitStatus returns Refused.
func (*ChangedError) ExitStatus() exit.Status { return exit.Refused }

func (e *ChangedError) Error() string {
	return fmt.Sprintf("%s has changed since it was read; nothing was written", e.Path)
}

// Open opens the current file. The error is a *ChangedError if it no longer exists.
func (c *Change) Open(system disk.System) (disk.File, error) {
	abs := c.Absolute()
	dir, err := system.OpenDir(filepath.Dir(abs))
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	if c.In != (disk.ID{}) && dir.ID() != c.In {
		return nil, &ChangedError{c.Path}
	}
	f, err := dir.Open(filepath.Base(abs))
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, disk.ErrNotRegular) {
		err = &ChangedError{c.Path}
	}
	return f, err
}

// Now reads the current file and returns its digest and print.
func (c *Change) Now(system disk.System) (digest.Digest, Print, error) {
	f, err := c.Open(system)
	if err != nil {
		return digest.Digest{}, Print{}, err
	}
	defer disk.Close(f)
	return ReadFile(f, digest.By(c.Before, c.After))
}

// Against reports whether a content is the one that the change is against.
func (c *Change) Against(sum digest.Digest, print Print) bool {
	if c.Print != (Print{}) {
		return print == c.Print
	}
	return sum == c.Before
}

// Windows are the file's bytes, nothing of one to be created, and the edits to them.
func (c *Change) Windows(system disk.System) diff.Windows {
	return diff.Stream(func() (io.ReadCloser, error) { return c.Reader(system) }, c.Edits)
}

// Reader returns a reader of the current file, which is empty if the change creates the file. At the end it fails
// with a *ChangedError if the content is not the one that the change is against.
func (c *Change) Reader(system disk.System) (io.ReadCloser, error) {
	if c.Op == Create || !c.Op.IsContent(c.Kind) {
		return io.NopCloser(strings.NewReader("")), nil
	}
	f, err := c.Open(system)
	if err != nil {
		return nil, err
	}
	return &checked{change: c, file: f, in: disk.Reader(f), by: digest.By(c.Before), hash: digest.By(c.Before).New()}, nil
}

// A checked reads a file and verifies that its content is the one that a change is against.
type checked struct {
	change *Change
	file   disk.File
	in     io.Reader
	by     digest.Algorithm
	hash   hash.Hash
	print  Printing
}

func (r *checked) Read(p []byte) (int, error) {
	n, err := r.in.Read(p)
	r.hash.Write(p[:n])
	_, _ = r.print.Write(p[:n]) // which cannot fail
	if errors.Is(err, io.EOF) && !r.change.Against(r.by.Sum(r.hash), r.print.Print()) {
		err = &ChangedError{r.change.Path}
	}
	return n, err
}

func (r *checked) Close() error { return r.file.Close() }

// A Path is a path that need not be UTF-8. If it is not, it is encoded in JSON as bytes.
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
