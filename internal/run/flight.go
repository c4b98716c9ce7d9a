package run

import "sync"

// maxInFlight bounds the bytes of the files that are read and not yet passed on.
const maxInFlight = 256 << 20

// flight bounds by bytes what is in flight. The file that is to be passed on next may
// always start, however large it is, so that nothing waits for what waits for it.
type flight struct {
	mu    sync.Mutex
	free  *sync.Cond
	most  int64
	held  int64
	front int // the number of the job that is passed on next
	over  bool
}

func newFlight(most int64) *flight {
	f := &flight{most: most}
	f.free = sync.NewCond(&f.mu)
	return f
}

// take waits until there is room for a job of so many bytes.
func (f *flight) take(j *job, bytes int64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for f.held > 0 && f.held+bytes > f.most && j.number > f.front && !f.over {
		f.free.Wait()
	}
	f.held += bytes
	j.held = bytes
}

// land lets go of a job's bytes.
func (f *flight) land(j *job) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.held -= j.held
	j.held = 0
	f.free.Broadcast()
}

// next says which job is passed on next.
func (f *flight) next(number int) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.front = number
	f.free.Broadcast()
}

// end lets everyone go who waits.
func (f *flight) end() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.over = true
	f.free.Broadcast()
}
