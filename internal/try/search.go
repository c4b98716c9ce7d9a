package try

import (
	"context"
	"time"

	tea "charm.land/bubbletea/v2"

	"frizzel/internal/authoring"
	"frizzel/internal/exit"
	"frizzel/internal/oneoff"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// Limits on what is retained of a search. Counts go on beyond them.
const (
	maxFiles   = 1000    // files in the list
	maxChanges = 200     // of a file
	maxEdits   = 200_000 // in memory
	maxNames   = 1000    // of files, if there is nothing to look for yet
)

// How often a search reports: the first report comes as soon as a screen is full.
const reported = 40 * time.Millisecond

// maxFirst limits the time for the files on the screen, which are searched before all others.
const maxFirst = 25 * time.Millisecond

// A search runs one version of the rules over the files.
type search struct {
	number int
	draft  *authoring.Draft
	change oneoff.Change
	shown  []selection.File // the files on the screen
	rows   int              // of the screen
	send   func(tea.Msg)
	turn   chan struct{}   // lets one search at a time look at the files on the screen
	before <-chan struct{} // closed when the search before has ended
	after  chan<- struct{} // closed when this one has

	drafted *authoring.Drafted
	news    progress
	sampled int // changes that were sampled
	edits   int
	at      time.Time // of the last report
}

// A compiled is the message that rules were compiled, or that they have a mistake.
type compiled struct {
	number  int
	drafted *authoring.Drafted
	err     error
}

// A progress is the message of what a search found since the report before.
type progress struct {
	number  int
	first   bool // of the files on the screen
	found   []found
	names   []selection.File // without rules: the files
	files   int              // with changes or matches, so far; without rules all files
	changes int              // so far
	summary *run.Summary     // at the end, if there are rules
	over    bool
	err     error
}

// A found is a file with changes or matches, and with a sample of them if it is one of the first.
type found struct {
	run.Watched
	sample *run.Sample
}

// do runs the search until it ends or ctx does. It reports by messages.
func (s *search) do(ctx context.Context) {
	defer close(s.after)
	var err error
	func() {
		defer exit.Caught(&err)
		err = s.all(ctx)
	}()
	if ctx.Err() != nil {
		return
	}
	s.news.over, s.news.err = true, err
	s.flush()
}

func (s *search) all(ctx context.Context) error {
	s.news.number, s.at = s.number, time.Now()
	drafted, err := s.draft.Compile(s.change)
	if ctx.Err() != nil {
		return nil
	}
	s.send(compiled{s.number, drafted, err})
	if err != nil {
		return nil
	}
	s.drafted = drafted
	if drafted.Plan == nil {
		return s.walk(ctx)
	}
	s.first(ctx)
	select { // two searches of all files at once would be slower than one after the other
	case <-s.before:
	case <-ctx.Done():
		return nil
	}
	s.news.summary, err = drafted.Plan.Watch(ctx, drafted.What, func(w run.Watched) error { return s.take(ctx, w) })
	return err
}

// first searches the files on the screen, for as long as maxFirst allows.
func (s *search) first(ctx context.Context) {
	select { // a search that is over may still be in a large file
	case s.turn <- struct{}{}:
		defer func() { <-s.turn }()
	case <-ctx.Done():
		return
	}
	s.news.first = true
	if !s.drafted.Program.Sequential { // else the changes of a file depend on those before it
		until := time.Now().Add(maxFirst)
		for _, at := range s.shown {
			if ctx.Err() != nil || time.Now().After(until) {
				break
			}
			w := s.drafted.Plan.Again(s.drafted.What, at)
			if sample, err := w.Sample(ctx, maxChanges); err == nil && sample != nil {
				s.news.found = append(s.news.found, found{sample.Watched, sample})
			}
		}
	}
	if len(s.news.found) > 0 {
		s.flush()
	}
	s.news.first = false
}

// take adds a file to the next report.
func (s *search) take(ctx context.Context, w run.Watched) error {
	s.news.files++
	s.news.changes += w.Count
	if s.news.files <= maxFiles && s.edits <= maxEdits {
		f := found{Watched: w}
		if w.Pending != nil && !w.Pending.Large() {
			s.edits += w.Pending.Change.Count()
		}
		full := s.sampled >= s.rows
		if !full {
			f.sample, _ = w.Sample(ctx, maxChanges) // an error is shown when the file is opened
			s.sampled += min(w.Count, maxChanges)
		}
		s.news.found = append(s.news.found, f)
		if !full && s.sampled >= s.rows {
			s.flush()
		}
	}
	if time.Since(s.at) > reported {
		s.flush()
	}
	return ctx.Err()
}

// walk lists the files, if there are no rules.
func (s *search) walk(ctx context.Context) error {
	plan, err := s.draft.Walk()
	if err != nil {
		return err
	}
	return plan.Selection.Walk(ctx, selection.Visitor{File: func(f selection.File) error {
		f.Drop()
		if s.news.files++; s.news.files <= maxNames {
			s.news.names = append(s.news.names, f)
		}
		if s.news.files == s.rows || time.Since(s.at) > reported {
			s.flush()
		}
		return nil
	}, Skip: func(selection.Skip) {}})
}

// flush sends the report.
func (s *search) flush() {
	s.send(s.news)
	s.news.found, s.news.names, s.at = nil, nil, time.Now()
}
