package vault

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"
	"unicode/utf8"
)

// Record is a run's manifest: who wrote what, when and why.
type Record struct {
	ID      string    `json:"id"`
	Kind    Kind      `json:"kind"`
	Undoes  string    `json:"undoes,omitempty"` // the run that an undo or a redo takes back
	Time    time.Time `json:"time"`
	User    string    `json:"user"`
	Host    string    `json:"host"`
	Command []string  `json:"command"`
	Folder  Path      `json:"folder"` // where it was run
	Note    string    `json:"note,omitempty"`
	Rules   []string  `json:"rules"` // labels of the rules that made changes
	Changes int       `json:"changes"`
	After   string    `json:"after,omitempty"` // a command to run when its files have changed
	Hold    time.Time `json:"hold,omitzero"`   // when it is put back unless it is kept
	Files   []Entry   `json:"files"`

	// State is how far the run came, from its journal.
	State State `json:"-"`
}

// Kind is what a run did.
type Kind string

const (
	Apply Kind = "apply"
	Undo  Kind = "undo"
	Redo  Kind = "redo"
)

// State is how far a run came.
type State string

const (
	Staging   State = "staging"   // nothing is replaced yet
	Replacing State = "replacing" // some files may be
	Done      State = "done"
	PutBack   State = "put back"
)

// Entry is one file of a run.
type Entry struct {
	Path   Path   `json:"path"`   // for people, as it was given
	Folder Path   `json:"folder"` // absolute
	Name   Path   `json:"name"`   // below Folder
	Rules  []int  `json:"rules,omitempty"`
	Before Digest `json:"before"`
	After  Digest `json:"after"`
	// InPlace marks a file that is rewritten rather than replaced, to stay what
	// it is: one of several hard links, or one whose owner could not be kept.
	InPlace bool `json:"in_place,omitempty"`
	// Created marks a file that was not there before, Removed one that is gone
	// after.
	Created bool `json:"created,omitempty"`
	Removed bool `json:"removed,omitempty"`
	Beside  Path `json:"beside,omitempty"` // where the old content was left as well, below Folder
	Old     Blob `json:"old"`              // the old content
	Edits   Blob `json:"edits"`            // from the old content to the new
}

// Absolute returns the file's whole path.
func (e *Entry) Absolute() string { return filepath.Join(string(e.Folder), string(e.Name)) }

// Digest is the SHA-256 of a content.
type Digest [sha256.Size]byte

// DigestOf returns the digest of a content.
func DigestOf(content []byte) Digest { return sha256.Sum256(content) }

func (d Digest) MarshalText() ([]byte, error) { return hex.AppendEncode(nil, d[:]), nil }

func (d *Digest) UnmarshalText(text []byte) error {
	if hex.DecodedLen(len(text)) != len(d) {
		return fmt.Errorf("a digest of %d characters", len(text))
	}
	_, err := hex.Decode(d[:], text)
	return err
}

// Path is a path that need not be UTF-8: one that is not stands in the manifest
// as its bytes.
type Path string

type pathBytes struct {
	Bytes []byte `json:"bytes"`
}

func (p Path) MarshalJSON() ([]byte, error) {
	if utf8.ValidString(string(p)) {
		return json.Marshal(string(p))
	}
	return json.Marshal(pathBytes{[]byte(p)})
}

func (p *Path) UnmarshalJSON(text []byte) error {
	if bytes.HasPrefix(text, []byte("{")) {
		var b pathBytes
		err := json.Unmarshal(text, &b)
		*p = Path(b.Bytes)
		return err
	}
	return json.Unmarshal(text, (*string)(p))
}

const (
	manifestName = "manifest.json"
	journalName  = "journal"
	backupName   = "backup"
)

// Runs returns the records of all runs, the oldest first.
func (v *Vault) Runs() ([]*Record, error) {
	return v.some(func(string) (bool, error) { return true, nil })
}

// Run returns a run's record. The error is fs.ErrNotExist where there is none.
func (v *Vault) Run(id string) (*Record, error) {
	folder := filepath.Join(v.runs(), filepath.Base(id))
	text, err := v.disk.readFile(filepath.Join(folder, manifestName))
	if err != nil {
		return nil, err
	}
	r := &Record{}
	if err := json.Unmarshal(text, r); err != nil {
		return nil, fmt.Errorf("the manifest of run %s cannot be read: %w", id, err)
	}
	r.State, err = v.state(id)
	return r, err
}

// state returns how far a run came, from its journal alone.
func (v *Vault) state(id string) (State, error) {
	journal, err := v.disk.readFile(filepath.Join(v.runs(), filepath.Base(id), journalName))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	state := Staging
	for line := range strings.Lines(string(journal)) { // a line cut short says nothing
		switch s := State(strings.TrimSuffix(line, "\n")); s {
		case Replacing, Done, PutBack:
			if strings.HasSuffix(line, "\n") {
				state = s
			}
		}
	}
	return state, nil
}

// create makes a run's folder, and with it the run's name: the time, and a number
// where another run has the same.
func (v *Vault) create(r *Record) error {
	base := r.Time.Format("20060102-150405")
	for n := 1; ; n++ {
		r.ID = base
		if n > 1 {
			r.ID = fmt.Sprintf("%s-%d", base, n)
		}
		err := v.disk.mkdir(filepath.Join(v.runs(), r.ID))
		if !errors.Is(err, fs.ErrExist) {
			return err
		}
	}
}

// save writes the manifest, on disk and whole or not at all.
func (v *Vault) save(r *Record) error {
	text, err := json.MarshalIndent(r, "", " ")
	if err != nil {
		return err
	}
	folder := filepath.Join(v.runs(), r.ID)
	temp := filepath.Join(folder, manifestName+".new")
	if err := v.disk.writeFile(temp, text, os.O_TRUNC); err != nil {
		return err
	}
	if err := v.disk.rename(temp, filepath.Join(folder, manifestName)); err != nil {
		return err
	}
	return v.disk.syncFolder(folder)
}

// enter appends to the journal how far the run came, on disk.
func (v *Vault) enter(r *Record, s State) error {
	folder := filepath.Join(v.runs(), r.ID)
	// A line break before it keeps it apart from an entry that was cut short.
	if err := v.disk.writeFile(filepath.Join(folder, journalName), []byte("\n"+string(s)+"\n"), os.O_APPEND); err != nil {
		return err
	}
	if err := v.disk.syncFolder(folder); err != nil {
		return err
	}
	r.State = s
	return nil
}
