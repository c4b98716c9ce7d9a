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
	"syscall"

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
	// Progress, where it is not nil, is told how many files are read so far.
	Progress func(read int)
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

// Found is what was found in one file.
type Found struct {
	File    selection.File
	Text    *textfile.File
	Matches []program.Match // in the order of their places, bytes of Text.Text
}

// job is one file on its way through a worker.
type job struct {
	file   selection.File
	skip   *selection.Skip
	inode  inode // of a file with several names
	done   chan struct{}
	result *Result
	made   *program.Result
	found  *Found
}

// inode tells files apart, whatever their names; zero for one with a single name.
type inode struct{ device, number uint64 }

// Do runs the plan. It calls each, in path order, for the files that change and for
// those that must not be written. each says whether the changes are taken: where
// they are not, the file counts as it is; an error of each ends the run. Files that
// cannot be read are among the summary's Skipped.
func (p *Plan) Do(ctx context.Context, each func(*Result) (bool, error)) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	var before program.Counters // of a sequential program, which has one worker
	err := p.all(ctx, s, func(j *job, text *textfile.File) {
		if !p.Program.Sequential() {
			p.edit(j, text, nil)
			return
		}
		p.edit(j, text, before)
		before = j.made.Counters
	}, func(j *job) error { return p.take(j, s, each) })
	return s, err
}

// Find looks for what the program asserts, or with changes for what its rules would
// change. It calls each, in path order, for every file that was read.
func (p *Plan) Find(ctx context.Context, changes bool, each func(*Found) error) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	err := p.all(ctx, s, func(j *job, text *textfile.File) {
		in := program.Input{Text: text.Text, File: asFile(j.file)}
		j.found = &Found{File: j.file, Text: text}
		if changes {
			j.found.Matches = p.Program.Matches(in)
		} else {
			j.found.Matches = p.Program.Find(in)
		}
	}, func(j *job) error {
		if len(j.found.Matches) > 0 {
			s.Changed++
			s.Changes += len(j.found.Matches)
		}
		return each(j.found)
	})
	return s, err
}

// all takes every file through work, by several workers, and then through take, in
// path order.
func (p *Plan) all(ctx context.Context, s *Summary, work func(*job, *textfile.File), take func(*job) error) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	workers := runtime.GOMAXPROCS(0)
	if p.Program.Sequential() {
		workers = 1
	}
	ordered := make(chan *job, 8*workers) // in path order
	jobs := make(chan *job, 8*workers)
	var walkErr error
	go func() {
		defer close(ordered)
		defer close(jobs)
		walkErr = p.walk(ctx, ordered, jobs)
	}()
	for range workers {
		go p.work(jobs, work)
	}
	if err := p.collect(ctx, ordered, s, take); err != nil {
		return err // whoever is at work still finds the context at its end
	}
	return walkErr
}

