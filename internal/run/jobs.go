package run

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"io"
	"runtime"
	"sync"

	"frizzel/core/document"
	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/names"
	"frizzel/internal/seal"
	"frizzel/internal/selection"
	"frizzel/internal/spool"
)

// A job is a file for a worker.
type job struct {
	number int // in path order
	file   selection.File
	skip   *selection.Skip
	id     disk.ID // of a file with several names; otherwise zero
	held   int64   // bytes in flight
	kept   bool    // its result is
	done   chan struct{}
	failed error // a panic; ends the run
	result *Result
	made   *program.Result
	found  *Found
	text   *textfile.File // for Texts

	item    *names.Item // what the file is called, or nil
	named   bool        // only the name is looked at
	kind    disk.Kind
	counted *program.Result // of content and name
	sum     digest.Digest   // of the content, if what the file is called depends on that

	document bool // the file is an office document
	unknown  bool // the encoding is unknown, and a pattern is not ASCII
}

const (
	// waiting is the maximum number of files that wait for a worker. Each may keep a directory open.
	waiting = 64
	// ahead is the maximum number of files between the first that is not done and the last that was found, so that
	// small files behind a large one do not wait for it. Memory is limited by their bytes, see flight.
	ahead = 1024
)

// all calls work for every file, from several workers, and then take, in path order.
func (p *Plan) all(ctx context.Context, s *Summary, work worker, take func(*job) error) error {
	ctx, cancel := context.WithCancel(ctx)
	workers := runtime.GOMAXPROCS(0)
	if p.Program.Sequential {
		workers = 1
	}
	ordered := make(chan *job, ahead) // in path order
	jobs := make(chan *job, max(waiting, 2*workers))
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

// walk sends the files to the workers.
func (p *Plan) walk(ctx context.Context, ordered, jobs chan<- *job) (err error) {
	defer exit.Caught(&err)
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
	work := func(j *job) error {
		err := order(j)
		if err == nil {
			err = send(jobs, j)
		}
		if err != nil {
			j.file.Drop()
		}
		return err
	}
	return p.Selection.Walk(ctx, p.visitor(order, work))
}

// work is the loop of a worker: it reads one file after another and calls work on it.
func (p *Plan) work(ctx context.Context, flight *flight, jobs <-chan *job, work worker) {
	var buffer []byte
	for j := range jobs {
		if ctx.Err() != nil {
			j.file.Drop()
		} else {
			buffer, j.failed = p.one(ctx, j, flight, buffer, work)
		}
		close(j.done)
		flight.wait()
	}
}

// A worker has the functions for a file that was read, and for a large one that is open. The latter reports
// false if the file must be read as a whole after all.
type worker struct {
	whole func(*job, *textfile.File)
	large func(context.Context, *job, *large) (bool, error)
}

// one reads a file into buffer and calls work on it. It returns the buffer for the next file, or nil if the
// result retains it. The error is a *exit.PanicError.
func (p *Plan) one(ctx context.Context, j *job, flight *flight, buffer []byte, work worker) (next []byte, failed error) {
	defer exit.Caught(&failed)
	raw, err := p.open(ctx, j, flight, buffer[:0], work)
	if err == nil && (j.result != nil || j.text != nil || j.found != nil && j.found.holds()) {
		flight.keep(j)
		return nil, nil
	}
	var spooling *spool.Error
	if errors.As(err, &spooling) { // not the file's fault, and others will have it too
		return nil, err
	}
	if err != nil {
		j.skip = skipFor(j.file, err)
	}
	flight.land(j)
	if cap(raw) > cap(buffer) {
		buffer = raw
	}
	if cap(buffer) > maxKept { // release the memory of an unusually large file
		return nil, nil
	}
	return buffer, nil
}

// maxKept is the maximum size in bytes of a buffer that is reused.
const maxKept = 8 << 20

// inflated is the estimated ratio of a document's memory to its file size.
const inflated = 20

// open opens a job's file, reads its first bytes into buffer, and calls work unless they show that the file is
// not text. It returns the buffer, which may be a larger one.
func (p *Plan) open(ctx context.Context, j *job, flight *flight, buffer []byte, work worker) ([]byte, error) {
	f, err := j.file.Open()
	if err != nil {
		return buffer, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err != nil {
		return buffer, err
	}
	if info.Links > 1 {
		j.id = info.ID
	}
	if need := int(min(info.Size+1, textfile.HeadSize)); cap(buffer) < need {
		buffer = make([]byte, 0, need)
	}
	n, err := f.ReadAt(buffer[:cap(buffer)], 0)
	buffer = buffer[:n]
	if err != nil && !errors.Is(err, io.EOF) {
		return buffer, err
	}
	ended := err != nil
	j.document = document.Claims(j.file.Name, buffer)
	if err := p.omits(j.file, info, j.document, buffer); err != nil {
		return buffer, err
	}
	if !j.document {
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

// omits returns why a file is not read, judged by its first bytes; nil if it is.
func (p *Plan) omits(at selection.File, info disk.Info, isDocument bool, head []byte) error {
	old := document.Old(at.Name, head)
	switch {
	case p.MaxSize > 0 && info.Size > p.MaxSize:
		return errTooLarge
	case (isDocument || old) && p.NoDocuments:
		return errDocument
	case old:
		return errOld
	case isDocument:
		return nil
	case keptReview(head):
		return errOwn
	case textfile.Binary(head, p.said(at)):
		return textfile.ErrBinary
	}
	return nil
}

// decode returns a file's bytes as text.
func (p *Plan) decode(at selection.File, isDocument bool, raw []byte) (*textfile.File, error) {
	if isDocument {
		return textfile.OfDocument(at.Name, raw)
	}
	return textfile.Decode(raw, p.said(at))
}

// byWindows calls work on a file in windows, if it is large enough. It reports false if the file must be read
// as a whole.
func (p *Plan) byWindows(ctx context.Context, j *job, f disk.File, info disk.Info, head []byte, work worker) (bool, error) {
	l, err := p.largeFile(ctx, j.file, f, info, head)
	if l == nil || err != nil {
		return false, err
	}
	if p.Program.Wide {
		if j.unknown, err = l.unknown(ctx, (*textfile.Tongue).Unknown); err != nil {
			return false, err
		}
	}
	return work.large(ctx, j, l)
}

// collect passes the jobs to take in path order. It omits a file that came earlier under another name.
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
		if err := cmp.Or(ctx.Err(), j.failed); err != nil {
			return err
		}
		if j.skip == nil && j.id != (disk.ID{}) {
			if seen[j.id] {
				j.skip = &selection.Skip{Path: j.file.Path, Reason: selection.Repeated}
			}
			seen[j.id] = true
		}
		if j.skip != nil {
			s.Skipped = append(s.Skipped, *j.skip)
			if p.Names == nil && !p.finds || j.file.Path == "" {
				flight.land(j)
				continue
			}
			j.result, j.made, j.found, j.text = nil, nil, nil, nil // it has a name all the same
		}
		if j.skip == nil && !j.named {
			s.Read++
		}
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

// PageBeginning is how the page of a review begins.
const PageBeginning = "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta name=\"generator\" content=\"frizzel\">\n"

// keptReview reports whether a file is a sealed review or the page of one, from its first bytes. If it were changed it
// would tell nothing any more.
func keptReview(head []byte) bool {
	return bytes.HasPrefix(head, []byte(seal.Beginning)) || bytes.HasPrefix(head, []byte(PageBeginning))
}
