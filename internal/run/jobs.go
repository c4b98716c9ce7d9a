package run

import (
	"context"
	"errors"
	"io"
	"runtime"
	"sync"

	"frizzel/core/document"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// A job is one file for a worker.
type job struct {
	number int // in path order
	file   selection.File
	skip   *selection.Skip
	id     disk.ID // of a file with several names, else zero
	held   int64   // bytes in flight
	done   chan struct{}
	result *Result
	made   *program.Result
	found  *Found

	document bool // it is an office document
	unknown  bool // its encoding does not tell itself, and something is looked for that is not ASCII
}

// ahead is how many files may be on their way, so that those behind a large one do not wait for
// it. Each may keep a directory open; what is held of them is bounded by their bytes.
const ahead = 64

// all takes every file through work, by several workers, and then through take, in
// path order.
func (p *Plan) all(ctx context.Context, s *Summary, work worker, take func(*job) error) error {
	ctx, cancel := context.WithCancel(ctx)
	workers := runtime.GOMAXPROCS(0)
	if p.Program.Sequential {
		workers = 1
	}
	ordered := make(chan *job, max(ahead, 2*workers)) // in path order
	jobs := make(chan *job, cap(ordered))
	var walkErr error
	var working sync.WaitGroup
	defer working.Wait()
	defer cancel()
	working.Go(func() {
		defer close(ordered)
		defer close(jobs)
		walkErr = p.walk(ctx, ordered, jobs)
	})
	flight := newFlight(maxInFlight)
	defer flight.end()
	for range workers {
		working.Go(func() { p.work(ctx, flight, jobs, work) })
	}
	if err := p.collect(ctx, ordered, flight, s, take); err != nil {
		return err
	}
	return walkErr
}

// walk hands out the files.
func (p *Plan) walk(ctx context.Context, ordered, jobs chan<- *job) error {
	number := 0
	send := func(to chan<- *job, j *job) error {
		select {
		case to <- j:
			return nil
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	order := func(j *job) error {
		j.number = number
		number++
		return send(ordered, j)
	}
	return p.Selection.Walk(ctx, func(f selection.File) error {
		if !p.Program.Selects(asFile(f)) {
			f.Drop()
			return order(&job{skip: &selection.Skip{Path: f.Path, Reason: selection.NotSelected}})
		}
		j := &job{file: f, done: make(chan struct{})}
		err := order(j)
		if err == nil {
			err = send(jobs, j)
		}
		if err != nil {
			f.Drop()
		}
		return err
	}, func(s selection.Skip) {
		_ = order(&job{skip: &s}) // the walk itself notices when it is to end
	})
}

// work reads files and does the work on each, one after the other.
func (p *Plan) work(ctx context.Context, flight *flight, jobs <-chan *job, work worker) {
	var buffer []byte
	for j := range jobs {
		if ctx.Err() != nil {
			j.file.Drop()
		} else {
			buffer = p.one(ctx, j, flight, buffer, work)
		}
		close(j.done)
	}
}

// worker does the work on a file that was read, or on a large one that is open. The latter
// reports false if the file has to be taken whole after all.
type worker struct {
	whole func(*job, *textfile.File)
	large func(context.Context, *job, *large) (bool, error)
}

// one reads a file into buffer and does the work on it. It returns the buffer for the
// next file, nil if the result holds on to it.
func (p *Plan) one(ctx context.Context, j *job, flight *flight, buffer []byte, work worker) []byte {
	raw, err := p.open(ctx, j, flight, buffer[:0], work)
	if err == nil && (j.result != nil || j.found != nil && j.found.holds()) {
		return nil
	}
	if err != nil {
		j.skip = skipFor(j.file, err)
	}
	flight.land(j)
	if cap(raw) > cap(buffer) {
		buffer = raw
	}
	if cap(buffer) > maxKept { // one large file must not hold memory for good
		return nil
	}
	return buffer
}

// maxKept is up to how many bytes a buffer is kept for the next file.
const maxKept = 8 << 20

// headSize is how many bytes of a file are looked at before it is read on.
const headSize = 64 << 10

// inflated is how many times its own size a document takes, most likely.
const inflated = 20

// open opens a job's file, reads its first bytes into buffer, or a larger one, and does the work
// unless those tell that it is no text.
func (p *Plan) open(ctx context.Context, j *job, flight *flight, buffer []byte, work worker) ([]byte, error) {
	f, err := j.file.Open()
	if err != nil {
		return buffer, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	switch {
	case err != nil:
		return buffer, err
	case p.MaxSize > 0 && info.Size > p.MaxSize:
		return buffer, errTooLarge
	}
	if info.Links > 1 {
		j.id = info.ID
	}
	if need := int(min(info.Size+1, headSize)); cap(buffer) < need {
		buffer = make([]byte, 0, need)
	}
	n, err := f.ReadAt(buffer[:cap(buffer)], 0)
	buffer = buffer[:n]
	if err != nil && !errors.Is(err, io.EOF) {
		return buffer, err
	}
	ended := err != nil
	j.document = document.Claims(j.file.Name, buffer)
	switch {
	case j.document && p.NoDocuments:
		return buffer, errDocument
	case j.document:
	case textfile.Binary(buffer, p.encodingOf(j.file)):
		return buffer, textfile.ErrBinary
	default:
		if done, err := p.byWindows(ctx, j, f, info, buffer, work); done || err != nil {
			return buffer, err
		}
	}
	if info.Size >= disk.MaxContent {
		return buffer, &disk.TooLargeError{Size: info.Size}
	}
	held := max(info.Size, int64(n))
	if j.document {
		held *= inflated
	}
	flight.take(j, held)
	if !ended {
		if need := int(info.Size) + 1; cap(buffer) < need {
			buffer = append(make([]byte, 0, need), buffer...)
		}
		if buffer, err = disk.ReadRest(f, buffer); err != nil {
			return buffer, err
		}
	}
	text, err := p.decode(j.file, j.document, buffer)
	if err != nil {
		return buffer, err
	}
	j.unknown = p.Program.Wide && text.Unknown()
	work.whole(j, text)
	return buffer, nil
}

// decode reads a file's bytes as text.
func (p *Plan) decode(at selection.File, isDocument bool, raw []byte) (*textfile.File, error) {
	if isDocument {
		return textfile.OfDocument(at.Name, raw)
	}
	return textfile.Decode(raw, p.encodingOf(at))
}

// byWindows does the work on a file that is large enough window by window. It reports false
// where the file has to be taken whole.
func (p *Plan) byWindows(ctx context.Context, j *job, f disk.File, info disk.Info, head []byte, work worker) (bool, error) {
	l, err := p.largeFile(ctx, j.file, f, info, head)
	if l == nil || err != nil {
		return false, err
	}
	if p.Program.Wide {
		if j.unknown, err = l.unknown(ctx); err != nil {
			return false, err
		}
	}
	return work.large(ctx, j, l)
}

// collect passes the jobs on in path order. A file that came under another name
// already is left out.
func (p *Plan) collect(ctx context.Context, ordered <-chan *job, flight *flight, s *Summary, take func(*job) error) error {
	defer flight.end()
	seen := map[disk.ID]bool{}
	for j := range ordered {
		flight.next(j.number)
		if j.done != nil {
			select {
			case <-j.done:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if j.skip == nil && j.id != (disk.ID{}) {
			if seen[j.id] {
				j.skip = &selection.Skip{Path: j.file.Path, Reason: selection.Repeated}
			}
			seen[j.id] = true
		}
		if j.skip != nil {
			s.Skipped = append(s.Skipped, *j.skip)
			flight.land(j)
			continue
		}
		s.Read++
		if j.unknown {
			s.Unknown++
		}
		if j.document {
			s.Documents++
		}
		p.Progress.File()
		err := take(j)
		flight.land(j)
		if err != nil {
			return err
		}
	}
	return ctx.Err()
}
