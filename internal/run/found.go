package run

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"

	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// A Sought is the target of Find.
type Sought int

const (
	Assertions Sought = iota // matches of assertions
	Changes                  // places that rules would change
)

// A Sight has the matches in a file, or in a window of a large one.
type Sight struct {
	At      selection.File
	File    *textfile.File
	Matches []program.Match // in order; offsets are bytes of File.Text; nil if they are only counted
	Number  int             // of the matches
	Line    int             // number of the file's lines before File.Text
	Nth     int             // number of the file's matches before these
	// Apart means that lines between the previous window and this one are omitted.
	Apart bool
	Of    script.Subject // what the text is: a name is a text of one line

	window bool // its memory is used again
}

// Found has the matches in one file.
type Found struct {
	At   selection.File
	Kind disk.Kind

	sight      *Sight   // nil for a large file, and if the content was not read
	named      []*Sight // the name, and the target of a link
	unreadable []program.Note
	unseen     []program.Note
	made       *program.Result // nil for a large file
	large      *sought
}

// A sought is a large file and the way to search it.
type sought struct {
	*large
	plan  *Plan
	what  Sought
	count int // number of matches; -1 if they are not counted yet
}

// Find searches for matches of the program's assertions, or for changes of its rules. It calls show, in path
// order, for every file that was read.
func (p *Plan) Find(ctx context.Context, what Sought, show func(*Found) error) (*Summary, error) {
	s := &Summary{Tally: p.Program.NewTally()}
	p.Progress.Begin("reading")
	if what == Changes {
		p.asks = true
	}
	p.Names, p.finds = nil, p.Program.Named()
	work := worker{
		whole: func(j *job, text *textfile.File) {
			step, end := p.Progress.Through(int64(len(text.Raw)))
			defer end()
			in := program.Input{Text: text.Text, Document: revision.Document(text), File: asFile(j.file), Progress: step, Counting: p.Counting}
			matches, made := p.look(what, in)
			if err := exceeded(made); err != nil {
				j.skip = skipFor(j.file, err)
				return
			}
			j.found = &Found{At: j.file, sight: &Sight{At: j.file, File: text, Matches: matches, Number: made.Matched}}
			j.found.unreadable, j.found.made = made.Unreadable, made
			j.found.unseen = revision.Unseen(p.Program, text, in.File, func(in program.Input) ([]program.Match, *program.Result) { return p.look(what, in) })
		},
		large: func(_ context.Context, j *job, l *large) (bool, error) {
			j.found = &Found{At: j.file, large: &sought{l, p, what, -1}}
			return true, nil
		},
	}
	err := p.all(ctx, s, work, func(j *job) error {
		if j.found == nil {
			j.found = &Found{At: j.file, Kind: j.kind}
		}
		if p.finds {
			s.Named += p.findNamed(what, j)
		}
		var unread *readError
		if err := show(j.found); errors.As(err, &unread) {
			s.Read--
			s.Skipped = append(s.Skipped, *skipFor(j.file, unread.error))
			return nil
		} else if err != nil {
			return err
		}
		if j.found.made != nil {
			s.Tally.Looked(j.found.made)
		}
		n, err := j.found.Count()
		if errors.As(err, &unread) {
			s.Read--
			s.Skipped = append(s.Skipped, *skipFor(j.file, unread.error))
			return nil
		}
		if n > 0 {
			s.Changed++
			s.Changes += n
		}
		for _, n := range slices.Concat(j.found.unreadable, j.found.unseen) {
			s.Notes = append(s.Notes, FileNote{j.file.Path, n})
		}
		return err
	})
	return s, err
}

// findNamed looks in the name of a job's file, and in the target of a link. It returns the number of those that it looked at.
func (p *Plan) findNamed(what Sought, j *job) (count int) {
	add := func(of script.Subject, text string) {
		if !p.Program.Has(of) {
			return
		}
		count++
		in := program.Input{Of: of, Text: []byte(text), File: asFile(j.file)}
		if j.found.made != nil {
			in.Held = j.found.made.Held()
		}
		if matches, made := p.look(what, in); made.Matched > 0 {
			j.found.named = append(j.found.named, &Sight{At: j.file, File: textfile.OfLine(in.Text), Matches: matches, Number: made.Matched, Of: of})
		}
	}
	name := filepath.Base(j.file.Name)
	switch {
	case j.file.Linked: // its name is that of the link
	case j.kind == disk.Directory:
		add(script.DirectoryName, name)
	default:
		add(script.FileName, name)
	}
	if j.kind == disk.Link {
		if target, err := os.Readlink(j.file.Absolute()); err == nil {
			add(script.LinkTarget, target)
		}
	}
	return count
}

