package run

import (
	"context"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/revision"
	"frizzel/core/script"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/names"
	"frizzel/internal/selection"
)

// findNames finds what the program calls files, before the first file is read, since a directory's new name is part of the
// path of all that is in it. If that depends on contents, they are read twice.
func (p *Plan) findNames(ctx context.Context) (err error) {
	if p.Names = nil; !p.Program.Named() {
		return nil
	}
	var held func(string) []bool
	if p.Program.Conditional() {
		if held, err = p.conditions(ctx); err != nil {
			return err
		}
	}
	p.Progress.Begin("reading names")
	p.Names, err = names.Find(ctx, p.Program, &p.Selection, held)
	return err
}

// conditions reads all contents, and returns a function that tells which rules' conditions hold for a file.
func (p *Plan) conditions(ctx context.Context) (func(abs string) []bool, error) {
	p.Progress.Begin("reading")
	of := map[string][]bool{}
	_, err := p.contents(ctx, func(j *job) error {
		if j.made != nil {
			of[j.file.Absolute()] = j.made.Held()
		}
		return nil
	})
	return func(abs string) []bool { return of[abs] }, err
}

// visitor returns what makes jobs of what a walk comes upon.
func (p *Plan) visitor(order func(*job) error, work func(*job) error) selection.Visitor {
	named := func(item *names.Item) error {
		return order(&job{file: item.At, kind: item.Kind, item: item, named: true})
	}
	v := selection.Visitor{
		File: func(f selection.File) error { return p.visit(f, order, work) },
		Skip: func(s selection.Skip) {
			_ = order(&job{skip: &s}) // the walk checks ctx itself
		},
	}
	if p.Names == nil && !p.finds {
		return v
	}
	links := p.Program.Has(script.FileName) || p.Program.Has(script.LinkTarget) || !p.Program.Has(script.Content)
	v.Skip = func(s selection.Skip) {
		if s.Reason == selection.SymbolicLink && links {
			return // its name is looked at
		}
		_ = order(&job{skip: &s})
		if s.At == nil || p.Names == nil {
			return
		}
		for _, item := range p.Names.Below(s.At()) {
			_ = named(item)
		}
	}
	v.Name = func(n selection.Named) error {
		if p.finds {
			return order(&job{file: n.File, kind: n.Kind, named: true})
		}
		if item := p.Names.Of(n.Absolute()); item != nil {
			return named(item)
		}
		return nil
	}
	return v
}

// visit makes a job of a file.
func (p *Plan) visit(f selection.File, order func(*job) error, work func(*job) error) error {
	var item *names.Item
	if p.Names != nil && !f.Linked {
		item = p.Names.Of(f.Absolute())
	}
	selected := p.everything || p.Program.Selects(asFile(f))
	switch {
	case selected && (p.everything || p.Program.Reads(asFile(f))):
		return work(&job{file: f, item: item, done: make(chan struct{})})
	case !selected:
		if err := order(&job{skip: &selection.Skip{Path: f.Path, Reason: selection.NotSelected}}); err != nil {
			f.Drop()
			return err
		}
	}
	f.Drop()
	if selected || item != nil {
		return order(&job{file: f, item: item, named: true})
	}
	return nil
}

// name adds what the program calls a file to its job: to the counts, and to what is shown and written. made is what the
// rules made of the content, nil if it was not read.
func (p *Plan) name(j *job) {
	if p.Names == nil {
		return
	}
	var held []bool
	if j.made != nil {
		held = j.made.Held()
	}
	called := p.Names.Result(&j.file, j.item, held)
	if j.made == nil && p.blank == nil {
		p.blank = p.Program.NewResult()
	}
	if j.made != nil {
		both := j.made.Clone()
		both.Join(called)
		called = both
	}
	j.counted = called
	moved := p.Names.Moved(&j.file, j.item)
	if j.result == nil && (moved || j.item != nil && (j.item.Changes() > 0 || j.item.Refuse() != nil)) {
		made := j.made
		if made == nil {
			made = p.blank
		}
		j.result = &Result{At: j.file, Made: made, revision: noRevision(made), named: true}
	}
	if j.result == nil {
		return
	}
	j.result.names, j.result.item = p.Names, j.item
	if j.item != nil && j.result.Refuse == nil {
		j.result.Refuse = j.item.Refuse()
	}
	if j.sum != (digest.Digest{}) && p.Program.Conditional() {
		j.result.before = j.sum
	}
}

