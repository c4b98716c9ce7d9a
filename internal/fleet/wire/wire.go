// Package wire is the language of the two sides of a run over many hosts: lines of JSON over the standard streams of a
// program that was started on the host.
//
// The host's first line is a [Greeting]. One [Request] follows, and the host answers with [Message]s, the last of which
// has an [End]. Whatever comes before the greeting is a login's, and is passed over. [Reader] bounds what one side accepts
// of the other.
package wire

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"frizzel/internal/rules"
)

// Version is the version of the language. Both sides must speak the same.
const Version = 1

// Limits on what one side accepts of the other, in bytes.
const (
	MaxLine  = 32 << 20  // one line
	MaxLogin = 64 << 10  // all before the greeting
	MaxTotal = 256 << 20 // all answers to a request
)

// Pulse is how often a host that is at work says that it lives.
const Pulse = 500 * time.Millisecond

// A Greeting is the first line of a host.
type Greeting struct {
	Fleet   int    `json:"frizzel_fleet"`
	Program string `json:"program"` // version of frizzel there
	Machine string `json:"machine,omitempty"`
	Boot    string `json:"boot,omitempty"`
	Store   string `json:"store,omitempty"` // identity of the directory of its history; "" if there is none yet
}

// An Op is what is to be done on a host.
type Op string

const (
	Preview Op = "preview"
	Apply   Op = "apply"
	Ask     Op = "ask" // what became of the run there
	Undo    Op = "undo"
	Keep    Op = "keep"
	Renew   Op = "renew"  // have the time of a hold begin anew
	Forget  Op = "forget" // the review that is kept
)

// A Request says what is to be done.
type Request struct {
	Op Op `json:"op"`
	// Run identifies the run over many hosts; "" for a preview that nothing follows.
	Run string `json:"run,omitempty"`

	Rules   *rules.Bundle     `json:"rules,omitempty"`
	Values  map[string]string `json:"values,omitempty"` // of parameters, for this host
	Differs []string          `json:"differs,omitempty"`
	Files   *Files            `json:"files,omitempty"`
	Context int               `json:"context,omitempty"`
	Hide    []string          `json:"hide,omitempty"`
	Answers []Answer          `json:"answers,omitempty"`

	Digest    string `json:"digest,omitempty"` // of the review to write
	Write     *Write `json:"write,omitempty"`
	KeepLater bool   `json:"keep_later,omitempty"`
}

// Files say which files are meant, as usecase.Files does.
type Files struct {
	Paths         []string `json:"paths"`
	Only          []string `json:"only,omitempty"`
	Not           []string `json:"not,omitempty"`
	Depth         int      `json:"depth,omitempty"`
	NoHidden      bool     `json:"no_hidden,omitempty"`
	NoDocuments   bool     `json:"no_documents,omitempty"`
	Follow        bool     `json:"follow,omitempty"`
	OneFileSystem bool     `json:"one_filesystem,omitempty"`
	MaxSize       int64    `json:"max_size,omitempty"`
	Encoding      string   `json:"encoding,omitempty"`
}

// Write says what happens around the writing, as usecase.Writing does.
type Write struct {
	Command   []string      `json:"command,omitempty"`
	Note      string        `json:"note,omitempty"`
	Beside    string        `json:"beside,omitempty"`
	After     string        `json:"after,omitempty"`
	Prove     string        `json:"prove,omitempty"`
	ProveFile string        `json:"prove_file,omitempty"`
	ProofTime time.Duration `json:"proof_time,omitempty"`
	Hold      time.Duration `json:"hold,omitempty"`
}

// A Key identifies a change of a file, as program.Key does.
type Key struct {
	Statement int `json:"s"`
	Origin    int `json:"o"`
	Nth       int `json:"n,omitempty"`
}

// An Answer is a person's answer to a change.
type Answer struct {
	Path  string `json:"path"`
	Key   Key    `json:"key"`
	Leave bool   `json:"leave,omitempty"`
	New   []byte `json:"new,omitempty"` // written instead, if it is not nil
}

// A Message is one line of a host.
type Message struct {
	Alive bool   `json:"alive,omitempty"`
	File  *File  `json:"file,omitempty"`
	Note  string `json:"note,omitempty"`
	End   *End   `json:"end,omitempty"`
}

// A File is a file that would change.
type File struct {
	Path    string   `json:"path"`
	To      string   `json:"to"` // its path afterwards
	Count   int      `json:"changes"`
	Diff    []byte   `json:"diff"`
	Rules   []int    `json:"rules,omitempty"`   // number of changes, by rule
	Changes []Change `json:"details,omitempty"` // for a review
}

