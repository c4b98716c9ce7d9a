// Package seal stores a review in one file that can be carried to another machine: which files it covers,
// their old contents, and exactly the new ones.
//
// A [Writer] writes it file by file, and a [Seal] is read from it. For each file it has the edits in both
// directions and the digests of both contents, so the written content is the shown one, or the seal
// is reported as damaged. The file consists of lines of JSON, one for the review and several for each file,
// whose contents are split so that they need not fit into memory; it ends in a digest.
package seal

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"time"

	"golang.org/x/crypto/ssh"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/trailer"
)

// version is that of the file's format.
const version = 1

// Beginning is how every seal's file begins.
const Beginning = `{"frizzel_seal":`

// name goes into the seal's digest.
const name = "frizzel seal"

// About describes the review of a seal.
type About struct {
	Version int               `json:"frizzel_seal"`
	Title   string            `json:"title,omitempty"`
	Time    time.Time         `json:"time"`
	User    string            `json:"user"`
	Host    string            `json:"host"`
	Sources map[string]string `json:"sources"` // scripts and tables, by name
	Values  map[string]string `json:"values,omitempty"`
	Rules   []string          `json:"rules"` // labels
}

// Seal is one review that was read. It is closed when nothing of it is wanted any more.
type Seal struct {
	About
	Files []File

	file *os.File
	key  ssh.PublicKey // that signed it; nil if it is unsigned
}

// File is one file of a review.
type File struct {
	Path    change.Path   // whole
	Changes int           // number of changes
	Before  digest.Digest // of the old content
	After   digest.Digest // of the new content
	// Op is the kind of change; a Rename and a Retarget have no contents. The others are as in a change.Change.
	Op                change.Op
	Kind              disk.Kind
	NewName           string
	Target, NewTarget string

	seal  *Seal
	at    int64 // where its lines begin in the seal's file
	edits int   // number of edits
}

// A line of a seal's file about one of its files: first its path, then chunks, then its end.
type line struct {
	Path    change.Path `json:"path,omitempty"`
	Changes int         `json:"changes,omitempty"`

	Op        change.Op   `json:"op,omitempty"`
	Kind      disk.Kind   `json:"kind,omitempty"`
	NewName   change.Path `json:"new_name,omitempty"`
	Target    change.Path `json:"target,omitempty"`
	NewTarget change.Path `json:"new_target,omitempty"`

	Fresh []byte `json:"fresh,omitempty"` // part of the new content, as a Zstandard frame
	Back  []byte `json:"back,omitempty"`  // part of the edits from the new to the old content
	Diff  string `json:"diff,omitempty"`  // for a person who opens the seal; nothing is made of it

	End    bool          `json:"end,omitempty"` // of a file without contents
	Edits  int           `json:"edits,omitempty"`
	Before digest.Digest `json:"before,omitzero"`
	After  digest.Digest `json:"after,omitzero"`
}

// New describes a review that is made now.
func New(title string) About {
	a := About{Version: version, Title: title, Time: time.Now(), Sources: map[string]string{}}
	a.Host, _ = os.Hostname()
	if u, err := user.Current(); err == nil {
		a.User = u.Username
	}
	return a
}

// A DamagedError is the error of a seal whose digest does not match.
type DamagedError struct{ Path string }

// ExitStatus returns Unreadable.
func (*DamagedError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *DamagedError) Error() string {
	return fmt.Sprintf("the seal %s is damaged: it is not what was sealed; nothing was written", e.Path)
}