func (p *Plan) look(what Sought, in program.Input) ([]program.Match, *program.Result) {
	if what == Changes {
		return p.Program.Matches(in)
	}
	return p.Program.Find(in)
}

// exceeded returns why the matches of a text could not all be found.
func exceeded(made *program.Result) error {
	if !made.Exceeded {
		return nil
	}
	return errors.New(made.Failures[len(made.Failures)-1].Text)
}

// holds reports whether the file's text must stay in memory because it has matches.
func (f *Found) holds() bool { return f.sight != nil && len(f.sight.Matches) > 0 }

// Count returns the number of matches. It searches a large file for that, unless Each did.
func (f *Found) Count() (int, error) {
	n := 0
	for _, s := range f.named {
		n += s.Number
	}
	if f.sight != nil {
		return n + f.sight.Number, nil
	}
	if f.large == nil {
		return n, nil
	}
	if f.large.count < 0 {
		if err := f.Each(0, func(*Sight) error { return nil }); err != nil {
			return 0, err
		}
	}
	return n + f.large.count, nil
}

// Unseen reports whether something matches in a part of a document that its text does not show.
func (f *Found) Unseen() bool { return slices.ContainsFunc(f.unseen, unseen) }

// Unseen reports whether something matches in a part of a document that its text does not show.
func (s *Summary) Unseen() bool {
	return slices.ContainsFunc(s.Notes, func(n FileNote) bool { return unseen(n.Note) })
}

func unseen(n program.Note) bool { return n.Rule >= 0 && n.Line == 0 && n.Unchanged != nil }

// Lines returns the number of the file's lines, or 0 if it is unknown.
func (f *Found) Lines() int {
	if f.large == nil || len(f.large.regions) == 0 {
		return 0
	}
	last := f.large.regions[len(f.large.regions)-1]
	return last.line + last.lines
}

// Each calls show for each window of the file that contains matches or context lines of them. A small file is
// one window; a file without matches has none.
func (f *Found) Each(context int, show func(*Sight) error) error {
	for _, s := range f.named {
		if err := show(s); err != nil {
			return err
		}
	}
	if f.sight != nil {
		return show(f.sight)
	}
	if f.large == nil {
		return nil
	}
	l := f.large
	s := pass{large: l.large, work: func(w *pane) {
		in := program.Input{Text: w.Text, File: asFile(f.At), Window: &w.at, Counting: l.plan.Counting}
		w.made, w.res = l.plan.look(l.what, in)
	}}
	first, made := l.count < 0, l.plan.Program.NewResult()
	if !first {
		s.only = near(l.regions, context)
	}
	nth := 0
	var showErr error
	s.take = func(w *pane) error {
		if err := exceeded(w.res); err != nil {
			return err
		}
		matches, number := w.made.([]program.Match), w.res.Matched
		if first {
			made.Add(w.res, l.uncounted(w))
			l.plan.Progress.Add(int64(len(w.Raw)))
			l.regions = append(l.regions, regionOf(w, number))
		}
		showErr = show(&Sight{f.At, w.File, matches, number, w.at.Lines, nth, w.apart, script.Content, true})
		nth += number
		return showErr
	}
	err := l.again(f.At, s)
	switch {
	case first && err == nil:
		l.count, f.unreadable = nth, made.Unreadable
	case first:
		l.regions = nil
	}
	if err != nil && showErr == nil && l.ctx.Err() == nil {
		err = &readError{err}
	}
	return err
}

// A readError is the error of a large file that turns out to be unreadable while it is searched. It does not end the
// search of others.
type readError struct{ error }

func (e *readError) Unwrap() error { return e.error }
