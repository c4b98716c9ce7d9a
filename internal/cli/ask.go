package cli

import (
	"context"
	"fmt"
	"os"
	"slices"

	"golang.org/x/term"

	"frizzel/core/edit"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/vault"
)

// waysToAsk are the values of --ask.
var waysToAsk = []string{"screen", "file", "match"}

// wayToAsk returns how a person is asked: as they said, else on the whole screen
// where the terminal has one.
func (a *app) wayToAsk(said string) (string, error) {
	if said != "" {
		if !slices.Contains(waysToAsk, said) {
			return "", wrong("--ask is screen, file or match, not %q", said)
		}
		return said, nil
	}
	width, height, err := term.GetSize(int(a.Out.Fd()))
	if err != nil || width < review.MinWidth || height < review.MinHeight || os.Getenv("TERM") == "dumb" || os.Getenv("TERM") == "" {
		return "file", nil
	}
	return "screen", nil
}

// pendingItem is a pending file as a review wants it.
type pendingItem struct{ *run.Pending }

func (p pendingItem) Path() string { return p.File.Path }
func (p pendingItem) Count() int   { return p.Changes }
func (p pendingItem) Moved() bool  { return p.Pending.Moved }

func (p pendingItem) Rewrite(fresh []byte) ([]byte, edit.List, error) {
	r, err := p.Pending.Rewrite(fresh)
	if err != nil {
		return nil, nil, err
	}
	return r.Text.Text, r.Edits, nil
}

// askAll asks about all that a plan changes, and writes what is taken.
func (ap *applying) askAll(ctx context.Context, plan *run.Plan, way string, verbose bool, intent vault.Intent) error {
	var all []*run.Pending
	s, err := ap.doing(plan, func() (*run.Summary, error) {
		pending, s, err := plan.Collect(ctx)
		all = pending
		return s, err
	})
	if err != nil {
		return err
	}
	var items []review.Item
	var asked []*run.Pending
	for _, p := range all {
		if p.Refuse == nil {
			items = append(items, pendingItem{p})
			asked = append(asked, p)
		}
	}
	if len(items) > 0 {
		refused := func() []string {
			s.Settle(all)
			return s.Tally.Unmet()
		}
		write, err := ap.review(ctx, items, asked, way, refused)
		if err != nil {
			return err
		}
		if !write {
			return review.ErrInterrupted
		}
	}
	s.Settle(all)
	for _, p := range all {
		if p.Refuse != nil {
			ap.refuses = append(ap.refuses, fmt.Sprintf("%s: %v", report.Path(p.File.Path), p.Refuse))
		} else if len(p.Change.Edits) > 0 {
			ap.changes = append(ap.changes, p.Change)
			ap.count += p.Changes
		}
	}
	return ap.finish(ctx, s, verbose, intent)
}

// review asks about the items, on the whole screen or at a plain prompt.
func (ap *applying) review(ctx context.Context, items []review.Item, pending []*run.Pending, way string, refused func() []string) (bool, error) {
	session := review.NewSession(items, ap.printer.Rules)
	session.Refused = refused
	if way == "screen" {
		return review.Screen(ctx, session, ap.In, ap.Out, ap.printer.Style)
	}
	return ap.asker.Review(ctx, session, way == "match", func(i int) error {
		r, err := pending[i].Result()
		if err != nil {
			return err
		}
		if pending[i].Moved {
			fmt.Fprintf(ap.Err, "note: %s has changed on disk since it was read; these are the changes to what it holds now\n", report.Path(r.File.Path))
		}
		return ap.printer.Result(r)
	})
}
