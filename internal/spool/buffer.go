package spool

import (
	"io"
	"os"
)

// A Buffer is written and then read back; large contents spill to disk. The zero Buffer is ready to use.
type Buffer struct {
	head []byte
	file *os.File // nil while all is in head
}

// Write appends text.
func (b *Buffer) Write(text []byte) (int, error) {
	b.head = append(b.head, text...)
	if len(b.head) < held {
		return len(text), nil
	}
	if b.file == nil {
		f, err := Temporary()
		if err != nil {
			return 0, err
		}
		b.file = f
	}
	_, err := b.file.Write(b.head)
	if b.head = b.head[:0]; err != nil {
		return 0, &Error{err}
	}
	return len(text), nil
}

// WriteTo writes the contents to out and empties the buffer.
func (b *Buffer) WriteTo(out io.Writer) (n int64, err error) {
	if b.file != nil {
		if _, err = b.file.Seek(0, io.SeekStart); err == nil {
			n, err = io.Copy(out, b.file)
		}
		_ = b.file.Close()
		b.file = nil
	}
	if err != nil {
		return n, err
	}
	more, err := out.Write(b.head)
	b.head = b.head[:0]
	return n + int64(more), err
}

// Close releases the buffer and its temporary file.
func (b *Buffer) Close() {
	if b.file != nil {
		_ = b.file.Close()
	}
	*b = Buffer{}
}
