package run

import (
	"context"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// Pending is a file's changes that wait for a person's answers. It does not hold on
// to the file's text.
type Pending struct {
	plan   *Plan
	before program.Counters
	first  *program.Result // what all rules made of it
	told   *program.Result // what the summary was told of it last

	At      selection.File
	Made    *program.Result // what is taken by now
	Change  change.Change
	Changes int
	edits   edit.List // of the text, as Change.Edits are of the bytes
	Refuse  error
	// Moved is set where the file was found to have changed on disk; what is taken
	// is of its new content.
	Moved bool
}

// Collect runs the plan and keeps what the rules change, for answers to come later.
func (p *Plan) Collect(ctx context.Context) ([]*Pending, *Summary, error) {
	var all []*Pending
	var before program.Counters
	s, err := p.Do(ctx, func(r *Result) (bool, error) {
		pending := &Pending{plan: p, before: before, first: r.Made, told: r.Made, At: r.At}
		pending.take(r)
		all = append(all, pending)
		if p.Program.Sequential {
			before = r.Made.Counters
		}
		return true, nil
	})
	return all, s, err
}

// take makes a result the one that is taken: its edits, and what they are against.
func (p *Pending) take(r *Result) {
	p.Moved = p.Moved || p.Made != nil && r.Before != p.Change.Before
	p.Made, p.Refuse, p.edits = r.Made, r.Refuse, r.Text
	p.Change, p.Changes = r.Change(), r.Changes()
}

// read reads the file as it is now.
func (p *Pending) read() (*textfile.File, change.Digest, error) {
	f, err := p.At.Reopen(disk.Real{})
	if err != nil {
		return nil, change.Digest{}, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err != nil {
		return nil, change.Digest{}, err
	}
	raw, err := disk.ReadAll(f, info.Size)
	if err != nil {
		return nil, change.Digest{}, err
	}
	text, err := textfile.Decode(raw, p.plan.encodingOf(p.At))
	return text, change.DigestOf(raw), err
}

// Decide runs the rules over the file as it is now, and asks about each change; nil
// takes all.
func (p *Pending) Decide(decide func(program.Proposal) program.Answer) error {
	text, digest, err := p.read()
	if err != nil {
		return err
	}
	in := program.Input{File: asFile(p.At), Before: p.before, Decide: decide}
	p.take(&Result{At: p.At, Revision: revision.Of(p.plan.Program, text, in), Before: digest})
	return nil
}

// Result returns what is taken with the file's text, to be shown. Where the file has
// changed on disk, that is what all rules make of what it holds now.
func (p *Pending) Result() (*Result, error) {
	for {
		text, digest, err := p.read()
		if err != nil {
			return nil, err
		}
		if digest == p.Change.Before {
			return &Result{At: p.At, Before: digest, Revision: &revision.Revision{
				File: text, Text: p.edits, Raw: p.Change.Edits, Made: p.Made,
			}}, nil
		}
		if err := p.Decide(nil); err != nil {
			return nil, err
		}
	}
}

// Edits returns what is taken, against the file's text.
func (p *Pending) Edits() edit.List { return p.edits }

// Rules returns how many changes each rule made of the file as it was first read.
func (p *Pending) Rules() []int { return p.first.Changes }

// Proposed returns the text that the file would have.
func (p *Pending) Proposed() ([]byte, error) {
	r, err := p.Result()
	if err != nil {
		return nil, err
	}
	return r.Text.Apply(r.File.Text), nil
}

// Rewrite takes a text that a person wrote for the file.
func (p *Pending) Rewrite(fresh []byte) (*Result, error) {
	text, digest, err := p.read()
	if err != nil {
		return nil, err
	}
	in := program.Input{File: asFile(p.At), Before: p.before}
	r := &Result{At: p.At, Revision: revision.ByHand(p.plan.Program, text, fresh, in), Before: digest}
	p.take(r)
	p.Changes = len(r.Raw)
	return r, r.Refuse
}

// Settle brings a summary to what is taken by now.
func (s *Summary) Settle(all []*Pending) {
	for _, p := range all {
		f := asFile(p.At)
		s.Tally.Remove(p.At.Path, f, p.told)
		s.Tally.Add(p.At.Path, f, p.Made)
		p.told = p.Made
	}
	s.Changed, s.Changes = 0, 0
	for _, p := range all {
		if len(p.Change.Edits) > 0 {
			s.Changed++
			s.Changes += p.Changes
		}
	}
}
