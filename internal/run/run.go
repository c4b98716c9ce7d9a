// Package run takes a program through many files: select, read, edit, in parallel
// and in bounded memory, with results in path order.
//
// The central type is [Plan], what is to be done; [Plan.Do] does it. Nothing is
// written here.
package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime"
	"sync"

	"golang.org/x/sys/unix"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/selection"
	"frizzel/internal/vault"
)

// Plan says which rules are to run over which files.
type Plan struct {
	Program   *program.Program
	Selection selection.Selection
	Encoding  string // that all files are in; "" to tell by the script or the file
}

// Result is what the rules make of one file that they change, or that must not be
// written.
type Result struct {
	File   selection.File
	Text   *textfile.File
	Edits  edit.List // against Text.Text
	Raw    edit.List // the same against Text.Raw
	Made   *program.Result
	Before vault.Digest // of Text.Raw
	Refuse error        // why the file cannot be written
}

// Changes returns how many changes the rules made.
func (r *Result) Changes() int {
	n := 0
	for _, c := range r.Made.Changes {
		n += c
	}
	return n
}

// Change returns what the vault is to do.
func (r *Result) Change() vault.Change {
	return vault.Change{
		Path: r.File.Path, Folder: r.File.Folder, Name: r.File.Name, Before: r.Before, Edits: r.Raw,
	}
}

// Summary counts what a plan came to.
type Summary struct {
	Read    int // files, in whole
	Changed int
	Changes int
	Skipped []selection.Skip
	Notes   []FileNote
	Tally   *program.Tally
}

// FileNote is a remark about a file.
type FileNote struct {
	Path string
	program.Note
}

// job is one file on its way through a worker.
type job struct {
	file   selection.File
	skip   *selection.Skip
	result *Result
	made   *program.Result
	done   chan struct{}
}

// Do runs the plan. It calls each, in path order, for the files that change and for
// those that must not be written. each says whether the changes are taken: where
// they are not, the file counts as it is; an error of each ends the run. Files that
// cannot be read are among the summary's Skipped.
func (p *Plan) Do(ctx context.Context, each func(*Result) (bool, error)) (*Summary, error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	workers := runtime.GOMAXPROCS(0)
	if p.Program.Sequential() {
		workers = 1
	}
	ordered := make(chan *job, 8*workers) // in path order
	work := make(chan *job, 8*workers)
	var walkErr error
	go func() {
		defer close(ordered)
		defer close(work)
		walkErr = p.walk(ctx, ordered, work)
	}()
	var wg sync.WaitGroup
	for range workers {
		wg.Go(func() { p.work(work) })
	}
	s := &Summary{Tally: p.Program.NewTally()}
	err := p.collect(ctx, ordered, s, each)
	cancel()
	for range ordered { // let the walk end
	}
	wg.Wait()
	if err == nil {
		err = walkErr
	}
	return s, err
}

// walk hands out the files.
func (p *Plan) walk(ctx context.Context, ordered, work chan<- *job) error {
	send := func(j *job) error {
		select {
		case ordered <- j:
		case <-ctx.Done():
			return ctx.Err()
		}
		if j.skip != nil {
			return nil
		}
		work <- j
		return nil
	}
	return p.Selection.Walk(ctx, func(f selection.File) error {
		if !p.Program.Selects(asFile(f)) {
			return send(&job{skip: &selection.Skip{Path: f.Path, Reason: selection.NotSelected}})
		}
		return send(&job{file: f, done: make(chan struct{})})
	}, func(s selection.Skip) {
		_ = send(&job{skip: &s}) // the walk itself notices when it is to end
	})
}

func asFile(f selection.File) program.File { return program.File{Path: f.Path, Rel: f.Rel} }

// work takes files through the program, one after the other.
func (p *Plan) work(jobs <-chan *job) {
	var before program.Counters
	var buffer []byte
	for j := range jobs {
		raw, err := read(j.file, buffer[:0])
		if err != nil {
			j.skip = skipFor(j.file, err)
			close(j.done)
			continue
		}
		p.edit(j, raw, before)
		if j.made != nil {
			before = j.made.Counters
		}
		buffer = nil
		if j.result == nil { // nothing refers to it any more
			buffer = raw
		}
		close(j.done)
	}
}

// errSpecial is returned for what is no regular file.
var errSpecial = errors.New("special file")

