package run

import (
	"bytes"
	"context"
	"errors"
	"io"

	"frizzel/core/document"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/textfile"
	"frizzel/core/tree"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/names"
	"frizzel/internal/selection"
)

// A Pending is a file with changes that wait for a person's answers. It does not retain the file's text.
type Pending struct {
	plan   *Plan
	before program.Counters
	first  *program.Result // the result of all rules
	told   *program.Result // the result that the summary counts
	large  *edited         // the edits of a large file
	finder *tree.Finder
	places map[int]string // places of a document's changed lines
	edits  edit.List      // the edits of the text; Change.Edits are against the bytes
	item   *names.Item    // what the file is called, or nil
	named  bool           // only the name, or a link's target, changes
	taken  bool           // Change is set

	content int // number of accepted changes of the content

	At      selection.File
	Made    *program.Result // the result of the accepted changes
	Change  change.Change
	Changes int
	Refuse  error
	// Moved is set if the file changed on disk. The accepted changes then apply to the new content.
	Moved bool
}

// Collect runs the plan and returns the changed files, for a review.
func (p *Plan) Collect(ctx context.Context) (all []*Pending, s *Summary, err error) {
	p.ForReview()
	s, err = p.pendings(ctx, func(pending *Pending) error {
		all = append(all, pending)
		return nil
	})
	return all, s, err
}

// pendings runs the plan and calls take, in path order, with each changed file.
func (p *Plan) pendings(ctx context.Context, take func(*Pending) error) (*Summary, error) {
	var before program.Counters
	return p.Do(ctx, func(r *Result) (bool, error) {
		if !r.Writes() { // it moves with a directory, and there is nothing to answer
			return true, nil
		}
		pending := &Pending{plan: p, before: before, At: r.At, item: r.item, named: r.named}
		if r.named {
			pending.Change.Before = r.before
		}
		pending.take(r)
		pending.first = pending.counted()
		pending.told = pending.first
		if p.Program.Sequential && !r.named {
			before = r.Made.Counters
		}
		return true, take(pending)
	})
}

// Listed returns a file as one whose changes a person writes, before any is made: made is what the rules made of it, or nil.
func (p *Plan) Listed(at selection.File, made *program.Result) *Pending {
	if made == nil {
		made = p.Program.NewResult()
	}
	return &Pending{plan: p, first: made, told: made, Made: made, At: at}
}

// Named makes what a person called a file one of its accepted changes. The plan's Names have the item. only means that the
// content stays.
func (p *Pending) Named(item *names.Item, only bool) {
	if p.item, p.named = item, only; only {
		p.Change = change.Change{}
	}
	p.rename()
}

// take makes r the accepted result.
func (p *Pending) take(r *Result) {
	defer p.rename()
	p.Made, p.Refuse = r.Made, r.Refuse
	if p.named {
		return
	}
	content := *r
	content.item = nil
	c := content.Change()
	p.Moved = p.Moved || p.taken && (c.Before != p.Change.Before || c.Print != p.Change.Print)
	p.large, p.edits, p.taken = r.large, nil, true
	if r.revision != nil {
		p.edits = r.revision.Text
		p.placed(r.revision)
	}
	p.Change, p.content = c, content.Changes()
}

// rename adds what the file is called to the accepted changes.
func (p *Pending) rename() {
	if p.Changes = p.content; p.item == nil {
		return
	}
	p.Changes += p.item.Changes()
	only := p.item.Change()
	if p.named {
		only.Before = p.Change.Before
		p.Change = only
		return
	}
	p.Change.NewName = only.NewName
	p.Change.Rules = ruled(p.Change.Rules, only)
}

// placed records the places of a document's changed lines.
func (p *Pending) placed(r *revision.Revision) {
	if r.File.Document == nil {
		return
	}
	if p.places == nil {
		p.places = map[int]string{}
	}
	line, at := 1, 0
	for _, e := range r.Text {
		line += bytes.Count(r.File.Text[at:e.Start], []byte("\n"))
		at = e.Start
		p.places[line] = r.File.Document.Place(line)
	}
}

// IsDocument reports whether the file is an office document.
func (p *Pending) IsDocument() bool { return p.places != nil }

// A reader is a file that is read again: its content, or the open file if it is large.
type reader struct {
	file   *textfile.File
	digest digest.Digest
	large  *large
	disk.File
}

