package run

import (
	"bytes"
	"errors"

	"frizzel/internal/change"
)

// errChanged means that a large file changed while it was read.
var errChanged = errors.New("it changed while it was read")

// A tiling checks that the windows of a file were read from one content. A window's last line extends into the following
// chunks, whose bytes are read once more for the next window and for their sum: both reads must be equal, and each
// window must begin where the one before ends. Otherwise the sum would cover other bytes than the rules saw.
type tiling struct {
	width int64
	end   int64    // end of the last window
	sums  []uint64 // of the whole chunks after the current one that the last window extends over
	rest  []byte   // what it has of the chunk after those
}

// add checks the next window of the file, in order.
func (t *tiling) add(w *pane) error {
	at := int64(w.k) * t.width
	switch {
	case len(t.sums) > 0:
		if t.sums[0] != w.sum {
			return errChanged
		}
		t.sums = t.sums[1:]
	case !bytes.HasPrefix(w.Chunk, t.rest):
		return errChanged
	default:
		t.rest = t.rest[:0]
	}
	if w.File == nil {
		if t.end < at+int64(len(w.Chunk)) {
			return errChanged
		}
		return nil
	}
	if w.Offset != t.end {
		return errChanged
	}
	t.end += int64(len(w.Raw))
	if ahead := t.end - at - int64(len(w.Chunk)); ahead > 0 {
		t.keep(w.Raw[int64(len(w.Raw))-ahead:])
	}
	return nil
}

// keep sums the whole chunks of ahead, the bytes after a chunk, and copies the rest.
func (t *tiling) keep(ahead []byte) {
	for int64(len(ahead)) >= t.width {
		t.sums = append(t.sums, change.SumOf(ahead[:t.width]))
		ahead = ahead[t.width:]
	}
	t.rest = append(t.rest[:0], ahead...)
}