func skipFor(f selection.File, err error) *selection.Skip {
	switch {
	case errors.Is(err, textfile.ErrBinary):
		return &selection.Skip{Path: f.Path, Reason: selection.Binary}
	case errors.Is(err, errSpecial):
		return &selection.Skip{Path: f.Path, Reason: selection.Special}
	}
	return &selection.Skip{Path: f.Path, Reason: selection.Unreadable, Err: err}
}

// read reads a file into buffer, or a larger one. A link that took the file's place
// since the walk is not followed, and a pipe does not hold the run up.
func read(f selection.File, buffer []byte) ([]byte, error) {
	path := f.Folder + "/" + f.Name
	file, err := os.OpenFile(path, os.O_RDONLY|unix.O_NOFOLLOW|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, errSpecial
	}
	if need := int(info.Size()) + 1; cap(buffer) < need {
		buffer = make([]byte, 0, need)
	}
	for {
		n, err := file.Read(buffer[len(buffer):cap(buffer)])
		buffer = buffer[:len(buffer)+n]
		if err == io.EOF {
			return buffer, nil
		}
		if err != nil {
			return nil, err
		}
		if len(buffer) == cap(buffer) { // the file has grown
			buffer = append(buffer, 0)[:len(buffer)]
		}
	}
}

// edit runs the program over one file's bytes.
func (p *Plan) edit(j *job, raw []byte, before program.Counters) {
	file := asFile(j.file)
	encoding := p.Encoding
	if encoding == "" {
		encoding = p.Program.Encoding(file)
	}
	text, err := textfile.Decode(raw, encoding)
	if err != nil {
		j.skip = skipFor(j.file, err)
		return
	}
	j.made = p.Program.Run(program.Input{Text: text.Text, File: file, Before: before})
	if len(j.made.Edits) == 0 && j.made.Encoding == "" && len(j.made.Failures) == 0 {
		return
	}
	r := &Result{File: j.file, Text: text, Edits: j.made.Edits, Made: j.made}
	r.Raw, r.Refuse = text.Encode(r.Edits, j.made.Encoding)
	if r.Refuse == nil && len(j.made.Failures) > 0 {
		r.Refuse = &FailureError{j.made.Failures[0]}
	}
	if len(r.Raw) == 0 && r.Refuse == nil {
		return
	}
	if j.made.Encoding != "" && r.Refuse == nil && text.Encoding() != j.made.Encoding {
		j.made.Changes[j.made.EncodedBy]++
	}
	r.Before = vault.DigestOf(raw)
	j.result = r
}

// FailureError is the error of a file for which a rule could not make what it was
// to write.
type FailureError struct {
	program.Note
}

func (e *FailureError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Text) }

// collect takes the jobs in path order.
func (p *Plan) collect(ctx context.Context, ordered <-chan *job, s *Summary, each func(*Result) (bool, error)) error {
	for j := range ordered {
		if j.skip == nil {
			select {
			case <-j.done:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		if j.skip != nil {
			s.Skipped = append(s.Skipped, *j.skip)
			continue
		}
		s.Read++
		if j.result != nil {
			taken, err := each(j.result)
			if err != nil {
				return err
			}
			if taken && j.result.Refuse == nil {
				s.Changed++
				s.Changes += j.result.Changes()
			} else {
				j.made = p.declined(j)
			}
		}
		s.Tally.Add(j.file.Path, asFile(j.file), j.made)
		for _, n := range j.made.Notes {
			s.Notes = append(s.Notes, FileNote{j.file.Path, n})
		}
	}
	return ctx.Err()
}

// declined returns what the program makes of a file where no change is taken: what
// must hold of the files is asked of it as it is.
func (p *Plan) declined(j *job) *program.Result {
	return p.Program.Run(program.Input{
		Text: j.result.Text.Text, File: asFile(j.file),
		Decide: func(program.Proposal) bool { return false },
	})
}

// Unreadable returns what could not be read.
func (s *Summary) Unreadable() []selection.Skip {
	var out []selection.Skip
	for _, k := range s.Skipped {
		if k.Reason == selection.Unreadable {
			out = append(out, k)
		}
	}
	return out
}

// Reasons counts what was left out, by its reason.
func (s *Summary) Reasons() map[selection.Reason]int {
	n := map[selection.Reason]int{}
	for _, k := range s.Skipped {
		n[k.Reason]++
	}
	return n
}