// Read reads a seal's file. The error is a *DamagedError if its digest does not match.
func Read(path string) (*Seal, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	s := &Seal{file: f}
	if err = s.read(path); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close releases the seal's file.
func (s *Seal) Close() { _ = s.file.Close() }

func (s *Seal) read(path string) error {
	info, err := s.file.Stat()
	if err != nil {
		return err
	}
	size, err := s.signed(info.Size())
	if err != nil {
		return &DamagedError{path}
	}
	first := json.NewDecoder(io.NewSectionReader(s.file, 0, size))
	if err := first.Decode(&s.About); err != nil || s.Version == 0 {
		return exit.Wrongf("%s is not a sealed review", path)
	}
	if s.Version != version {
		return exit.Wrongf("%s was sealed by another version of frizzel, in format %d; this one reads format %d", path, s.Version, version)
	}
	body, err := trailer.Check(name, s.file, size)
	if errors.Is(err, trailer.ErrDamaged) {
		return &DamagedError{path}
	}
	if err == nil {
		err = s.index(body)
	}
	for i := 0; err == nil && i < len(s.Files); i++ {
		err = s.Files[i].check()
	}
	if errors.Is(err, trailer.ErrDamaged) {
		return &DamagedError{path}
	}
	return err
}

// index finds the offsets of the files' lines.
func (s *Seal) index(body *io.SectionReader) error {
	lines := bufio.NewReaderSize(body, 32<<10)
	at := int64(0)
	var f *File
	for n := 0; ; n++ {
		text, err := lines.ReadSlice('\n')
		long := errors.Is(err, bufio.ErrBufferFull) // as only the first line is, and chunks are
		for at += int64(len(text)); errors.Is(err, bufio.ErrBufferFull); at += int64(len(text)) {
			text, err = lines.ReadSlice('\n')
		}
		switch {
		case errors.Is(err, io.EOF) && len(text) == 0:
			if f != nil {
				return trailer.ErrDamaged
			}
			return nil
		case err != nil:
			return trailer.ErrDamaged
		case n == 0 || long:
			continue
		}
		var l line
		if json.Unmarshal(text, &l) != nil {
			return trailer.ErrDamaged
		}
		switch {
		case l.Path != "":
			f = &File{
				Path: l.Path, Changes: l.Changes, seal: s, at: at,
				Op: l.Op, Kind: l.Kind, NewName: string(l.NewName), Target: string(l.Target), NewTarget: string(l.NewTarget),
			}
		case (l.After != digest.Digest{} || l.End) && f != nil:
			f.Before, f.After, f.edits = l.Before, l.After, l.Edits
			s.Files = append(s.Files, *f)
			f = nil
		}
	}
}

// A Standing is the comparison of a seal's files with those on this host.
type Standing struct {
	Changes []change.Change // to files that did not change since the review
	Counts  []int           // their numbers of changes
	Done    []string        // files that are the result already
	Differ  []string        // files that are neither
}

// Stand compares the seal with the files of this host.
func (s *Seal) Stand(system disk.System) (*Standing, error) {
	st := &Standing{}
	for i := range s.Files {
		f := &s.Files[i]
		path := string(f.Path)
		if !f.HasContent() || f.NewName != "" {
			if err := st.named(system, f, s.Moves()); err != nil {
				return nil, err
			}
			continue
		}
		in, err := idOf(system, filepath.Dir(path))
		if errors.Is(err, fs.ErrNotExist) || errors.Is(err, disk.ErrNotDir) {
			st.Differ = append(st.Differ, path)
			continue
		}
		if err != nil {
			return nil, err
		}
		c := change.Change{Path: path, In: in, Dir: filepath.Dir(path), Name: filepath.Base(path), Before: f.Before, After: f.After, Edits: f.Edits()}
		now, print, err := c.Now(system)
		var changed *change.ChangedError
		switch {
		case err == nil && now == f.After && now != f.Before:
			st.Done = append(st.Done, path)
			continue
		case errors.As(err, &changed), errors.Is(err, fs.ErrNotExist), err == nil && now != f.Before:
			st.Differ = append(st.Differ, path)
			continue
		case err != nil:
			return nil, err
		}
		c.Print = print
		st.Changes, st.Counts = append(st.Changes, c), append(st.Counts, f.Changes)
	}
	return st, nil
}

// idOf returns the identity of a directory, so that one that takes its place before the writing is refused.
func idOf(system disk.System, path string) (disk.ID, error) {
	dir, err := system.OpenDir(path)
	if err != nil {
		return disk.ID{}, err
	}
	defer disk.Close(dir)
	return dir.ID(), nil
}

// Shown returns the file's old content and the edits to it; nothing if it has no content.
func (f *File) Shown() diff.Windows {
	if !f.HasContent() {
		return diff.Whole(nil, nil)
	}
	return diff.Stream(f.openOld, f.Edits())
}

// Edits returns the edits to the file's old content.
func (f *File) Edits() edit.Source { return edit.Inverse{Edits: f.back(), Open: f.openFresh} }
