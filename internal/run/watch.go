package run

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"

	"frizzel/core/document"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/names"
	"frizzel/internal/selection"
)

// A Watched is a file in which rules change something, or in which something is found, for a person who watches how
// rules take shape.
type Watched struct {
	At      selection.File
	Count   int      // number of changes or matches
	Pending *Pending // nil if it is a search

	plan *Plan
	what Sought
}

// Watch runs the plan and calls take, in path order, with each file that would change or has matches. It does not
// retain them.
func (p *Plan) Watch(ctx context.Context, what Sought, take func(Watched) error) (*Summary, error) {
	if what == Assertions {
		return p.Find(ctx, what, func(f *Found) error {
			n, err := f.Count()
			if err != nil || n == 0 {
				return err
			}
			return take(Watched{At: f.At, Count: n, plan: p, what: what})
		})
	}
	return p.pendings(ctx, func(pending *Pending) error {
		return take(Watched{At: pending.At, Count: pending.Changes, Pending: pending, plan: p, what: what})
	})
}

// Again returns a file that was found before, to be sampled under this plan.
func (p *Plan) Again(what Sought, at selection.File) Watched {
	return Watched{At: at, plan: p, what: what}
}

// ForReview says that a person is asked about each change. It must be called before the plan is used by several
// goroutines.
func (p *Plan) ForReview() { p.asks, p.Writes = true, true }

// A Sample has the first changes or matches of a file. A match is a proposal whose edit replaces it by itself.
type Sample struct {
	Watched
	Proposals []program.Proposal
	Whole     bool // the proposals are all
}

// errEnough ends the reading of a large file whose sample is complete.
var errEnough = errors.New("enough")

// Sample reads the file again and returns its first changes or matches, at most max, and all if the file is not large.
// Without any it returns nil. The watched file itself is not changed, so several goroutines may call Sample.
func (w Watched) Sample(ctx context.Context, max int) (*Sample, error) {
	s := &Sample{Watched: w, Whole: true}
	s.Count = 0
	if err := s.content(ctx, max); err != nil {
		return nil, err
	}
	if w.plan.Program.Named() {
		s.names(max)
	}
	if len(s.Proposals) == 0 {
		return nil, nil
	}
	return s, nil
}

// content samples what is in the file, if it is read.
func (s *Sample) content(ctx context.Context, max int) error {
	if at := asFile(s.At); s.kind() != disk.Regular || !s.plan.Program.Selects(at) || !s.plan.Program.Reads(at) {
		return nil
	}
	now, err := s.plan.reread(ctx, s.At)
	if now == nil || err != nil {
		return err
	}
	defer disk.Close(now)
	if s.what == Assertions {
		err = s.matches(ctx, now, max)
	} else {
		err = s.changes(ctx, now, max)
	}
	s.Whole = err == nil
	if errors.Is(err, errEnough) {
		err = nil
	}
	return err
}

// kind returns the kind of what was found.
func (w *Watched) kind() disk.Kind {
	if w.Pending != nil {
		return w.Pending.Kind()
	}
	info, err := os.Lstat(w.At.Absolute())
	switch {
	case err == nil && info.IsDir():
		return disk.Directory
	case err == nil && info.Mode()&os.ModeSymlink != 0:
		return disk.Link
	}
	return disk.Regular
}

// names samples what the file is called, and where a link leads.
func (s *Sample) names(max int) {
	if s.what == Assertions {
		j := &job{file: s.At, kind: s.kind(), found: &Found{At: s.At}}
		s.plan.findNamed(s.what, j)
		for _, sight := range j.found.named {
			s.take(sight, max)
		}
		return
	}
	var item *names.Item
	if s.Pending != nil {
		item = s.Pending.item
	} else if !s.At.Linked {
		item = names.One(s.plan.Program, s.At, s.kind())
	}
	if item == nil {
		return
	}
	if s.Pending == nil { // its content was not read
		made := s.plan.Program.NewResult()
		s.Pending = &Pending{plan: s.plan, At: s.At, first: made, told: made, Made: made, named: true}
	}
	s.Pending.item = item
	for _, p := range item.Proposals() {
		if s.Count++; len(s.Proposals) < max {
			s.Proposals = append(s.Proposals, p)
		}
	}
	s.Pending.rename()
}

// reread opens a file that was found before, and reads it unless it is large. It returns nil if the plan omits it.
func (p *Plan) reread(ctx context.Context, at selection.File) (*reader, error) {
	f, err := at.Reopen(disk.Real{})
	if err != nil {
		return nil, err
	}
	r := &reader{File: f}
	info, err := f.Stat()
	head := make([]byte, min(info.Size, textfile.HeadSize))
	if err == nil {
		_, err = f.ReadAt(head, 0)
	}
	if errors.Is(err, io.EOF) {
		err = nil
	}
	isDocument := document.Claims(at.Name, head)
	omitted := err == nil && p.omits(at, info, isDocument, head) != nil
	if err == nil && !omitted && !isDocument {
		err = r.open(ctx, p, at)
	}
	if err == nil && !omitted && r.large == nil {
		err = r.whole(p, at)
	}
	if err != nil || omitted {
		disk.Close(f)
		return nil, err
	}
	return r, nil
}

// changes samples the changes of rules.
func (s *Sample) changes(ctx context.Context, now *reader, max int) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	pending := &Pending{plan: s.plan, At: s.At}
	if s.Pending != nil {
		pending.before, pending.item = s.Pending.before, s.Pending.item
	}
	n := 0
	r, err := pending.run(ctx, now, program.Input{File: asFile(s.At), Before: pending.before, Decide: func(p program.Proposal) program.Answer {
		if n++; n <= max {
			p.Edits = p.Answered(program.Answer{}) // which stay valid
			s.Proposals = append(s.Proposals, p)
		} else if now.large != nil {
			cancel(errEnough)
		}
		return program.Answer{}
	}})
	if err != nil {
		if s.Count = n; errors.Is(context.Cause(ctx), errEnough) {
			return errEnough
		}
		return err
	}
	pending.take(r)
	s.Pending, s.Count = pending, n
	return nil
}

// matches samples the matches of assertions.
func (s *Sample) matches(ctx context.Context, now *reader, max int) error {
	found := &Found{At: s.At}
	if now.large != nil {
		found.large = &sought{now.large, s.plan, s.what, -1}
	} else {
		in := program.Input{Text: now.file.Text, Document: revision.Document(now.file), File: asFile(s.At)}
		matches, made := s.plan.look(s.what, in)
		if err := exceeded(made); err != nil {
			return err
		}
		found.sight = &Sight{At: s.At, File: now.file, Matches: matches, Number: made.Matched}
	}
	return found.Each(0, func(sight *Sight) error {
		if !s.take(sight, max) && now.large != nil {
			return errEnough
		}
		return nil
	})
}

// take adds the matches of a sight. It reports false if there are more than max.
func (s *Sample) take(sight *Sight, max int) bool {
	s.Count += sight.Number
	var around surroundings
	line, counted, text := sight.Line+1, 0, sight.File.Text
	for i, m := range sight.Matches {
		if len(s.Proposals) >= max {
			return false
		}
		line += bytes.Count(text[counted:m.Start], []byte("\n"))
		counted = m.Start
		p := program.Proposal{
			Key: program.Key{Origin: m.Start, Nth: sight.Nth + i}, Of: sight.Of, Rule: m.Rule, Line: line, Text: text,
			Edits: edit.List{{Start: m.Start, End: m.End, New: text[m.Start:m.End]}},
		}
		if sight.window {
			p = around.cut(p)
		}
		s.Proposals = append(s.Proposals, p)
	}
	return true
}
