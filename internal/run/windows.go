package run

import (
	"bytes"
	"context"
	"runtime"
	"sync"

	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/disk"
)

// large is a file that is too large to be held, and that the program may be run over window by
// window.
type large struct {
	windows textfile.Windows
	file    disk.File
	info    disk.Info
	how     program.Windowing
	ending  string // of its first line
	places  []place
}

// place is what is known of a window once it was gone through.
type place struct {
	k      int
	offset int64 // bytes of the file before it
	lines  int   // in it
	line   int   // of the file, before it
	text   int   // bytes of the file's text before it
	count  int   // edits, or matches
	kept   kept
}

// pane is a window on its way through a worker.
type pane struct {
	k      int
	buffer []byte
	textfile.Window
	at    program.Window
	lines int  // in it
	place int  // in the file's places
	apart bool // from the window that was handed out before
	sum   uint64
	made  any // by work
	err   error
	done  chan struct{}
}

// pass is one way through the windows of a large file.
type pass struct {
	*large
	only  []int // of the places; nil for all windows
	sums  bool  // of the chunks
	apart bool  // the work need not know what came before, whatever the program needs
	work  func(*pane)
	take  func(*pane) error
	Print change.Print
}

// panes is how many windows are in flight for each worker, and for all.
const panes = 2

// do takes each window through work, by several workers where the program allows it, and then
// through take, in order.
func (s *pass) do(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	workers := runtime.GOMAXPROCS(0)
	free := make(chan []byte, workers+panes)
	for range cap(free) {
		free <- nil
	}
	ordered, jobs := make(chan *pane, cap(free)), make(chan *pane, cap(free))
	var all sync.WaitGroup
	all.Go(func() { s.hand(ctx, free, ordered, jobs) })
	for range workers {
		all.Go(func() {
			for w := range jobs {
				s.one(ctx, w)
				close(w.done)
			}
		})
	}
	defer all.Wait() // before the file is closed
	defer cancel()
	text, line := 0, 0
	for w := range ordered {
		<-w.done
		if err := ctx.Err(); w.err == nil {
			w.err = err
		}
		if w.err != nil {
			return w.err
		}
		s.Print = s.Print.With(w.sum, len(w.Chunk))
		if w.File != nil {
			if s.only != nil {
				text, line = s.places[w.place].text, s.places[w.place].line
			}
			if err := s.pass(w, text, line); err != nil {
				return err
			}
			text, line = text+len(w.Text), line+w.lines
		}
		if cap(w.buffer) > 2*int(s.windows.Width) { // a very long line must not hold memory for good
			w.buffer = nil
		}
		free <- w.buffer
	}
	return ctx.Err()
}

// hand hands out the windows.
func (s *pass) hand(ctx context.Context, free <-chan []byte, ordered, jobs chan<- *pane) {
	defer close(ordered)
	defer close(jobs)
	n := len(s.only)
	if s.only == nil {
		n = s.windows.Count()
	}
	for i := range n {
		w := &pane{k: i, done: make(chan struct{})}
		if s.only != nil {
			w.place = s.only[i]
			w.k = s.places[w.place].k
			w.apart = i == 0 || s.only[i-1] != w.place-1
		}
		select {
		case w.buffer = <-free:
		case <-ctx.Done():
			return
		}
		ordered <- w // neither holds more than there are buffers
		jobs <- w
	}
}

// one reads a window, and does the work on it where that need not know what came before.
func (s *pass) one(ctx context.Context, w *pane) {
	if w.err = ctx.Err(); w.err != nil {
		return
	}
	if w.Window, w.buffer, w.err = s.windows.Read(w.k, w.buffer[:0]); w.err != nil {
		return
	}
	if s.sums {
		w.sum = change.SumOf(w.Chunk)
	}
	if w.File == nil {
		return
	}
	w.lines = bytes.Count(w.Text, []byte("\n"))
	if s.how.Order == program.AnyOrder || s.apart {
		w.at.Ending = s.ending
		s.work(w)
	}
}

// pass takes a window on, before which the text has so many bytes and lines.
func (s *pass) pass(w *pane, text, line int) error {
	at := program.Window{Lines: line, Bytes: text, Ending: s.ending}
	if s.how.Order == program.InOrder && !s.apart {
		w.at = at
		s.work(w)
	}
	w.at = at
	return s.take(w)
}