// walk hands out the files.
func (p *Plan) walk(ctx context.Context, ordered, jobs chan<- *job) error {
	send := func(to chan<- *job, j *job) error {
		select {
		case to <- j:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return p.Selection.Walk(ctx, func(f selection.File) error {
		if !p.Program.Selects(asFile(f)) {
			return send(ordered, &job{skip: &selection.Skip{Path: f.Path, Reason: selection.NotSelected}})
		}
		j := &job{file: f, done: make(chan struct{})}
		if err := send(ordered, j); err != nil {
			return err
		}
		return send(jobs, j)
	}, func(s selection.Skip) {
		_ = send(ordered, &job{skip: &s}) // the walk itself notices when it is to end
	})
}

func asFile(f selection.File) program.File { return program.File{Path: f.Path, Rel: f.Rel} }

// work reads files and does the work on each, one after the other.
func (p *Plan) work(jobs <-chan *job, work func(*job, *textfile.File)) {
	var buffer []byte
	for j := range jobs {
		buffer = p.one(j, buffer, work)
		close(j.done)
	}
}

// one reads a file into buffer and does the work on it. It returns the buffer for the
// next file, nil where the result holds on to it.
func (p *Plan) one(j *job, buffer []byte, work func(*job, *textfile.File)) []byte {
	raw, err := j.read(buffer[:0])
	if err != nil {
		j.skip = skipFor(j.file, err)
		return buffer
	}
	text, err := p.decode(j.file, raw)
	if err != nil {
		j.skip = skipFor(j.file, err)
		return raw
	}
	work(j, text)
	if j.result != nil || j.found != nil && len(j.found.Matches) > 0 {
		return nil
	}
	return raw
}

// decode turns a file's bytes into text, in the encoding that the person, the script
// or the file itself says.
func (p *Plan) decode(f selection.File, raw []byte) (*textfile.File, error) {
	encoding := p.Encoding
	if encoding == "" {
		encoding = p.Program.Encoding(asFile(f))
	}
	return textfile.Decode(raw, encoding)
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

// read reads the file into buffer, or a larger one. A link that took the file's place
// since the walk is not followed, and a pipe does not hold the run up.
func (j *job) read(buffer []byte) ([]byte, error) {
	path := j.file.Folder + "/" + j.file.Name
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
	if st, ok := info.Sys().(*syscall.Stat_t); ok && st.Nlink > 1 {
		j.inode = inode{uint64(st.Dev), uint64(st.Ino)}
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

// edit runs the program over one file's text.
func (p *Plan) edit(j *job, text *textfile.File, before program.Counters) {
	r := p.make(j.file, text, program.Input{Before: before})
	j.made = r.Made
	if len(r.Raw) > 0 || r.Refuse != nil {
		r.Before = vault.DigestOf(text.Raw)
		j.result = r
	}
}

// make runs the program over one file's text and carries the edits to its bytes.
// Before is left to be filled in.
func (p *Plan) make(f selection.File, text *textfile.File, in program.Input) *Result {
	in.Text, in.File = text.Text, asFile(f)
	made := p.Program.Run(in)
	r := &Result{File: f, Text: text, Edits: made.Edits, Made: made}
	switch {
	case len(made.Failures) > 0:
		r.Refuse = &FailureError{made.Failures[0]}
	case len(made.Edits) > 0 || made.Encoding != "":
		r.Raw, r.Refuse = text.Encode(r.Edits, made.Encoding)
	}
	if made.Encoding != "" && len(r.Raw) > 0 && text.Encoding() != made.Encoding {
		made.Changes[made.EncodedBy]++
	}
	return r
}

// FailureError is the error of a file for which a rule could not make what it was
// to write.
type FailureError struct {
	program.Note
}

func (e *FailureError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Text) }

// collect passes the jobs on in path order. A file that came under another name
// already is left out.
func (p *Plan) collect(ctx context.Context, ordered <-chan *job, s *Summary, take func(*job) error) error {
	names := map[inode]bool{}
	for j := range ordered {
		if j.done != nil {
			select {
			case <-j.done:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		if j.skip == nil && j.inode != (inode{}) {
			if names[j.inode] {
				j.skip = &selection.Skip{Path: j.file.Path, Reason: selection.Repeated}
			}
			names[j.inode] = true
		}
		if j.skip != nil {
			s.Skipped = append(s.Skipped, *j.skip)
			continue
		}
		s.Read++
		if p.Progress != nil {
			p.Progress(s.Read)
		}
		if err := take(j); err != nil {
			return err
		}
	}
	return ctx.Err()
}

// take counts one file, with its changes where each takes them.
func (p *Plan) take(j *job, s *Summary, each func(*Result) (bool, error)) error {
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
	return nil
}

// declined returns what the program makes of a file where no change is taken: what
// must hold of the files is asked of it as it is.
func (p *Plan) declined(j *job) *program.Result {
	return p.Program.Run(program.Input{
		Text: j.result.Text.Text, File: asFile(j.file),
		Decide: func(program.Proposal) program.Answer { return program.Answer{Leave: true} },
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
