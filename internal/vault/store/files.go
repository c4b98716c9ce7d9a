package store

import (
	"bufio"
	"crypto/sha256"
	"encoding/base32"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"iter"
	"strings"
	"sync"

	"github.com/klauspost/compress/zstd"

	"frizzel/internal/change"
	"frizzel/internal/spool"
	"frizzel/internal/trailer"
)

// Files are the files of a run by their numbers, from 0, which may be too many to be held.
type Files struct {
	secret string // makes the names of what is on its way
	count  int
	read   func(*Files) error // nil once they are read
	once   sync.Once
	err    error
	table  spool.Table
}

// NewFiles returns n files of a run, which are to be Set.
func NewFiles(secret string, n int) *Files {
	f := &Files{secret: secret, count: n}
	f.table.Grow(n)
	return f
}

// FilesOf returns files that are known.
func FilesOf(secret string, all []Entry) (*Files, error) {
	f := NewFiles(secret, len(all))
	for i := range all {
		if err := f.Set(i, &all[i]); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// Len returns how many files there are; nil has none.
func (f *Files) Len() int {
	if f == nil {
		return 0
	}
	return f.count
}

// Set says what is known of file i. It may be called by several goroutines at once, each for
// files of its own.
func (f *Files) Set(i int, e *Entry) error {
	var to change.Encoder
	known := *e
	if f.secret != "" {
		known.Temp, known.Back = "", ""
	}
	known.encode(&to)
	return f.table.Set(i, to.Text)
}

// At returns what is known of file i.
func (f *Files) At(i int) (*Entry, error) {
	if f.read != nil {
		f.once.Do(func() { f.err = f.read(f) })
	}
	if f.err != nil {
		return nil, f.err
	}
	text, err := f.table.At(i, nil)
	if err != nil {
		return nil, err
	}
	e, err := decodeEntry(text)
	if err == nil && f.secret != "" {
		e.Temp, e.Back = f.name(i, "temp"), f.name(i, "back")
	}
	return e, err
}

// name makes the name of what is on its way to file i, which nobody else has.
func (f *Files) name(i int, what string) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "%s %d %s", f.secret, i, what))
	return change.TempPrefix + strings.ToLower(base32.StdEncoding.WithPadding(base32.NoPadding).EncodeToString(sum[:16]))
}

// All yields all files.
func (f *Files) All() iter.Seq2[*Entry, error] {
	return func(yield func(*Entry, error) bool) {
		for i := range f.Len() {
			if e, err := f.At(i); !yield(e, err) || err != nil {
				return
			}
		}
	}
}

// write writes all files, compressed.
func (f *Files) write(out io.Writer) error {
	packed, err := zstd.NewWriter(out, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true))
	if err != nil {
		return err
	}
	b := bufio.NewWriterSize(packed, 64<<10)
	var text []byte
	for i := range f.count {
		if text, err = f.table.At(i, text); err != nil {
			return err
		}
		_, _ = b.Write(binary.AppendUvarint(nil, uint64(len(text)))) // which keeps its error
		_, _ = b.Write(text)
	}
	return errors.Join(b.Flush(), packed.Close())
}

// readFrom reads what write wrote.
func (f *Files) readFrom(in io.Reader) error {
	unpacked, err := zstd.NewReader(in, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true), zstd.WithDecoderMaxWindow(64<<20))
	if err != nil {
		return err
	}
	defer unpacked.Close()
	b := bufio.NewReaderSize(unpacked, 64<<10)
	f.table = spool.Table{}
	var text []byte
	for range f.count {
		size, err := binary.ReadUvarint(b)
		if err != nil || size > mostEntry {
			return trailer.ErrDamaged
		}
		if uint64(cap(text)) < size {
			text = make([]byte, size)
		}
		if _, err := io.ReadFull(b, text[:size]); err != nil {
			return trailer.ErrDamaged
		}
		if err := f.table.Add(text[:size]); err != nil {
			return err
		}
	}
	return nil
}

// mostEntry is how many bytes are written of one file: three paths, and attributes.
const mostEntry = 64 << 20

// encode appends what is known of a file, but for the names of what is on its way.
func (e *Entry) encode(to *change.Encoder) {
	to.String(string(e.Folder))
	to.String(string(e.Name))
	to.String(string(e.Path))
	to.ID(e.In)
	to.String(string(e.What))
	to.String(string(e.Role))
	to.Ints(e.Rules)
	inPlace := int64(0)
	if e.InPlace {
		inPlace = 1
	}
	to.Int(inPlace)
	to.ID(e.Inode)
	to.ID(e.Staged)
	to.Meta(e.Was)
	e.Old.encode(to)
	e.Edits.encode(to)
	to.String(e.Temp)
	to.String(e.Back)
	to.Digest(e.Before)
	to.Digest(e.After)
}

func decodeEntry(text []byte) (*Entry, error) {
	d := change.Decoder{Text: text}
	e := &Entry{
		Folder: change.Path(d.String()), Name: change.Path(d.String()), Path: change.Path(d.String()), In: d.ID(),
		What: change.What(d.String()), Role: change.Role(d.String()), Rules: d.Ints(),
		InPlace: d.Int() == 1, Inode: d.ID(), Staged: d.ID(), Was: d.Meta(), Old: decodeBlob(&d), Edits: decodeBlob(&d),
		Temp: d.String(), Back: d.String(), Before: d.Digest(), After: d.Digest(),
	}
	if d.Err != nil || len(d.Text) > 0 {
		return nil, trailer.ErrDamaged
	}
	return e, nil
}

func (b *Blob) encode(to *change.Encoder) {
	packed := int64(0)
	if b.Packed {
		packed = 1
	}
	for _, n := range []int64{int64(b.Block), b.Offset, b.Length, b.Size, packed, int64(b.Count)} {
		to.Int(n)
	}
	to.Digest(b.Digest)
}

func decodeBlob(d *change.Decoder) Blob {
	return Blob{
		Block: int(d.Int()), Offset: d.Int(), Length: d.Int(), Size: d.Int(), Packed: d.Int() == 1, Count: int(d.Int()), Digest: d.Digest(),
	}
}
