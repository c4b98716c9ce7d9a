package seal

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"iter"
	"math"
	"path/filepath"

	"github.com/klauspost/compress/zstd"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/trailer"
)

// Writer makes a seal's file.
type Writer struct {
	out   *trailer.Writer
	lines *json.Encoder
}

// NewWriter begins a seal's file.
func NewWriter(out io.Writer, about About) (*Writer, error) {
	w := &Writer{out: trailer.NewWriter(name, out)}
	w.lines = json.NewEncoder(w.out)
	return w, w.lines.Encode(about)
}

// Close ends the file in its digest.
func (w *Writer) Close() error { return w.out.Close() }

// Add adds a file: its old content, the edits to it, the number of changes, and a function that writes the diff.
// newName is the last part of its path afterwards, "" if it stays.
func (w *Writer) Add(path, newName string, changes int, old edit.Opener, edits edit.Source, diff func(io.Writer) error) error {
	abs, err := filepath.Abs(path)
	if err == nil {
		abs, err = filepath.EvalSymlinks(abs)
	}
	if err != nil {
		return err
	}
	if err := w.lines.Encode(line{Path: change.Path(abs), Changes: changes, NewName: change.Path(newName)}); err != nil {
		return err
	}
	by := digest.By()
	before, after := by.New(), by.New()
	if err := w.fresh(old, edits, before, after); err != nil {
		return err
	}
	back := &chunks{lines: w.lines, as: func(p []byte) line { return line{Back: p} }}
	if err := errors.Join(edit.Write(back, edit.Inverse{Edits: edits, Open: old}), back.Close()); err != nil {
		return err
	}
	shown := &chunks{lines: w.lines, text: true, as: func(p []byte) line { return line{Diff: string(p)} }}
	if err := errors.Join(diff(shown), shown.Close()); err != nil {
		return err
	}
	return w.lines.Encode(line{Edits: edits.Len(), Before: by.Sum(before), After: by.Sum(after)})
}

// fresh writes what edits make of a content, and takes both to what sums them up.
func (w *Writer) fresh(old edit.Opener, edits edit.Source, before, after io.Writer) error {
	in, err := old()
	if err != nil {
		return err
	}
	defer func() { _ = in.Close() }()
	fresh := &chunks{lines: w.lines, as: func(p []byte) line { return line{Fresh: p} }}
	packer, err := zstd.NewWriter(fresh, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true))
	if err != nil {
		return err
	}
	err = edit.Rewrite(io.MultiWriter(after, packer), io.TeeReader(in, before), edits)
	return errors.Join(err, packer.Close(), fresh.Close())
}

// chunks writes a content as lines of JSON.
type chunks struct {
	lines *json.Encoder
	as    func([]byte) line
	text  bool // chunks end where lines do
	chunk []byte
}

// chunkSize is the number of bytes of a content on one line.
const chunkSize = 48 << 10

func (p *chunks) Write(text []byte) (int, error) {
	for rest := text; len(rest) > 0; {
		n := min(len(rest), chunkSize-len(p.chunk))
		p.chunk, rest = append(p.chunk, rest[:n]...), rest[n:]
		if len(p.chunk) == chunkSize {
			whole := len(p.chunk)
			if n := bytes.LastIndexByte(p.chunk, '\n') + 1; p.text && n > 0 {
				whole = n
			}
			if err := p.put(whole); err != nil {
				return 0, err
			}
		}
	}
	return len(text), nil
}

// Close writes the rest.
func (p *chunks) Close() error {
	if len(p.chunk) == 0 {
		return nil
	}
	return p.put(len(p.chunk))
}

// put writes the first n bytes as a line.
func (p *chunks) put(n int) error {
	err := p.lines.Encode(p.as(p.chunk[:n]))
	p.chunk = append(p.chunk[:0], p.chunk[n:]...)
	return err
}

// joined reads the chunks of one kind of a file, one after another.
type joined struct {
	lines *json.Decoder
	of    func(line) []byte
	chunk []byte
	over  bool
}

func (j *joined) Read(p []byte) (int, error) {
	for len(j.chunk) == 0 {
		var l line
		if j.over {
			return 0, io.EOF
		}
		if err := j.lines.Decode(&l); err != nil {
			return 0, trailer.ErrDamaged
		}
		j.chunk, j.over = j.of(l), l.After != digest.Digest{}
	}
	n := copy(p, j.chunk)
	j.chunk = j.chunk[n:]
	return n, nil
}

// chunks reads the chunks of one kind.
func (f *File) chunks(of func(line) []byte) io.Reader {
	return &joined{lines: json.NewDecoder(io.NewSectionReader(f.seal.file, f.at, math.MaxInt64-f.at)), of: of}
}

// openFresh returns a reader of the new content.
func (f *File) openFresh() (io.ReadCloser, error) {
	in := f.chunks(func(l line) []byte { return l.Fresh })
	unpacked, err := zstd.NewReader(in, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true), zstd.WithDecoderMaxWindow(64<<20))
	if err != nil {
		return nil, err
	}
	return unpacked.IOReadCloser(), nil
}

// openOld returns a reader of the old content.
func (f *File) openOld() (io.ReadCloser, error) { return edit.Edited(f.openFresh, f.back())() }

// back returns the edits from the new content to the old one.
func (f *File) back() edit.Source { return back{f} }

type back struct{ file *File }

func (b back) Len() int { return b.file.edits }

func (b back) All() iter.Seq2[edit.Edit, error] {
	return edit.Read(b.file.chunks(func(l line) []byte { return l.Back }))
}

// check holds both contents against their digests.
func (f *File) check() error {
	if !f.HasContent() {
		return nil
	}
	for _, c := range []struct {
		open edit.Opener
		sum  digest.Digest
	}{{f.openFresh, f.After}, {f.openOld, f.Before}} {
		in, err := c.open()
		if err != nil {
			return err
		}
		is, _, err := change.Read(in, c.sum.By)
		if err = errors.Join(err, in.Close()); err != nil || is != c.sum {
			return trailer.ErrDamaged
		}
	}
	n := 0
	for _, err := range f.back().All() {
		if n++; err != nil {
			return trailer.ErrDamaged
		}
	}
	if n != f.edits {
		return trailer.ErrDamaged
	}
	return nil
}
