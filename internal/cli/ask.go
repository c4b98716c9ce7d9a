package cli

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"slices"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
)

// waysToAsk are the values of --ask.
var waysToAsk = []string{"screen", "file", "match"}

// canAskBy returns an error if said is not a value of --ask or comes with --yes; else it returns
// canAsk(yes).
func (a *app) canAskBy(c *cobra.Command, said string, yes bool) error {
	switch {
	case said != "" && !slices.Contains(waysToAsk, said):
		return exit.Wrongf("--ask is %s, not %q", oneOf(waysToAsk), said)
	case yes && c.Flags().Changed("ask"):
		return exit.Wrongf("--yes does not ask, so --ask does not go with it")
	}
	return a.canAsk(yes)
}

// wayToAsk returns the kind of review: said, or else the whole screen if the terminal supports it.
func (a *app) wayToAsk(said string) string {
	if said != "" {
		return said
	}
	if !a.screenOf(review.MinWidth, review.MinHeight) {
		return "file"
	}
	return "screen"
}

// screenOf reports whether the terminal can show a screen of some columns and rows.
func (a *app) screenOf(columns, rows int) bool {
	width, height, err := term.GetSize(int(a.files.Out.Fd()))
	return err == nil && width >= columns && height >= rows && os.Getenv("TERM") != "dumb" && os.Getenv("TERM") != ""
}

// pendingItem is a pending file as a review wants it, for as long as the context lasts.
type pendingItem struct {
	*run.Pending
	ctx context.Context
}

func (p pendingItem) Path() string { return p.At.Path }
func (p pendingItem) Count() int   { return p.Changes }
func (p pendingItem) Moved() bool  { return p.Pending.Moved }

func (p pendingItem) Decide(decide func(program.Proposal) program.Answer) error {
	return p.Pending.Decide(p.ctx, decide)
}

func (p pendingItem) Proposed() ([]byte, error) { return p.Pending.Proposed(p.ctx) }

func (p pendingItem) Rewrite(fresh []byte) (old []byte, edits edit.List, err error) {
	return p.Pending.Rewrite(p.ctx, fresh)
}

// prompt returns what asks at a plain terminal.
func (a *app) prompt() *review.Prompt {
	p := a.printer()
	return &review.Prompt{In: a.In, Out: a.Out, Style: p.Style, Width: p.Width, Terminal: a.files.Out}
}

// reviewed asks about a session's files, on the whole screen or at a plain prompt; show
// shows one's changes there.
func (a *app) reviewed(ctx context.Context, session *review.Session, style report.Style, way string, show func(i int) error) (bool, error) {
	if way == "screen" {
		return review.Screen(ctx, session, a.In, a.files.Out, style)
	}
	return a.prompt().Review(ctx, session, way == "match", show)
}

// review asks about pending files.
func (ap *applying) review(ctx context.Context, items []review.Item, pending []*run.Pending, way string, refused func() []string) (bool, error) {
	session := review.NewSession(items, ap.printer.Rules)
	session.Refused, session.Noted = refused, ap.noted
	if ap.begin != nil {
		if err := ap.begin(session); err != nil {
			return false, err
		}
	}
	return ap.reviewed(ctx, session, ap.printer.Style, way, func(i int) error {
		r, err := pending[i].Result(ctx)
		if err != nil {
			return err
		}
		if pending[i].Moved {
			fmt.Fprintf(ap.Err, "note: %s has changed on disk since it was read; these are the changes to what it holds now\n", report.Path(r.At.Path))
		}
		return ap.printer.Result(r)
	})
}

// byFile asks about one file after another, until a person takes all the rest or stops.
type byFile struct {
	*app
	prompt  *review.Prompt // nil if nothing is asked
	agreed  bool           // to all the rest
	stopped bool           // decline all remaining files
	taken   int            // files
	said    *bufio.Writer  // of files that nobody is asked about; nil before there is one
}

// flush writes the messages.
func (b *byFile) flush() error {
	if b.said == nil {
		return nil
	}
	return b.said.Flush()
}

// take reports whether to write a file. If a person is asked, it calls show first. said is the message for a file
// that is written without a question.
func (b *byFile) take(ctx context.Context, path, said, what string, show func() error) (bool, error) {
	switch {
	case b.stopped:
		return false, nil
	case b.prompt == nil || b.agreed:
		b.taken++
		if b.said == nil {
			b.said = bufio.NewWriter(b.Out)
		}
		_, err := fmt.Fprintf(b.said, "%s  %s\n", path, said)
		return true, err
	}
	if err := show(); err != nil {
		return false, err
	}
	answer, err := b.prompt.File(ctx, path+": "+what+"?")
	switch {
	case err != nil:
		return false, err
	case answer == review.Stop:
		return false, b.stop(ctx)
	}
	b.agreed = answer == review.Rest
	if answer != review.No {
		b.taken++
	}
	return answer != review.No, nil
}

// stop asks whether to write the files accepted before the person stopped.
func (b *byFile) stop(ctx context.Context) error {
	b.stopped = true
	if b.taken == 0 {
		return usecase.ErrNothingTaken
	}
	write, err := b.prompt.Confirm(ctx, fmt.Sprintf("Write the %s said yes to?", report.Count(b.taken, "file")))
	if err == nil && !write {
		err = usecase.ErrNothingTaken
	}
	return err
}
