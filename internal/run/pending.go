package run

import (
	"context"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/selection"
	"frizzel/internal/vault"
)

// Pending is a file's changes that wait for a person's answers. It does not hold on
// to the file's text.
type Pending struct {
	plan   *Plan
	before program.Counters
	first  *program.Result // what all rules made of it
	told   *program.Result // what the summary was told of it last

	File    selection.File
	Made    *program.Result // what is taken by now
	Change  vault.Change
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
		pending := &Pending{plan: p, before: before, first: r.Made, told: r.Made, File: r.File}
		pending.take(r)
		all = append(all, pending)
		if p.Program.Sequential() {
			before = r.Made.Counters
		}
		return true, nil
	})
	return all, s, err
}

// take makes a result the one that is taken.
func (p *Pending) take(r *Result) {
	p.Made, p.Refuse = r.Made, r.Refuse
	p.Changes = 0
	p.Change = vault.Change{Path: p.File.Path, Folder: p.File.Folder, Name: p.File.Name, Before: p.Change.Before}
	if r.Refuse != nil {
		return
	}
	if r.Before != (vault.Digest{}) {
		p.Change.Before = r.Before
	}
	p.Change.Edits, p.edits = r.Raw, r.Edits
	for _, n := range r.Made.Changes {
		p.Changes += n
	}
}

// Result returns what is taken with the file's text, to be shown.
func (p *Pending) Result() (*Result, error) {
	text, err := p.read()
	return &Result{File: p.File, Text: text, Edits: p.edits, Raw: p.Change.Edits, Made: p.Made, Before: p.Change.Before}, err
}

// read reads the file as it is now.
func (p *Pending) read() (*textfile.File, error) {
	j := &job{file: p.File}
	raw, err := j.read(nil)
	if err != nil {
		return nil, err
	}
	if digest := vault.DigestOf(raw); digest != p.Change.Before {
		p.Moved = true
		p.Change.Before = digest
	}
	encoding := p.plan.Encoding
	if encoding == "" {
		encoding = p.plan.Program.Encoding(asFile(p.File))
	}
	return textfile.Decode(raw, encoding)
}

// Decide runs the rules over the file as it is now, and asks about each change.
func (p *Pending) Decide(decide func(program.Proposal) program.Answer) error {
	text, err := p.read()
	if err != nil {
		return err
	}
	r := &Result{File: p.File, Text: text}
	r.Made = p.plan.Program.Run(program.Input{Text: text.Text, File: asFile(p.File), Before: p.before, Decide: decide})
	r.Edits = r.Made.Edits
	r.Raw, r.Refuse = text.Encode(r.Edits, r.Made.Encoding)
	if r.Refuse == nil && len(r.Made.Failures) > 0 {
		r.Refuse = &FailureError{r.Made.Failures[0]}
	}
	p.take(r)
	return nil
}

// Rules returns how many changes each rule made of the file as it was first read.
func (p *Pending) Rules() []int { return p.first.Changes }

// Proposed returns the text that the file would have.
func (p *Pending) Proposed() ([]byte, error) {
	text, err := p.read()
	if err != nil {
		return nil, err
	}
	raw := p.Change.Edits.Apply(text.Raw)
	fresh, err := textfile.Decode(raw, text.Encoding())
	if err != nil {
		return nil, err
	}
	return fresh.Text, nil
}

// Rewrite takes a text that a person wrote for the file.
func (p *Pending) Rewrite(fresh []byte) (*Result, error) {
	text, err := p.read()
	if err != nil {
		return nil, err
	}
	// What must hold is asked of the text that will stand there.
	r := &Result{File: p.File, Text: text, Edits: diff.Compare(text.Text, fresh), Made: p.plan.Program.Run(program.Input{
		Text: fresh, File: asFile(p.File), Before: p.before,
		Decide: func(program.Proposal) program.Answer { return program.Answer{Leave: true} },
	})}
	r.Raw, r.Refuse = text.Encode(r.Edits, "")
	p.take(r)
	p.Changes = len(r.Raw)
	return r, r.Refuse
}

// Settle brings a summary to what is taken by now.
func (s *Summary) Settle(all []*Pending) {
	for _, p := range all {
		f := asFile(p.File)
		s.Tally.Remove(p.File.Path, f, p.told)
		s.Tally.Add(p.File.Path, f, p.Made)
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