// read opens the current file, and reads it unless it is large.
func (p *Pending) read(ctx context.Context) (*reader, error) {
	f, err := p.At.Reopen(disk.Real{})
	if err != nil {
		return nil, err
	}
	r := &reader{File: f}
	if p.large != nil {
		err = r.open(ctx, p.plan, p.At)
	}
	if err == nil && r.large == nil {
		err = r.whole(p.plan, p.At)
	}
	if err != nil {
		disk.Close(f)
		return nil, err
	}
	return r, nil
}

// open sets the reader to a large file, if the file is still large.
func (r *reader) open(ctx context.Context, plan *Plan, at selection.File) error {
	info, err := r.Stat()
	if err != nil {
		return err
	}
	head := make([]byte, min(info.Size, textfile.HeadSize))
	n, err := r.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	r.large, err = plan.largeFile(ctx, at, r.File, info, head[:n])
	return err
}

// whole reads the whole file.
func (r *reader) whole(plan *Plan, at selection.File) error {
	info, err := r.Stat()
	if err != nil {
		return err
	}
	raw, err := disk.ReadAll(r.File, info.Size)
	if err != nil {
		return err
	}
	r.digest = digest.Of(raw)
	r.file, err = plan.decode(at, document.Claims(at.Name, raw[:min(len(raw), textfile.HeadSize)]), raw)
	return err
}

// Decide runs the rules over the current file and calls decide with each change. A nil decide accepts all.
func (p *Pending) Decide(ctx context.Context, decide func(program.Proposal) program.Answer) error {
	if p.item == nil {
		return p.decide(ctx, decide)
	}
	if !p.named {
		if err := p.decide(ctx, decide); err != nil {
			return err
		}
		p.plan.Names.Again(p.item, p.Made.Held())
	}
	p.item.Decide(decide)
	p.plan.Names.Settle()
	p.rename()
	return nil
}

// decide runs the rules over the current content.
func (p *Pending) decide(ctx context.Context, decide func(program.Proposal) program.Answer) error {
	now, err := p.read(ctx)
	if err != nil {
		return err
	}
	defer disk.Close(now)
	r, err := p.run(ctx, now, program.Input{File: asFile(p.At), Before: p.before, Decide: decide})
	if err == nil {
		p.take(r)
	}
	return err
}

// run runs the rules over the file that was read.
func (p *Pending) run(ctx context.Context, now *reader, in program.Input) (*Result, error) {
	if now.large != nil {
		if in.Decide != nil { // ask one question at a time
			now.large.how.Order = program.InOrder
		}
		e, made, refuse, err := p.plan.edited(ctx, now.large, in)
		if !errors.Is(err, errVanishes) {
			return &Result{At: p.At, Made: made, Refuse: refuse, large: e}, err
		}
		if err := now.whole(p.plan, p.At); err != nil {
			return nil, err
		}
	}
	made := revision.Of(p.plan.Program, now.file, in)
	return &Result{At: p.At, Made: made.Made, Refuse: made.Refuse, revision: made, program: p.plan.Program, before: now.digest}, nil
}

// Result returns the accepted changes with the file's text, for display. If the file changed on disk, it
// returns the result of all rules for the new content.
func (p *Pending) Result(ctx context.Context) (*Result, error) {
	if p.named {
		return &Result{At: p.At, Made: p.Made, revision: noRevision(p.Made), names: p.plan.Names, item: p.item, named: true}, nil
	}
	r, err := p.result(ctx)
	if err == nil {
		r.names, r.item = p.plan.Names, p.item
	}
	return r, err
}

func (p *Pending) result(ctx context.Context) (*Result, error) {
	for {
		now, err := p.read(ctx)
		if err != nil {
			return nil, err
		}
		disk.Close(now)
		switch {
		case now.large != nil && p.large != nil && now.large.info == p.large.info:
			return &Result{At: p.At, Made: p.Made, large: p.large}, nil
		case now.file != nil && p.large == nil && now.digest == p.Change.Before:
			raw, _ := p.Change.Edits.(edit.List)
			return &Result{At: p.At, Made: p.Made, before: now.digest, program: p.plan.Program, revision: &revision.Revision{
				File: now.file, Text: p.edits, Raw: raw, Made: p.Made,
			}}, nil
		}
		if err := p.decide(ctx, nil); err != nil {
			return nil, err
		}
	}
}

