package textfile

import (
	"errors"
	"fmt"
	"io"

	"frizzel/core/lines"
)

// Windows splits a file's text into windows of whole lines, which can be read independently: window k contains the
// lines that begin in the k-th Width bytes of the file. A longer line extends its window and leaves the following
// ones empty.
type Windows struct {
	Form
	File  io.ReaderAt // which may be read by several goroutines at once
	Size  int64       // bytes
	Width int64       // bytes
}

// Count returns the number of windows.
func (w *Windows) Count() int { return int((w.Size + w.Width - 1) / w.Width) }

// Window is one run of whole lines.
type Window struct {
	*File // nil if no line begins there
	// Offset is the window's offset in the file in bytes.
	Offset int64
	// Chunk is the k-th Width bytes of the file, whatever lines begin there.
	Chunk []byte
}

// MostHeld is the maximum number of bytes of a text in memory.
const MostHeld = 2 << 30

// ErrTooLong is the error of a line that cannot be held.
var ErrTooLong = fmt.Errorf("one line is longer than the %d bytes that can be held at once", MostHeld)

// ErrShrunk is the error for a file that became shorter while it was read.
var ErrShrunk = errors.New("it became shorter while it was read")

// Read reads window k into the buffer, or a larger one, which the Window then shares.
func (w *Windows) Read(k int, buffer []byte) (Window, []byte, error) {
	lo := int64(k) * w.Width
	hi := min(lo+w.Width, w.Size)
	before := int64(len(w.lineFeed)) // to see whether a line ends right before
	if k == 0 {
		before = 0
	}
	buffer, err := w.read(grown(buffer, int(hi-lo+before)+longAhead), lo-before, hi)
	if err != nil {
		return Window{}, buffer, err
	}
	win := Window{Offset: lo}
	start := 0
	if k > 0 {
		if start = w.afterLineFeed(buffer, lo-before); start < 0 || lo-before+int64(start) >= hi {
			win.Chunk = buffer[before:]
			return win, buffer, nil
		}
	}
	win.Offset = lo - before + int64(start)
	if buffer, err = w.lastLine(buffer, lo-before); err != nil {
		return win, buffer, err
	}
	win.Chunk = buffer[before : hi-lo+before]
	win.File = w.Decode(buffer[start:], k == 0)
	win.window = true
	return win, buffer, nil
}

// From reads whole lines from offset, the start of a line: size bytes and the rest of the last line.
func (w *Windows) From(offset, size int64, buffer []byte) (Window, []byte, error) {
	end := min(offset+size, w.Size)
	buffer, err := w.read(grown(buffer, int(end-offset)+longAhead), offset, end)
	if err == nil {
		buffer, err = w.lastLine(buffer, offset)
	}
	win := Window{Offset: offset}
	if err == nil {
		win.File = w.Decode(buffer, offset == 0)
		win.window = true
	}
	return win, buffer, err
}

// Cut returns the first text bytes of the window, which end with a line, as a window.
func (w *Windows) Cut(win Window, text int) Window {
	raw := win.mark + text
	if w.Decoded() {
		m := mapper{encoding: w.encoding, raw: win.Raw, at: win.mark}
		raw = m.to(text)
	}
	win.File = w.Decode(win.Raw[:raw], win.Offset == 0)
	win.window = true
	return win
}

// lookAhead is the number of bytes after a window that are read at once to find the end of its last line.
// longAhead is the maximum number of such bytes that are kept in memory before the end is found.
const (
	lookAhead = 4 << 10
	longAhead = 64 << 10
)

// lastLine extends buffer, which contains the file's bytes from offset, to the end of its last line.
func (w *Windows) lastLine(buffer []byte, offset int64) ([]byte, error) {
	have := len(buffer)
	if n := len(w.lineFeed); have >= n && w.afterLineFeed(buffer[have-n:], offset+int64(have-n)) == n {
		return buffer, nil
	}
	at := offset + int64(have)
	from := max(have-len(w.lineFeed)+1, 0) // an encoded newline may be split
	for ahead := int64(lookAhead); ; ahead *= 2 {
		if ahead > longAhead { // find the end of a very long line before reading it
			end, err := w.endOfLine(at)
			if err != nil {
				return buffer, err
			}
			return w.read(grown(buffer, int(end-offset)), at, end)
		}
		to := min(at+ahead, w.Size)
		var err error
		if buffer, err = w.read(grown(buffer, len(buffer)+int(to-at)), at, to); err != nil {
			return buffer, err
		}
		if end := w.afterLineFeed(buffer[from:], offset+int64(from)); end >= 0 {
			return buffer[:from+end], nil
		}
		if to == w.Size {
			return buffer, nil
		}
		at, from = to, max(len(buffer)-len(w.lineFeed)+1, 0)
	}
}

// endOfLine returns the end of the line that contains the file's byte at.
func (w *Windows) endOfLine(at int64) (int64, error) {
	overlap := int64(len(w.lineFeed)) - 1
	most := at + MostHeld
	at = max(at-overlap, 0)
	buffer := make([]byte, 0, longAhead)
	for {
		to := min(at+longAhead, w.Size)
		var err error
		if buffer, err = w.read(buffer[:0], at, to); err != nil {
			return 0, err
		}
		if end := w.afterLineFeed(buffer, at); end >= 0 {
			return at + int64(end), nil
		}
		switch {
		case to == w.Size:
			return to, nil
		case to > most:
			return to, ErrTooLong
		}
		at = to - overlap
	}
}

// read appends the bytes [from, to) of the file to buffer, which has room for them.
func (w *Windows) read(buffer []byte, from, to int64) ([]byte, error) {
	n := len(buffer)
	buffer = buffer[:n+int(to-from)]
	read, err := w.File.ReadAt(buffer[n:], from)
	if read < int(to-from) {
		if err == nil || errors.Is(err, io.EOF) {
			err = ErrShrunk
		}
		return buffer[:n], err
	}
	return buffer, nil
}

// grown returns buffer with a capacity of at least size bytes.
func grown(buffer []byte, size int) []byte {
	if cap(buffer) >= size {
		return buffer
	}
	return append(make([]byte, 0, size), buffer...)
}

// FirstEnding returns the ending of the text's first line, "\n" if it has none.
func (w *Windows) FirstEnding() (string, error) {
	end, err := w.endOfLine(0)
	if err != nil {
		return "", err
	}
	from := max(end-int64(2*len(w.lineFeed)), 0)
	last, err := w.read(make([]byte, 0, end-from), from, end)
	if err != nil {
		return "", err
	}
	return lines.FirstEnding(w.Decode(last, false).Text), nil
}
