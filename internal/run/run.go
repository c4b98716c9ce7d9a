// Package run applies a program to many files: it selects, reads and edits them in parallel and in bounded
// memory, and returns the results in the order of paths.
//
// The central type is [Plan]; [Plan.Do] executes it. Nothing is written to files.
package run

import (
	"context"
	"errors"
	"sync"

	"frizzel/core/document"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/names"
	"frizzel/internal/progress"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// A Plan is a program and a selection of files to run it over.
type Plan struct {
	Program     *program.Program
	Selection   selection.Selection
	Encoding    string          // encoding of all files; "" to use the script's or detect it
	NoDocuments bool            // omit office documents
	MaxSize     int64           // maximum size of a file in bytes; 0 for no limit
	Progress    *progress.Meter // nil for no reports
	Counting    bool            // Find counts matches, and keeps none
	// Writes means that the changes will be written, so each file's content needs a digest.
	Writes bool

	// Whole means that large files are read as a whole.
	Whole bool

	// Names is what the program calls files, once the plan was run; nil if it renames nothing.
	Names *names.Plan

	everything bool            // also the files that no rule is for
	finds      bool            // look in names as well
	blank      *program.Result // of contents that are not read

	window int64 // size in bytes of a large file's window; 0 for that of a digest's chunk
	asks   bool  // ask about each change
	kept   *spool.Spool
	once   sync.Once // for kept
}

// A Summary is the counts of a run.
type Summary struct {
	Read  int // number of files that were read
	Named int // number of names and targets of links that were looked at
	// Documents is the number of office documents among them.
	Documents int
	// Unknown is the number of files with an unknown encoding, counted if a pattern is not ASCII, because it
	// may have been missed in them.
	Unknown int
	Changed int
	Changes int
	Names   *names.Plan // nil if the program renames nothing
	Skipped []selection.Skip
	Notes   []FileNote
	Tally   *program.Tally
}

// A FileNote is a remark about a file.
type FileNote struct {
	Path string
	program.Note
}

// Do runs the plan. It calls take, in path order, for files that change and files that must not be written.
// take reports whether the changes are accepted. If not, the summary counts the file as unchanged. An error
// of take ends the run. Files that cannot be read are in the summary's Skipped.
func (p *Plan) Do(ctx context.Context, take func(*Result) (bool, error)) (*Summary, error) {
	if err := p.findNames(ctx); err != nil {
		return &Summary{Tally: p.Program.NewTally()}, err
	}
	p.Progress.Begin("reading")
	s, err := p.contentsOf(ctx, func(j *job, s *Summary) error { return p.take(j, s, take) })
	if s.Names = p.Names; s.Names != nil {
		s.Named = s.Names.Count
	}
	return s, err
}

// contents reads all contents, and calls take with each in path order.
func (p *Plan) contents(ctx context.Context, take func(*job) error) (*Summary, error) {
	return p.contentsOf(ctx, func(j *job, _ *Summary) error { return take(j) })
}

func (p *Plan) contentsOf(ctx context.Context, take func(*job, *Summary) error) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	var before program.Counters // used by sequential programs, which have one worker
	seen := map[disk.ID]bool{}
	// counted calls work with the counts of earlier files, unless the file is another name of one of them.
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
	}, func(j *job) error { return take(j, s) })
	return s, err
}

// edit runs the program over one file's text.
func (p *Plan) edit(j *job, text *textfile.File, before program.Counters) {
	step, end := p.Progress.Through(int64(len(text.Raw)))
	defer end()
	r := revision.Of(p.Program, text, program.Input{File: asFile(j.file), Before: before, Progress: step})
	var malformed *document.MalformedError
	if errors.As(r.Refuse, &malformed) { // it was so before the run, so it is left out like one that cannot be read
		j.skip = skipFor(j.file, &textfile.DocumentError{Err: malformed})
		return
	}
	j.made = r.Made
	if p.Program.Conditional() {
		j.sum = digest.Of(text.Raw)
	}
	if len(r.Raw) > 0 || r.Refuse != nil {
		j.result = &Result{At: j.file, Made: r.Made, Refuse: r.Refuse, revision: r, program: p.Program, before: digest.Of(text.Raw)}
	}
}

// take adds one file to the summary, with its changes if they are accepted.
func (p *Plan) take(j *job, s *Summary, take func(*Result) (bool, error)) error {
	j.counted = j.made
	p.name(j)
	if j.result != nil {
		taken, err := take(j.result)
		switch {
		case err != nil:
			return err
		case taken && j.result.Refuse == nil:
			if j.result.Writes() {
				s.Changed++
			}
			s.Changes += j.result.Changes()
		default: // expectations apply to the unchanged file
			none := j.result.Made
			if j.result.HasContent() {
				if none, err = p.none(j.result); err != nil {
					return err
				}
			}
			j.counted = p.declined(j, none)
		}
	}
	if j.counted == nil {
		return nil
	}
	s.Tally.Add(j.file.Path, j.counted)
	for _, n := range j.counted.Notes {
		s.Notes = append(s.Notes, FileNote{j.file.Path, n})
	}
	return nil
}

// none returns the program's result for a file if all changes are declined.
func (p *Plan) none(r *Result) (*program.Result, error) {
	in := program.Input{File: asFile(r.At)}
	if r.revision != nil {
		return revision.None(p.Program, r.revision.File, in), nil
	}
	return p.noneOfLarge(r.large, r.At, in)
}

func asFile(f selection.File) program.File { return program.File{Path: f.Path, Rel: f.Rel} }

// said returns what is known of a file's encoding before it is read.
func (p *Plan) said(f selection.File) textfile.Said {
	if p.Encoding != "" {
		return textfile.Said{Encoding: p.Encoding, Name: f.Name}
	}
	return textfile.Said{Encoding: p.Program.Encoding(asFile(f)), Name: f.Name}
}

// Errors of files that are not read as text.
var (
	errTooLarge = errors.New("larger than wanted")
	errOwn      = errors.New("a review that was kept")
	errOld      = errors.New("a document in an old format")
	errDocument = errors.New("a document, and none are wanted")
)

// skipFor returns the summary's entry for a file that cannot be read.
func skipFor(f selection.File, err error) *selection.Skip {
	var document *textfile.DocumentError
	switch {
	case errors.As(err, &document):
		return &selection.Skip{Path: f.Path, Reason: selection.Damaged, Err: err}
	case errors.Is(err, errOwn):
		return &selection.Skip{Path: f.Path, Reason: selection.Own}
	case errors.Is(err, errOld):
		return &selection.Skip{Path: f.Path, Reason: selection.OldKind}
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

// Unreadable returns the files and directories that could not be read.
func (s *Summary) Unreadable() []selection.Skip {
	var out []selection.Skip
	for _, k := range s.Skipped {
		if k.Reason == selection.Unreadable {
			out = append(out, k)
		}
	}
	return out
}

// Reasons returns the numbers of omitted files by reason.
func (s *Summary) Reasons() map[selection.Reason]int {
	n := map[selection.Reason]int{}
	for _, k := range s.Skipped {
		n[k.Reason]++
	}
	return n
}