// noRevision returns the revision of a file whose content is not looked at.
func noRevision(made *program.Result) *revision.Revision {
	return &revision.Revision{File: textfile.OfLine(nil), Made: made}
}

// declined returns what the counts of a file are if nothing of it changes; made is what is left of its content's.
func (p *Plan) declined(j *job, made *program.Result) *program.Result {
	if p.Names == nil {
		return made
	}
	if j.item != nil {
		for _, t := range j.item.Texts() {
			t.Left = true
		}
	}
	called := p.Names.Result(&j.file, j.item, made.Held())
	made = made.Clone()
	made.Join(called)
	return made
}

// Kind returns the kind of what changes.
func (r *Result) Kind() disk.Kind {
	if r.item == nil {
		return disk.Regular
	}
	return r.item.Kind
}

// HasContent reports whether the content changes, and not only the name.
func (r *Result) HasContent() bool { return !r.named }

// NewPath returns the path that the file has afterwards, which may be the same.
func (r *Result) NewPath() string {
	if r.names == nil {
		return r.At.Path
	}
	return r.names.Path(&r.At, r.item)
}

// Target returns the text of a symbolic link before and after.
func (r *Result) Target() (old, now string) { return r.item.Target.Old, r.item.Target.Now() }

// Texts returns the names, and the target, that change by themselves.
func (r *Result) Texts() (all []*names.Text) {
	if r.item == nil {
		return nil
	}
	for _, t := range r.item.Texts() {
		if t.Changes() {
			all = append(all, t)
		}
	}
	return all
}

// Writes reports whether there is anything to write for the file itself: one that only moves with its directory has nothing.
func (r *Result) Writes() bool { return !r.named || r.item != nil && r.item.Changes() > 0 }

// nameChange adds the new name to the change of a content, or returns that of the name alone.
func (r *Result) nameChange(c change.Change) change.Change {
	if r.item == nil {
		return c
	}
	if r.named {
		only := r.item.Change()
		only.Before = r.before
		return only
	}
	if r.item.Name.Changes() {
		c.NewName = r.item.Name.Now()
		c.Rules = ruled(c.Rules, r.item.Change())
	}
	return c
}

// ruled returns rules with those of a change, each once.
func ruled(rules []int, c change.Change) []int {
	for _, rule := range c.Rules {
		if !slices.Contains(rules, rule) {
			rules = append(rules, rule)
		}
	}
	return rules
}

// Similarity returns how much of the content stays, in percent; 100 only if all of it does.
func (r *Result) Similarity() int {
	if r.item != nil && r.item.Kind == disk.Link {
		return similarity(int64(len(r.item.Target.Old)), r.item.Target.Edits())
	}
	if r.named {
		return 100
	}
	size := int64(0)
	if r.revision != nil {
		size = int64(len(r.revision.File.Raw))
	} else {
		size = r.large.windows.Size
	}
	return similarity(size, r.contentChange().Edits)
}

func similarity(size int64, edits edit.Source) int {
	if edits == nil || edits.Len() == 0 {
		return 100
	}
	kept, now := size, size
	for e, err := range edits.All() {
		if err != nil {
			break
		}
		kept -= int64(e.End - e.Start)
		now += int64(len(e.New) - (e.End - e.Start))
	}
	return int(min(99*max(kept, 0)/max(size, now, 1), 99))
}
