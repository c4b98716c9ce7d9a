package store

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/trailer"
)

// A Record describes a run: who wrote what, when and why.
type Record struct {
	Format  int           `json:"frizzel_run"`
	ID      string        `json:"id"`
	Number  int           `json:"number"` // 1, 2, 3 … in the order of the runs, whatever the clock says
	Kind    Kind          `json:"kind"`
	Undoes  string        `json:"undoes,omitempty"` // the run that an undo or a redo takes back
	Time    time.Time     `json:"time"`
	User    string        `json:"user"`
	Host    string        `json:"host"`
	Boot    string        `json:"boot,omitempty"` // devices have the same numbers while it is the same
	Command []string      `json:"command"`
	Dir     change.Path   `json:"directory"` // current directory of the run
	Note    string        `json:"note,omitempty"`
	Fleet   string        `json:"fleet,omitempty"` // the run over many hosts that it is part of
	Rules   []string      `json:"rules"`           // labels of all rules
	Used    []int         `json:"used"`            // those of Rules that made changes, ascending; nil if that is unknown
	Changes int           `json:"changes"`
	After   string        `json:"after,omitempty"`   // a command to run when its files have changed
	Hold    time.Duration `json:"hold,omitempty"`    // how long it waits to be kept
	Staged  bool          `json:"staged"`            // what Files say of contents is known
	Left    []Left        `json:"left,omitempty"`    // files that an undo left alone
	Made    []change.Path `json:"made,omitempty"`    // directories that the run made, the outermost first
	Unmade  []change.Path `json:"unmade,omitempty"`  // directories that an undo removed, the outermost first
	Beside  int           `json:"beside,omitempty"`  // number of Files that are old contents beside new ones
	Renamed int           `json:"renamed,omitempty"` // number of Files that get another name
	Moves   []change.Move `json:"moves,omitempty"`   // directories that get another name
	Count   int           `json:"files"`             // number of Files
	Secret  string        `json:"secret"`            // makes the names of temporary files
	Blocks  []Blob        `json:"blocks,omitempty"`  // of the backup, that hold many small pieces each
	Files   *Files        `json:"-"`

	Steps []Step `json:"-"` // from the journal

	unpacked blocks
	once     sync.Once
	moved    change.Moves // of Moves, once it is needed
}

// format is the version of records that this program reads and writes.
const format = 1

// A Kind is the kind of a run.
type Kind string

const (
	Apply Kind = "apply"
	Undo  Kind = "undo"
	Redo  Kind = "redo"
)

// State returns the run's state.
func (r *Record) State() State { return stateOf(r.Steps) }

// HeldUntil returns when a run on hold is to be taken back; zero for none.
func (r *Record) HeldUntil() time.Time {
	if r.State() != Held {
		return time.Time{}
	}
	return r.Steps[len(r.Steps)-1].At.Add(r.Hold)
}

// Name returns the run's number, as a user types it.
func (r *Record) Name() string { return fmt.Sprint(r.Number) }

// Targets returns the number of files to change, without the copies beside them.
func (r *Record) Targets() int { return r.Files.Len() - r.Beside }

// Left is a file that a run left alone.
type Left struct {
	Path    change.Path `json:"path"`
	Reason  string      `json:"reason"`
	OldCopy change.Path `json:"old_copy,omitempty"` // the path of its old content
	Away    bool        `json:"-"`                  // it cannot be read now, and perhaps later
}

