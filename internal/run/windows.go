package run

import (
	"bytes"
	"context"
	"runtime"
	"sync"

	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
)

// A large is a file that is processed in windows because it is too large for memory.
type large struct {
	// ctx is the run's context. It is stored because iterators, which have no context, read windows again.
	ctx     context.Context
	windows textfile.Windows
	info    disk.Info
	own     bool // no other process has the file
	how     program.Windowing
	ending  string // line ending of its first line
	regions []region
}

// A region is the position of a window that was read.
type region struct {
	offset int64 // in the file
	size   int   // in bytes
	lines  int   // number of lines in it
	line   int   // number of the file's lines before it
	text   int   // offset in the file's text
	count  int   // number of edits or matches
	kept   kept
}

// regionOf returns the region of a window with count edits or matches.
func regionOf(w *pane, count int) region {
	return region{offset: w.Offset, size: len(w.Raw), lines: w.lines, line: w.at.Lines, text: w.at.Bytes, count: count}
}

// A pane is one window for a worker.
type pane struct {
	k int
	*room
	textfile.Window
	at     program.Window
	lines  int  // number of lines in it
	number int  // index of its region
	apart  bool // does not follow the previous window immediately
	sum    uint64
	made   any // by work, and
	res    *program.Result
	err    error
	done   chan struct{}
}

// A room is the memory for processing a window, reused for the next one.
type room struct {
	buffer  []byte
	edits   edit.List
	encoded []byte
}

// maxEdits is the maximum capacity of a list of edits that is reused.
const maxEdits = 64 << 10

// free clears the room, and releases memory beyond the usual size, which a very long line needed.
func (r *room) free(width int64) {
	if cap(r.buffer) > 2*int(width)+maxKept/8 {
		r.buffer = nil
	}
	if cap(r.edits) > maxEdits {
		r.edits = nil
	}
	if cap(r.encoded) > maxKept/8 {
		r.encoded = nil
	}
}

// A pass is one iteration over the windows of a large file.
type pass struct {
	*large
	only  []int // indices of the windows to read; nil for all
	sums  bool  // compute the digests of the chunks
	apart bool  // work does not depend on earlier windows, even if the program does
	work  func(*pane)
	take  func(*pane) error
	print change.Print // fingerprint of the file, if sums is set
}

// panes is the number of windows in flight in addition to one for each worker.
const panes = 2

// do calls work for each window, from several workers if the program allows it, and then take, in order.
func (s *pass) do(ctx context.Context) error {
	if s.how.Parts && s.only == nil && !s.apart {
		return s.inParts(ctx)
	}
	ctx, cancel := context.WithCancel(ctx)
	workers := runtime.GOMAXPROCS(0)
	free := make(chan *room, workers+panes)
	for range cap(free) {
		free <- &room{}
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
	defer all.Wait() // workers must end before the file is closed
	defer cancel()
	text, line := 0, 0
	tiles := tiling{width: s.windows.Width}
	for w := range ordered {
		<-w.done
		if err := ctx.Err(); w.err == nil {
			w.err = err
		}
		if w.err != nil {
			return w.err
		}
		if s.sums {
			if err := tiles.add(w); err != nil {
				return err
			}
		}
		s.print = s.print.With(w.sum, len(w.Chunk))
		if w.File != nil {
			if s.only != nil {
				text, line = s.regions[w.number].text, s.regions[w.number].line
			}
			if err := s.pass(w, text, line); err != nil {
				return err
			}
			text, line = text+len(w.Text), line+w.lines
		}
		w.room.free(s.windows.Width)
		free <- w.room
	}
	return ctx.Err()
}

// hand reads the windows and sends them to the workers.
func (s *pass) hand(ctx context.Context, free <-chan *room, ordered, jobs chan<- *pane) {
	defer close(ordered)
	defer close(jobs)
	n := len(s.only)
	if s.only == nil {
		n = s.windows.Count()
	}
	for i := range n {
		w := &pane{k: i, done: make(chan struct{})}
		if s.only != nil {
			w.number = s.only[i]
			w.apart = i == 0 || s.only[i-1] != w.number-1
		}
		select {
		case w.room = <-free:
		case <-ctx.Done():
			return
		}
		ordered <- w // never blocks: the channels' capacity is the number of buffers
		jobs <- w
	}
}

// one reads a window, and calls work if that does not depend on earlier windows.
func (s *pass) one(ctx context.Context, w *pane) {
	defer exit.Caught(&w.err)
	if w.err = ctx.Err(); w.err != nil {
		return
	}
	if s.only != nil {
		at := s.regions[w.number]
		w.Window, w.buffer, w.err = s.windows.From(at.offset, int64(at.size), w.buffer[:0])
	} else {
		w.Window, w.buffer, w.err = s.windows.Read(w.k, w.buffer[:0])
	}
	if w.err != nil {
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

// pass calls take for a window. text and line are the numbers of bytes and lines before it.
func (s *pass) pass(w *pane, text, line int) error {
	at := program.Window{Lines: line, Bytes: text, Ending: s.ending}
	if s.how.Order == program.InOrder && !s.apart {
		w.at = at
		s.work(w)
	}
	w.at = at
	return s.take(w)
}

// inParts iterates over windows that end only at ends of the program's sections, paragraphs and ranges. A
// window is extended until it contains a whole part.
func (s *pass) inParts(ctx context.Context) error {
	var print change.Printing
	var kept room
	var ahead []byte // what the last window was cut by, and was looked at
	text, line := 0, 0
	for offset, most := int64(0), s.windows.Width; offset < s.windows.Size; {
		if err := ctx.Err(); err != nil {
			return err
		}
		win, read, err := s.windows.From(offset, most, kept.buffer[:0])
		if kept.buffer = read; err != nil {
			return err
		}
		if s.sums && !bytes.HasPrefix(win.Raw, ahead[:min(len(ahead), len(win.Raw))]) {
			return errChanged
		}
		end := offset + int64(len(win.Raw))
		w := &pane{Window: win, room: &kept, at: program.Window{Lines: line, Bytes: text, Ending: s.ending, More: end < s.windows.Size}}
		s.work(w)
		n := w.res.Whole(win.Text)
		switch {
		case n == 0 && w.at.More: // the part continues: extend the window
			if most *= 2; most > disk.MaxContent {
				return &disk.TooLargeError{Size: s.windows.Size}
			}
			continue
		case n < len(win.Text):
			w.Window = s.windows.Cut(win, n)
			s.work(w)
		}
		ahead = append(ahead[:0], win.Raw[len(w.Raw):]...)
		w.lines = bytes.Count(w.Text, []byte("\n"))
		if s.sums {
			_, _ = print.Write(w.Raw) // never fails
		}
		if err := s.take(w); err != nil {
			return err
		}
		offset, text, line = offset+int64(len(w.Raw)), text+len(w.Text), line+w.lines
		most = s.windows.Width
		kept.free(most)
	}
	s.print = print.Print()
	return nil
}