// ValueAt returns the path of the value that contains a byte of a text of the file; for a document, the place
// of the byte's line; or "".
func (p *Pending) ValueAt(text []byte, at int) string {
	if p.places != nil {
		return p.places[1+bytes.Count(text[:at], []byte("\n"))]
	}
	if p.finder == nil {
		p.finder = p.plan.Program.Finder(asFile(p.At))
	}
	return p.finder.At(text, at)
}

// counted returns the counts of the accepted changes, of the content and of the name.
func (p *Pending) counted() *program.Result {
	if p.plan.Names == nil {
		return p.Made
	}
	made := p.Made.Clone()
	made.Join(p.plan.Names.Result(&p.At, p.item, p.Made.Held()))
	return made
}

// Kind returns the kind of what changes.
func (p *Pending) Kind() disk.Kind {
	if p.item == nil {
		return disk.Regular
	}
	return p.item.Kind
}

// HasContent reports whether the content changes, and not only the name.
func (p *Pending) HasContent() bool { return !p.named }

// NewPath returns the path that the file has afterwards, which may be the same.
func (p *Pending) NewPath() string {
	if p.plan.Names == nil {
		return p.At.Path
	}
	return p.plan.Names.Path(&p.At, p.item)
}

// Broken reports whether the accepted changes would be refused because the resulting file would be
// invalid, or cannot get its name.
func (p *Pending) Broken() bool {
	if p.item != nil && p.plan.Names.Problem(p.item) != "" {
		return true
	}
	return p.Refuse != nil || len(p.Made.Broken)+len(p.Made.Unreadable) > 0
}

// Edits returns the accepted changes against the text. The file must not be large.
func (p *Pending) Edits() edit.List { return p.edits }

// Large reports whether the file is read in windows, and its edits are not held in memory.
func (p *Pending) Large() bool { return p.large != nil }

// Rules returns the numbers of changes, indexed by rule, when the file was first read.
func (p *Pending) Rules() []int { return p.first.Changes }

// ErrLarge is the error for a file that is too large to edit by hand.
var ErrLarge = errors.New("the file is too large to be written by hand; take or leave its changes one by one")

// ErrName is the error of a name, which is not edited as a file is.
var ErrName = errors.New("only the name changes: write another one instead of it")

// Proposed returns the file's text with the accepted changes. The error is ErrLarge if it is too large for
// memory.
func (p *Pending) Proposed(ctx context.Context) ([]byte, error) {
	r, err := p.Result(ctx)
	if err != nil {
		return nil, err
	}
	file, edits, ok := r.Held()
	if !ok {
		return nil, ErrLarge
	}
	return edits.Apply(file.Text), nil
}

// Rewrite replaces the accepted changes by a text that a person wrote. It returns the file's text, and the
// edits that produce the new one.
func (p *Pending) Rewrite(ctx context.Context, fresh []byte) (old []byte, edits edit.List, err error) {
	if p.named {
		return nil, nil, ErrName
	}
	now, err := p.read(ctx)
	if err != nil {
		return nil, nil, err
	}
	defer disk.Close(now)
	if now.large != nil {
		return nil, nil, ErrLarge
	}
	in := program.Input{File: asFile(p.At), Before: p.before}
	made := revision.ByHand(p.plan.Program, now.file, fresh, in)
	p.take(&Result{At: p.At, Made: made.Made, Refuse: made.Refuse, revision: made, before: now.digest})
	p.content = len(made.Raw)
	p.rename()
	return now.file.Text, made.Text, made.Refuse
}

// Text reads the file, which must have a digest. The error is a *change.ChangedError if it has another one.
func (p *Pending) Text(ctx context.Context, want digest.Digest) (*textfile.File, error) {
	now, err := p.read(ctx)
	if err != nil {
		return nil, err
	}
	disk.Close(now)
	if now.digest != want {
		return nil, &change.ChangedError{Path: p.At.Path}
	}
	return now.file, nil
}

// Recount updates the summary with the changes accepted so far.
func (s *Summary) Recount(all []*Pending) {
	for _, p := range all {
		now := p.counted()
		s.Tally.Remove(p.At.Path, p.told)
		s.Tally.Add(p.At.Path, now)
		p.told = now
	}
	s.Changed, s.Changes = 0, 0
	for _, p := range all {
		if p.Change.Count() > 0 {
			s.Changed++
			s.Changes += p.Changes
		}
	}
}
