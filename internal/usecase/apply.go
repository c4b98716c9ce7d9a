package usecase

import (
	"context"
	"fmt"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// ApplyOptions are the options of Apply.
type ApplyOptions struct {
	Rules *rules.Compiled
	Plan  *run.Plan
	Write Writing
	// Show is called for each changed file, in path order, if no questions are asked.
	Show func(*run.Result) error
	// Ask, if it is not nil, asks a person about all files that would change, and
	// reports whether to write the accepted changes. refused returns why they would not be written.
	Ask func(ctx context.Context, all []*run.Pending, refused func() []string) (bool, error)
	// SkipUnreadable omits files that cannot be read instead of failing.
	SkipUnreadable bool
	// Ready is called before anything is written.
	Ready func(*Applied) error
}

// Applied is the result of Apply.
type Applied struct {
	Summary *run.Summary
	Refuses []string      // why nothing was written
	Run     *store.Record // nil if nothing was written
	Files   int           // written
}

// taken gathers the accepted changes.
type taken struct {
	changes change.Spooled
	count   int // of changes in them
}

// Apply runs rules, asks, and writes the accepted changes. If something speaks against writing
// the error is a refusal, or an *UnreadableError.
func Apply(ctx context.Context, o ApplyOptions) (*Applied, error) {
	a := &Applied{}
	o.Plan.Writes = true
	if _, err := Recover(ctx, o.Write); err != nil { // the files must not be half of another run
		return a, err
	}
	collect := o.all
	if o.Ask != nil {
		collect = o.asked
	}
	t := &taken{}
	err := collect(ctx, a, t)
	if err != nil {
		return a, err
	}
	a.Refuses = append(a.Refuses, namesRefused(o.Plan)...)
	a.Refuses = append(a.Refuses, a.Summary.Tally.Unmet()...)
	if o.Write.Into != "" {
		if err := o.moved(t); err != nil {
			return a, err
		}
	}
	if o.Ready != nil {
		if err := o.Ready(a); err != nil {
			return a, err
		}
	}
	if len(a.Refuses) > 0 {
		return a, exit.Refusals(a.Refuses)
	}
	if bad := a.Summary.Unreadable(); len(bad) > 0 && !o.SkipUnreadable {
		return a, &UnreadableError{len(bad)}
	}
	a.Run, err = o.Write.write(ctx, transaction.Intent{Kind: store.Apply, Rules: o.Rules.Labels, Changes: t.count}, &t.changes)
	if a.Run != nil {
		a.Files = t.changes.Len()
	}
	return a, err
}

// moved adds the files and links that only move with a directory, for a run that writes copies: in the directory of those
// they have their new paths, too.
func (o *ApplyOptions) moved(t *taken) error {
	if o.Plan.Names == nil {
		return nil
	}
	written := map[string]bool{}
	for c, err := range t.changes.All() {
		if err != nil {
			return err
		}
		written[c.Absolute()] = true
	}
	for _, item := range o.Plan.Names.Items {
		if item.Kind != disk.Directory && !written[item.At.Absolute()] && o.Plan.Names.Moved(&item.At, item) {
			if err := t.changes.Add(item.Change()); err != nil {
				return err
			}
		}
	}
	return nil
}

// UnreadableError is the error of files that could not be read, so that nothing was
// written.
type UnreadableError struct{ Files int }

// ExitStatus returns Unreadable.
func (*UnreadableError) ExitStatus() exit.Status { return exit.Unreadable }

func (e *UnreadableError) Error() string {
	if e.Files == 1 {
		return "nothing was written, since 1 file could not be read; --skip-unreadable leaves such files out"
	}
	return fmt.Sprintf("nothing was written, since %d files could not be read; --skip-unreadable leaves such files out", e.Files)
}

// all takes every change.
func (o *ApplyOptions) all(ctx context.Context, a *Applied, t *taken) (err error) {
	a.Summary, err = o.Plan.Do(ctx, func(r *run.Result) (bool, error) {
		if r.Refuse != nil {
			a.Refuses = append(a.Refuses, refusal(r.At.Path, r.Refuse))
			return false, nil
		}
		t.count += r.Changes()
		if r.Writes() {
			if err := t.changes.Add(r.Change()); err != nil {
				return false, err
			}
		}
		return true, o.Show(r)
	})
	return err
}

// asked adds the changes that a person accepts.
func (o *ApplyOptions) asked(ctx context.Context, a *Applied, t *taken) (err error) {
	all, s, err := o.Plan.Collect(ctx)
	a.Summary = s
	if err != nil {
		return err
	}
	var pending []*run.Pending
	for _, p := range all {
		if p.Refuse == nil {
			pending = append(pending, p)
		}
	}
	if len(pending) > 0 {
		o.Plan.Progress.Begin("")
		write, err := o.Ask(ctx, pending, func() []string {
			s.Recount(all)
			return append(namesRefused(o.Plan), s.Tally.Unmet()...)
		})
		if err == nil && !write {
			err = ErrNothingTaken
		}
		if err != nil {
			return err
		}
	}
	s.Recount(all)
	for _, p := range all {
		if p.Refuse != nil {
			a.Refuses = append(a.Refuses, refusal(p.At.Path, p.Refuse))
		} else if p.Change.Count() > 0 {
			t.count += p.Changes
			if err := t.changes.Add(p.Change); err != nil {
				return err
			}
		}
	}
	return nil
}
