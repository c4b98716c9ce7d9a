// Package run applies a program to many files: it selects, reads and edits them in parallel and in bounded
// memory, and returns the results in the order of paths.
//
// The central type is [Plan]; [Plan.Do] executes it. Nothing is written to files.
package run

import (
	"context"
	"errors"
	"sync"

	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/progress"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// Plan says which rules are to run over which files.
type Plan struct {
	Program     *program.Program
	Selection   selection.Selection
	Encoding    string          // that all files are in; "" to tell by the script or the file
	NoDocuments bool            // leave out office documents
	MaxSize     int64           // bytes; larger files are left out; 0 for any
	Progress    *progress.Meter // nil to tell nobody
	// Writes says that the changes are to be written, so that what they are against must be told
	// from anything else.
	Writes bool

	window int64 // bytes of a window of a large file, 0 for as many as are summed up at once
	asks   bool  // each change is asked about
	kept   *spool.Spool
	once   sync.Once // for kept
}

// Summary counts what a plan came to.
type Summary struct {
	Read int // files, in whole
	// Documents are those of them that are office documents.
	Documents int
	// Unknown counts files in an encoding that they do not tell, if something is looked
	// for that is not ASCII, and so missed in them.
	Unknown int
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

// Do runs the plan. It calls take, in path order, for the files that change and for
// those that must not be written. take says whether the changes are taken: where
// they are not, the file counts as it is; an error of it ends the run. Files that
// cannot be read are among the summary's Skipped.
func (p *Plan) Do(ctx context.Context, take func(*Result) (bool, error)) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	p.Progress.Begin("reading")
	var before program.Counters // of a sequential program, which has one worker
	seen := map[disk.ID]bool{}
	// counted does the work on a file after those before it, unless it is another name of one.
	counted := func(j *job, work func(program.Counters) error) error {
		switch {
		case !p.Program.Sequential:
			return work(program.Counters{})
		case j.id != disk.ID{} && seen[j.id]:
			return nil
		}
		seen[j.id] = true
		err := work(before)
		if err == nil && j.made != nil {
			before = j.made.Counters
		}
		return err
	}
	err := p.all(ctx, s, worker{
		whole: func(j *job, text *textfile.File) {
			_ = counted(j, func(before program.Counters) error { p.edit(j, text, before); return nil })
		},
		large: func(ctx context.Context, j *job, l *large) (done bool, err error) {
			done = true
			err = counted(j, func(before program.Counters) error {
				done, err = p.editLarge(ctx, j, l, before)
				return err
			})
			return done, err
		},
	}, func(j *job) error { return p.take(j, s, take) })
	return s, err
}

// edit runs the program over one file's text.
func (p *Plan) edit(j *job, text *textfile.File, before program.Counters) {
	step, end := p.Progress.Through(int64(len(text.Raw)))
	defer end()
	r := revision.Of(p.Program, text, program.Input{File: asFile(j.file), Before: before, Progress: step})
	j.made = r.Made
	if len(r.Raw) > 0 || r.Refuse != nil {
		j.result = &Result{At: j.file, Made: r.Made, Refuse: r.Refuse, revision: r, program: p.Program, before: digest.Of(text.Raw)}
	}
}

// take counts one file, with its changes where they are taken.
func (p *Plan) take(j *job, s *Summary, take func(*Result) (bool, error)) error {
	if j.result != nil {
		taken, err := take(j.result)
		if err != nil {
			return err
		}
		if taken && j.result.Refuse == nil {
			s.Changed++
			s.Changes += j.result.Changes()
		} else { // what must hold of the files is asked of this one as it is
			if j.made, err = p.none(j.result); err != nil {
				return err
			}
		}
	}
	s.Tally.Add(j.file.Path, asFile(j.file), j.made)
	for _, n := range j.made.Notes {
		s.Notes = append(s.Notes, FileNote{j.file.Path, n})
	}
	return nil
}

// none returns the program's result for a file without any accepted change.
func (p *Plan) none(r *Result) (*program.Result, error) {
	in := program.Input{File: asFile(r.At)}
	if r.revision != nil {
		return revision.None(p.Program, r.revision.File, in), nil
	}
	return p.noneOfLarge(r.large, r.At, in)
}

func asFile(f selection.File) program.File { return program.File{Path: f.Path, Rel: f.Rel} }

// encodingOf returns the name of the encoding that the person or the script says a file is
// in, "" where the file is to tell.
func (p *Plan) encodingOf(f selection.File) string {
	if p.Encoding != "" {
		return p.Encoding
	}
	return p.Program.Encoding(asFile(f))
}

// Why a file is not read as text.
var (
	errTooLarge = errors.New("larger than wanted")
	errDocument = errors.New("a document, and none are wanted")
)

// skipFor returns what the summary says of a file that cannot be read.
func skipFor(f selection.File, err error) *selection.Skip {
	var document *textfile.DocumentError
	switch {
	case errors.As(err, &document):
		return &selection.Skip{Path: f.Path, Reason: selection.Damaged, Err: err}
	case errors.Is(err, errDocument):
		return &selection.Skip{Path: f.Path, Reason: selection.Document}
	case errors.Is(err, textfile.ErrBinary):
		return &selection.Skip{Path: f.Path, Reason: selection.Binary}
	case errors.Is(err, disk.ErrNotRegular):
		return &selection.Skip{Path: f.Path, Reason: selection.Special}
	case errors.Is(err, errTooLarge):
		return &selection.Skip{Path: f.Path, Reason: selection.TooLarge}
	}
	return &selection.Skip{Path: f.Path, Reason: selection.Unreadable, Err: err}
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

// Reasons counts the files left out by their reasons.
func (s *Summary) Reasons() map[selection.Reason]int {
	n := map[selection.Reason]int{}
	for _, k := range s.Skipped {
		n[k.Reason]++
	}
	return n
}
