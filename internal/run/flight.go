package run

import "sync"

// Limits on the files that are read and not yet passed on: the bytes of all, and how many with results.
const (
	maxInFlight = 256 << 20
	maxResults  = 64
)

// A flight limits the bytes of the files in flight, and how many results wait for a file before theirs. The next file in
// order is always admitted, whatever its size; otherwise it could wait for files that wait for it.
type flight struct {
	mu      sync.Mutex
	free    *sync.Cond
	max     int64
	held    int64
	results int
	front   int // number of the next job in order
	over    bool
}

func newFlight(max int64) *flight {
	f := &flight{max: max}
	f.free = sync.NewCond(&f.mu)
	return f
}

// take waits until there is room for a job of a size in bytes.
func (f *flight) take(j *job, bytes int64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for f.held > 0 && f.held+bytes > f.max && j.number > f.front && !f.over {
		f.free.Wait()
	}
	f.held += bytes
	j.held = bytes
}

// keep counts a job's result.
func (f *flight) keep(j *job) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.results++
	j.kept = true
}

// wait waits while too many results are kept. The job of whoever waits is done.
func (f *flight) wait() {
	f.mu.Lock()
	defer f.mu.Unlock()
	for f.results > maxResults && !f.over {
		f.free.Wait()
	}
}

// land releases a job's bytes and its result.
func (f *flight) land(j *job) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.held -= j.held
	j.held = 0
	if j.kept {
		f.results--
		j.kept = false
	}
	f.free.Broadcast()
}

// next sets the number of the next job in order.
func (f *flight) next(number int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.front = number
	f.free.Broadcast()
}

// end wakes all waiters.
func (f *flight) end() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.over = true
	f.free.Broadcast()
}
