package store

import (
	"bufio"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"io"
	"iter"
	"path/filepath"
	"strconv"
	"sync"

	"github.com/klauspost/compress/zstd"

	"frizzel/internal/change"
	"frizzel/internal/disk"
	"frizzel/internal/spool"
	"frizzel/internal/trailer"
)

// Files are the files of a run by their numbers, from 0, which may be too many to be held.
type Files struct {
	secret string // makes the names of temporary files
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

// Len returns the number of files; 0 for nil.
func (f *Files) Len() int {
	if f == nil {
		return 0
	}
	return f.count
}

// Set stores the entry of file i. Several goroutines may call it at once for different files.
func (f *Files) Set(i int, e *Entry) error {
	to := change.NewEncoder(usualEntry)
	e.encode(to)
	return f.table.Set(i, to.Text)
}

// usualEntry is the usual maximum size of an encoded entry in bytes.
const usualEntry = 512

// known reads the files, if that is not done.
func (f *Files) known() error {
	if f.read != nil {
		f.once.Do(func() { f.err = f.read(f) })
	}
	return f.err
}

// At returns file i.
func (f *Files) At(i int) (*Entry, error) {
	if err := f.known(); err != nil {
		return nil, err
	}
	text, err := f.table.At(i, nil)
	if err != nil {
		return nil, err
	}
	e, err := decodeEntry(text)
	if err == nil {
		e.secret, e.number = f.secret, i
	}
	return e, err
}

// Temp returns the name of the temporary file for the new content, in the target's directory.
func (e *Entry) Temp() string { return e.name('t') }

// Back returns the name of the temporary file for the old content when the file is restored.
func (e *Entry) Back() string { return e.name('b') }

// Between returns the temporary name of a file that is renamed to the name that another one leaves.
func (e *Entry) Between() string { return e.name('n') }

// name returns the unique, unguessable name of a temporary file of e.
func (e *Entry) name(what byte) string {
	sum := sha256.Sum256(append(strconv.AppendInt(append([]byte(e.secret), what), int64(e.number), 10), '\n'))
	return change.TempPrefix + hex.EncodeToString(sum[:13])
}

// Paths yields the whole paths of all files.
func (f *Files) Paths() iter.Seq2[string, error] {
	return func(yield func(string, error) bool) {
		var text []byte
		for i := range f.Len() {
			if err := f.known(); err != nil {
				yield("", err)
				return
			}
			var err error
			if text, err = f.table.At(i, text); err != nil {
				yield("", err)
				return
			}
			d := change.NewDecoder(text)
			if path := filepath.Join(d.String(), d.String()); !yield(path, d.Err) || d.Err != nil {
				return
			}
		}
	}
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

// manyEntries is the number of files from which entries are compressed concurrently with their encoding.
const manyEntries = 10_000

// write writes all files, compressed.
func (f *Files) write(out io.Writer) error {
	workers := 1
	if f.count >= manyEntries {
		workers = 2 // one encodes while the other compresses
	}
	packed, err := zstd.NewWriter(out, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(workers), zstd.WithLowerEncoderMem(true), zstd.WithWindowSize(512<<10))
	if err != nil {
		return err
	}
	b := bufio.NewWriterSize(packed, 64<<10)
	var text []byte
	for i := range f.count {
		if text, err = f.table.At(i, text); err != nil {
			return err
		}
		_, _ = b.Write(binary.AppendUvarint(b.AvailableBuffer(), uint64(len(text)))) // which keeps its error
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
		if err != nil || size > maxEntry {
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

// maxEntry is the maximum size in bytes of an encoded entry: three paths, and attributes.
const maxEntry = 64 << 20

// encode appends the entry without the names of its temporary files.
func (e *Entry) encode(to *change.Encoder) {
	to.String(string(e.Dir))
	to.String(string(e.Name))
	to.String(string(e.Path))
	to.ID(e.In)
	to.String(string(e.Op))
	to.String(string(e.Role))
	to.String(string(e.NewName))
	to.Int(int64(e.Kind))
	to.String(string(e.Target))
	to.String(string(e.NewTarget))
	to.Int(int64(e.Of))
	to.Ints(e.Rules)
	inPlace := int64(0)
	if e.InPlace {
		inPlace = 1
	}
	to.Int(inPlace)
	to.ID(e.Inode)
	to.ID(e.Staged)
	to.Int(e.Modified)
	to.Meta(e.Was)
	e.Old.encode(to)
	e.Edits.encode(to)
	to.Digest(e.Before)
	to.Digest(e.After)
}

func decodeEntry(text []byte) (*Entry, error) {
	d := change.NewDecoder(text)
	e := &Entry{
		Dir: change.Path(d.String()), Name: change.Path(d.String()), Path: change.Path(d.String()), In: d.ID(),
		Op: change.Op(d.String()), Role: change.Role(d.String()),
		NewName: change.Path(d.String()), Kind: disk.Kind(d.Int()), Target: change.Path(d.String()), NewTarget: change.Path(d.String()), Of: int(d.Int()),
		Rules:   d.Ints(),
		InPlace: d.Int() == 1, Inode: d.ID(), Staged: d.ID(), Modified: d.Int(), Was: d.Meta(), Old: decodeBlob(d), Edits: decodeBlob(d),
		Before: d.Digest(), After: d.Digest(),
	}
	if d.Err != nil || len(d.Text) > 0 {
		return nil, trailer.ErrDamaged
	}
	return e, nil
}

func (b *Blob) encode(to *change.Encoder) {
	for _, n := range [...]int64{int64(b.Block), b.Offset, b.Length, b.Size, int64(b.Packed), int64(b.Count)} {
		to.Int(n)
	}
	to.Digest(b.Digest)
}

func decodeBlob(d *change.Decoder) Blob {
	return Blob{
		Block: int(d.Int()), Offset: d.Int(), Length: d.Int(), Size: d.Int(), Packed: Packing(d.Int()), Count: int(d.Int()), Digest: d.Digest(),
	}
}
