package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"

	"frizzel/internal/report"
	"frizzel/internal/run"
)

// patience is how long work goes on before its progress is shown.
const patience = time.Second

// doing runs a plan's work, showing its progress where standard error is a terminal,
// and says how far it came where it is interrupted.
func doing[T any](a *app, plan *run.Plan, work func() (T, error)) (T, error) {
	begun, read := time.Now(), 0
	var bar *progressbar.ProgressBar
	terminal := term.IsTerminal(int(a.files.Err.Fd())) && os.Getenv("TERM") != "dumb"
	plan.Progress = func(n int) {
		read = n
		if bar == nil && terminal && time.Since(begun) > patience {
			bar = progressbar.NewOptions(-1,
				progressbar.OptionSetWriter(a.files.Err), progressbar.OptionSetDescription("reading"),
				progressbar.OptionShowCount(), progressbar.OptionSetItsString("files"), progressbar.OptionShowIts(),
				progressbar.OptionThrottle(100*time.Millisecond), progressbar.OptionClearOnFinish())
		}
		if bar != nil {
			_ = bar.Set(n)
		}
	}
	s, err := work()
	if bar != nil {
		_ = bar.Finish()
	}
	if errors.Is(err, context.Canceled) {
		return s, &exitError{exitInterrupted, fmt.Errorf("interrupted after %s; nothing was written", report.Count(read, "file"))}
	}
	return s, err
}
