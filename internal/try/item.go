package try

import (
	"context"
	"errors"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/internal/run"
)

// An item is a file that was found, for the list of changes.
type item struct {
	run.Watched
	ctx context.Context
}

var errLooking = errors.New("nothing is replaced yet")

// large reports whether an answer about the file would take as long as reading all of it.
func (i *item) large() bool { return i.Pending != nil && i.Pending.Large() }

func (i *item) Path() string { return i.At.Path }
func (i *item) Count() int   { return i.Watched.Count }

func (i *item) NewPath() string {
	if i.Pending == nil {
		return i.At.Path
	}
	return i.Pending.NewPath()
}

func (i *item) Rules() []int {
	if i.Pending == nil {
		return nil
	}
	return i.Pending.Rules()
}

func (i *item) Decide(decide func(program.Proposal) program.Answer) error {
	if i.Pending != nil {
		err := i.Pending.Decide(i.ctx, decide)
		i.Watched.Count = i.Pending.Changes
		return err
	}
	sample, err := i.Sample(i.ctx, maxChanges)
	if err == nil && sample != nil {
		for _, p := range sample.Proposals {
			decide(p)
		}
	}
	return err
}

func (i *item) Proposed() ([]byte, error) {
	if i.Pending == nil {
		return nil, errLooking
	}
	return i.Pending.Proposed(i.ctx)
}

func (i *item) Edits() edit.List {
	if i.Pending == nil {
		return nil
	}
	return i.Pending.Edits()
}

func (i *item) Rewrite(fresh []byte) ([]byte, edit.List, error) {
	if i.Pending == nil {
		return nil, nil, errLooking
	}
	return i.Pending.Rewrite(i.ctx, fresh)
}

func (i *item) Moved() bool      { return i.Pending != nil && i.Pending.Moved }
func (i *item) Broken() bool     { return i.Pending != nil && i.Pending.Broken() }
func (i *item) IsDocument() bool { return i.Pending != nil && i.Pending.IsDocument() }

func (i *item) ValueAt(text []byte, at int) string {
	if i.Pending == nil {
		return ""
	}
	return i.Pending.ValueAt(text, at)
}
