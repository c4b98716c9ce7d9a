package store

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// Record is what is known of a run: who wrote what, when and why.
type Record struct {
	Format  int           `json:"frizzel_run"`
	ID      string        `json:"id"`
	Number  int           `json:"number"` // 1, 2, 3 … in the order of the runs, whatever the clock says; 0 of a run that an earlier program wrote
	Kind    Kind          `json:"kind"`
	Undoes  string        `json:"undoes,omitempty"` // the run that an undo or a redo takes back
	Time    time.Time     `json:"time"`
	User    string        `json:"user"`
	Host    string        `json:"host"`
	Boot    string        `json:"boot,omitempty"` // devices have the same numbers while it is the same
	Command []string      `json:"command"`
	Folder  change.Path   `json:"folder"` // where it was run
	Note    string        `json:"note,omitempty"`
	Rules   []string      `json:"rules"` // labels of the rules that made changes
	Changes int           `json:"changes"`
	After   string        `json:"after,omitempty"` // a command to run when its files have changed
	Hold    time.Duration `json:"hold,omitempty"`  // how long it waits to be kept
	Staged  bool          `json:"staged"`          // what Files say of contents is known
	Left    []Left        `json:"left,omitempty"`  // what was left alone by the run that takes back
	Files   []Entry       `json:"-"`               // a line each

	Steps []Step `json:"-"` // from the journal
}

// format is the version of records. Those of formats 2 and 3 are the same, but for how their
// edits are written.
const format = 4

// Kind is what a run did.
type Kind string

const (
	Apply Kind = "apply"
	Undo  Kind = "undo"
	Redo  Kind = "redo"
)

// State returns how far the run came.
func (r *Record) State() State { return stateOf(r.Steps) }

// HeldUntil returns when a run on hold is to be taken back; zero for none.
func (r *Record) HeldUntil() time.Time {
	if r.State() != Held {
		return time.Time{}
	}
	return r.Steps[len(r.Steps)-1].At.Add(r.Hold)
}

// Name is the run's number where it has one, else its ID: what a person types.
func (r *Record) Name() string {
	if r.Number > 0 {
		return fmt.Sprint(r.Number)
	}
	return r.ID
}

// Targets counts the files that were to be changed, those left beside them aside.
func (r *Record) Targets() int {
	n := 0
	for i := range r.Files {
		if r.Files[i].Role != change.Beside {
			n++
		}
	}
	return n
}

// Left is a file that a run left alone.
type Left struct {
	Path   change.Path `json:"path"`
	Reason string      `json:"reason"`
	Kept   change.Path `json:"kept,omitempty"` // where its old content is
}

// Entry is one file of a run.
type Entry struct {
	Path   change.Path   `json:"path"`   // for people, as it was given
	Folder change.Path   `json:"folder"` // absolute
	Name   change.Path   `json:"name"`   // below Folder
	In     disk.ID       `json:"in"`     // the folder that holds the file
	What   change.What   `json:"what,omitempty"`
	Role   change.Role   `json:"role,omitempty"`
	Rules  []int         `json:"rules,omitempty"`
	Before change.Digest `json:"before"`
	After  change.Digest `json:"after"`
	// InPlace marks a file that is rewritten rather than replaced, to stay what
	// it is: one of several hard links, or one whose owner could not be kept.
	InPlace bool      `json:"in_place,omitempty"`
	Inode   disk.ID   `json:"inode,omitzero"`  // of the file before
	Staged  disk.ID   `json:"staged,omitzero"` // of the new content
	Was     disk.Meta `json:"was,omitzero"`    // what it was besides its content; of a new file, what that is to be
	Temp    string    `json:"temp,omitempty"`  // the name of the new content beside its target, and
	Back    string    `json:"back,omitempty"`  // that of the old one on its way back
	Old     Blob      `json:"old"`             // the old content
	Edits   Blob      `json:"edits"`           // from the old content to the new
}

// Absolute returns the file's whole path.
func (e *Entry) Absolute() string { return filepath.Join(string(e.Folder), string(e.Name)) }

// Touches reports whether an entry is the file of a path, absolute, or lies below it.
func (e *Entry) Touches(path string) bool {
	abs := e.Absolute()
	return abs == path || strings.HasPrefix(abs, strings.TrimSuffix(path, "/")+"/")
}

// encode writes a record: a line for the run, and one for each file.
func (r *Record) encode() ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	if err := e.Encode(r); err != nil {
		return nil, err
	}
	for i := range r.Files {
		if err := e.Encode(&r.Files[i]); err != nil {
			return nil, err
		}
	}
	return b.Bytes(), nil
}

// decode reads what encode wrote.
func decode(body []byte) (*Record, error) {
	d := json.NewDecoder(bytes.NewReader(body))
	r := &Record{}
	if err := d.Decode(r); err != nil {
		return nil, err
	}
	if r.Format != format && r.Format != 2 && r.Format != 3 {
		return nil, fmt.Errorf("it is of format %d, which this program does not know", r.Format)
	}
	for d.More() {
		var e Entry
		if err := d.Decode(&e); err != nil {
			return nil, err
		}
		r.Files = append(r.Files, e)
	}
	return r, nil
}

// encodeSteps writes a journal, a line for each step.
func encodeSteps(steps []Step) []byte {
	var b bytes.Buffer
	for _, s := range steps {
		fmt.Fprintf(&b, "%s %s\n", s.State, s.At.UTC().Format(time.RFC3339Nano))
	}
	return b.Bytes()
}

// decodeSteps reads a journal.
func decodeSteps(id string, body []byte) (steps []Step, err error) {
	for line := range strings.Lines(string(body)) {
		state, at, _ := strings.Cut(strings.TrimSuffix(line, "\n"), " ")
		t, err := time.Parse(time.RFC3339Nano, at)
		if err != nil {
			return nil, err
		}
		if steps, err = after(id, steps, State(state), t); err != nil {
			return nil, err
		}
	}
	if len(steps) == 0 {
		return nil, trailer.ErrDamaged
	}
	return steps, nil
}
