package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"sync"
	"time"

	"charm.land/bubbles/v2/spinner"
	"github.com/charmbracelet/x/ansi"
	"github.com/dustin/go-humanize"
	"golang.org/x/term"

	"frizzel/internal/exit"
	"frizzel/internal/progress"
	"frizzel/internal/report"
)

const (
	patience = time.Second            // time before progress is shown
	redrawn  = 200 * time.Millisecond // how often it is shown then
)

// doing runs work. It shows progress if standard error is a terminal, and reports the progress on interruption.
func doing[T any](a *app, done *progress.Meter, work func() (T, error)) (T, error) {
	stop := func() {}
	if term.IsTerminal(int(a.files.Err.Fd())) && os.Getenv("TERM") != "dumb" {
		stop = a.watch(done)
	}
	a.meter.Store(done)
	s, err := work()
	stop()
	return s, interrupted(done, err)
}

// interrupted returns err, or, if a search or a preview was interrupted, an error with the number of files read.
func interrupted(done *progress.Meter, err error) error {
	if phase, files, _ := done.Now(); errors.Is(err, context.Canceled) && phase == "reading" {
		return exit.With(exit.Interrupted, fmt.Errorf("interrupted after %s; nothing was written", report.Count(int(files), "file")))
	}
	return err
}

// watch shows a meter on a line of its own, which makes room for whatever is written, until
// the returned function is called.
func (a *app) watch(done *progress.Meter) (stop func()) {
	w := &watched{meter: done, out: a.files.Err, begun: time.Now()}
	if a.Out.Shown && term.IsTerminal(int(a.files.Out.Fd())) {
		a.Out.Before = w.clear
	}
	a.Err.Before = w.clear
	over := make(chan struct{})
	var ended sync.WaitGroup
	ended.Go(func() {
		tick := time.NewTicker(redrawn)
		defer tick.Stop()
		for {
			select {
			case <-over:
				return
			case <-tick.C:
				if time.Since(w.begun) > patience {
					w.draw()
				}
			}
		}
	})
	return func() {
		close(over)
		ended.Wait()
		w.clear()
		a.Out.Before, a.Err.Before = nil, nil
	}
}

// watched is a meter that is shown.
type watched struct {
	meter *progress.Meter
	out   *os.File
	begun time.Time

	mu    sync.Mutex
	turns int // of the spinner
	drawn bool
}

// draw shows the progress of the current phase, if any.
func (w *watched) draw() {
	w.mu.Lock()
	defer w.mu.Unlock()
	phase, files, bytes := w.meter.Now()
	w.erase()
	if phase == "" {
		return
	}
	turn := spinner.Dot.Frames[w.turns%len(spinner.Dot.Frames)]
	w.turns++
	counted := report.Count(int(files), "file") + ", " + humanize.Bytes(uint64(bytes))
	if w.meter.Of != "" {
		counted = report.Count(int(files), w.meter.Of)
	}
	line := fmt.Sprintf("%s%s: %s, %s", turn, phase, counted, time.Since(w.begun).Round(time.Second))
	if width, _, err := term.GetSize(int(w.out.Fd())); err == nil && width > 0 {
		line = ansi.Truncate(line, width-1, "")
	}
	w.drawn = true
	_, _ = w.out.WriteString(line)
}

// clear takes the line away, for something else to be written.
func (w *watched) clear() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.erase()
}

func (w *watched) erase() {
	if w.drawn {
		_, _ = w.out.WriteString("\r" + ansi.EraseEntireLine)
		w.drawn = false
	}
}
