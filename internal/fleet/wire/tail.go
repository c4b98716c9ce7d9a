package wire

import (
	"strings"
	"sync"
)

// maxTail is the number of bytes that a Tail keeps.
const maxTail = 16 << 10

// A Tail keeps the end of what is written to it, for a message. It is ready for use.
type Tail struct {
	mu   sync.Mutex
	text []byte
}

// Write appends to the text. It never fails.
func (t *Tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.text = append(t.text, p...)
	if over := len(t.text) - maxTail; over > 0 {
		t.text = append(t.text[:0], t.text[over:]...)
	}
	return len(p), nil
}

// String returns the text as UTF-8.
func (t *Tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return strings.ToValidUTF8(string(t.text), "\uFFFD")
}