// Entry is one file of a run.
type Entry struct {
	Path change.Path `json:"path"`      // for people, as it was given
	Dir  change.Path `json:"directory"` // absolute
	Name change.Path `json:"name"`      // below Dir
	In   disk.ID     `json:"in"`        // the directory that holds the file
	Op   change.Op   `json:"op,omitempty"`
	// NewName is the last part of the path after the run, "" if it stays.
	NewName change.Path `json:"new_name,omitempty"`
	Kind    disk.Kind   `json:"kind,omitempty"`
	// Target and NewTarget are the texts of a symbolic link before and after the run.
	Target    change.Path   `json:"target,omitempty"`
	NewTarget change.Path   `json:"new_target,omitempty"`
	Of        int           `json:"of,omitempty"` // the index of the entry that this one undoes, in the run that is undone
	Role      change.Role   `json:"role,omitempty"`
	Rules     []int         `json:"rules,omitempty"`
	Before    digest.Digest `json:"before"`
	After     digest.Digest `json:"after"`
	// InPlace marks a file that is rewritten rather than replaced, to stay what
	// it is: one of several hard links, or one whose owner could not be kept.
	InPlace bool    `json:"in_place,omitempty"`
	Inode   disk.ID `json:"inode,omitzero"`  // of the file before
	Staged  disk.ID `json:"staged,omitzero"` // of the new content
	// Modified is when the new content was written, nanoseconds since 1970; 0 if that is not
	// known.
	Modified int64     `json:"modified,omitempty"`
	Was      disk.Meta `json:"was,omitzero"` // its old attributes; for a new file, those to set
	Old      Blob      `json:"old"`          // the old content
	Edits    Blob      `json:"edits"`        // from the old content to the new

	secret string
	number int
}

// Absolute returns the file's whole path.
func (e *Entry) Absolute() string { return filepath.Join(string(e.Dir), string(e.Name)) }

// HasContent reports whether the run changed the content of a file, and not only a name or the text of a link.
func (e *Entry) HasContent() bool { return e.Op.IsContent(e.Kind) }

// Base returns the last part of the file's path before the run.
func (e *Entry) Base() string { return filepath.Base(string(e.Name)) }

// BaseAfter returns the last part of the file's path after the run.
func (e *Entry) BaseAfter() string {
	if e.NewName != "" {
		return string(e.NewName)
	}
	return e.Base()
}

// PathAfter returns the whole path that a file of the run has afterwards.
func (r *Record) PathAfter(e *Entry) string {
	if len(r.Moves) == 0 {
		return filepath.Join(filepath.Dir(e.Absolute()), e.BaseAfter())
	}
	r.once.Do(func() { r.moved = change.MovesOf(r.Moves) })
	return filepath.Join(r.moved.Of(filepath.Dir(e.Absolute())), e.BaseAfter())
}

// Touches reports whether a file, by its whole path, is that of another path, or lies below it.
func Touches(file, path string) bool {
	return file == path || strings.HasPrefix(file, strings.TrimSuffix(path, "/")+"/")
}

// RulesUsed returns the labels of the rules that made changes, as far as they have any.
func (r *Record) RulesUsed() ([]string, error) {
	used := r.Used
	if used == nil && slices.ContainsFunc(r.Rules, func(label string) bool { return label != "" }) {
		for e, err := range r.Files.All() {
			if err != nil {
				return nil, err
			}
			used = append(used, e.Rules...)
		}
	}
	labels := []string{}
	for i, label := range r.Rules {
		if label != "" && slices.Contains(used, i) {
			labels = append(labels, label)
		}
	}
	return labels, nil
}

// write writes a record: a line for the run, and then its files.
func (r *Record) write(out io.Writer) error {
	r.Count = r.Files.Len()
	if err := json.NewEncoder(out).Encode(r); err != nil {
		return err
	}
	return r.Files.write(out)
}

// readRecord reads a record. Its files are read when they are first needed.
func readRecord(body *io.SectionReader, again func() (*io.SectionReader, io.Closer, error)) (*Record, error) {
	line, err := bufio.NewReader(body).ReadBytes('\n')
	if err != nil {
		return nil, trailer.ErrDamaged
	}
	r := &Record{}
	if err := json.Unmarshal(line, r); err != nil {
		return nil, err
	}
	if r.Format != format {
		return nil, fmt.Errorf("it is of format %d, which this program does not know", r.Format)
	}
	r.Files = &Files{secret: r.Secret, count: r.Count, read: func(f *Files) error {
		body, file, err := again()
		if err != nil {
			return err
		}
		defer disk.Close(file)
		return f.readFrom(io.NewSectionReader(body, int64(len(line)), body.Size()-int64(len(line))))
	}}
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
