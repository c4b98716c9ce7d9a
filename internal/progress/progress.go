// Package progress counts the progress of long work.
//
// The central type is [Meter]: workers count files and bytes, and a display reads the counts. A nil
// Meter counts nothing.
package progress

import "sync/atomic"

// A Meter counts the files and bytes of a phase of the work. Several goroutines may use it at once.
type Meter struct {
	Of string // what is counted instead of files, such as "host"

	phase        atomic.Value // a string
	files, bytes atomic.Int64
}

// Begin begins a phase, such as "reading".
func (m *Meter) Begin(phase string) {
	if m != nil {
		m.files.Store(0)
		m.bytes.Store(0)
		m.phase.Store(phase)
	}
}

// File counts a file as done.
func (m *Meter) File() {
	if m != nil {
		m.files.Add(1)
	}
}

// Add counts bytes as done.
func (m *Meter) Add(bytes int64) {
	if m != nil {
		m.bytes.Add(bytes)
	}
}

// Now returns the current phase and its counts.
func (m *Meter) Now() (phase string, files, bytes int64) {
	phase, _ = m.phase.Load().(string)
	return phase, m.files.Load(), m.bytes.Load()
}

// Through counts the given bytes in proportion to the steps done. The caller calls step with the steps done of all,
// and end after the last one. Of few bytes nobody would see the steps: then step is nil.
func (m *Meter) Through(bytes int64) (step func(done, of int), end func()) {
	if bytes < 1<<20 {
		return nil, func() { m.Add(bytes) }
	}
	counted := int64(0)
	to := func(n int64) {
		m.Add(n - counted)
		counted = n
	}
	return func(done, of int) { to(max(int64(float64(bytes)*float64(done)/float64(of)), counted)) }, func() { to(bytes) }
}