// A Change is one change of a file, with the lines around it.
type Change struct {
	Key   Key    `json:"key"`
	Of    int    `json:"of,omitempty"` // script.Subject
	Rule  int    `json:"rule"`
	Line  int    `json:"line,omitempty"`
	Text  []byte `json:"text,omitempty"` // lines that the edits are against
	Edits []Edit `json:"edits,omitempty"`
	Value string `json:"value,omitempty"` // path of the value
}

// An Edit replaces a half-open range of bytes of a Change's Text.
type Edit struct {
	Start int    `json:"s"`
	End   int    `json:"e"`
	New   []byte `json:"n,omitempty"`
}

// A State is what became of a run on a host.
type State string

const (
	Nothing  State = "nothing"      // neither a review nor a run is there
	Reviewed State = "reviewed"     // the review is kept
	Writing  State = "writing"      // just now
	Refused  State = "refused"      // nothing was written, for the reason in Error
	Failed   State = "failed"       // a proof or a step failed, and everything was put back
	PutBack  State = "put back"     // it was cut off, and everything was put back
	Held     State = "on hold"      // written
	Done     State = "done"         // written
	Expired  State = "expired"      // nobody kept it in time, and it was undone
	Undone   State = "undone"       // by a later run
	Left     State = "left in part" // an undo left files alone, or a write could not put all back
)

// An End is the last message.
type End struct {
	Status  int       `json:"status"` // exit status
	Error   string    `json:"error,omitempty"`
	Digest  string    `json:"digest,omitempty"` // of the diff, before anything is hidden
	Read    int       `json:"read,omitempty"`   // number of files
	Files   int       `json:"files,omitempty"`  // that change
	Changes int       `json:"changes,omitempty"`
	Refuses []string  `json:"refuses,omitempty"`
	Remarks string    `json:"remarks,omitempty"` // summary of a preview
	Store   string    `json:"store,omitempty"`   // as in a Greeting, once there is one
	State   State     `json:"state,omitempty"`
	Run     string    `json:"run,omitempty"` // number of the run on the host
	Until   time.Time `json:"until,omitzero"`
	Output  string    `json:"output,omitempty"` // of commands and notes
}

// A Reader reads the lines of the other side.
type Reader struct {
	in   *bufio.Reader
	left int // bytes that may still come
}

// NewReader returns a reader of lines.
func NewReader(in io.Reader) *Reader { return &Reader{bufio.NewReaderSize(in, 64<<10), MaxTotal} }

// ErrTooMuch is the error of a side that sends more than is accepted.
var ErrTooMuch = errors.New("it sends more than is accepted")

// line returns the next line without its ending, of at most limit bytes.
func (r *Reader) line(limit int) ([]byte, error) {
	var line []byte
	for {
		part, err := r.in.ReadSlice('\n')
		line = append(line, part...)
		if r.left -= len(part); r.left < 0 || len(line) > limit {
			return nil, ErrTooMuch
		}
		if !errors.Is(err, bufio.ErrBufferFull) {
			return bytes.TrimRight(line, "\r\n"), err
		}
	}
}

// greetings is how the line of a greeting begins.
var greetings = []byte(`{"frizzel_fleet":`)

// Greeting reads lines up to a greeting.
func (r *Reader) Greeting() (*Greeting, error) {
	for passed := 0; ; {
		line, err := r.line(MaxLogin)
		if bytes.HasPrefix(line, greetings) {
			g := &Greeting{}
			if err := json.Unmarshal(line, g); err != nil {
				return nil, fmt.Errorf("its first line is no greeting: %w", err)
			}
			return g, nil
		}
		if err != nil {
			return nil, err
		}
		if passed += len(line) + 1; passed > MaxLogin {
			return nil, ErrTooMuch
		}
	}
}

// Read reads a line into to.
func (r *Reader) Read(to any) error {
	line, err := r.line(MaxLine)
	if err != nil && (len(line) == 0 || !errors.Is(err, io.EOF)) {
		return err
	}
	switch jsonErr := json.Unmarshal(line, to); {
	case jsonErr != nil && err != nil: // it was cut off
		return io.ErrUnexpectedEOF
	case jsonErr != nil:
		return fmt.Errorf("a line is not understood: %w", jsonErr)
	}
	return nil
}

// Send writes a value as a line.
func Send(out io.Writer, value any) error {
	line, err := json.Marshal(value)
	if err != nil {
		return err
	}
	_, err = out.Write(append(line, '\n'))
	return err
}
