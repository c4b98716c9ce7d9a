package store

import (
	"bytes"
	"errors"
	"fmt"
	"hash"
	"io"
	"iter"
	"sync"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
)

// ErrBackup is the error of a content of a backup that does not match its digest.
var ErrBackup = errors.New("its backup is damaged")

// verified reads a content, and fails at its end if it does not match its digest.
type verified struct {
	in      io.Reader
	packed  io.Closer // in, if it is compressed; else nil
	file    io.Closer
	hash    hash.Hash
	sum     digest.Digest // zero if the content is not verified
	size    int64         // -1 if it is not known
	read    int64
	damaged error
}

func (v *verified) Read(p []byte) (int, error) {
	n, err := v.in.Read(p)
	if v.hash != nil {
		v.hash.Write(p[:n])
	}
	v.read += int64(n)
	switch {
	case v.size >= 0 && v.read > v.size:
		return n, v.damaged
	case errors.Is(err, io.EOF):
		if v.size >= 0 && v.read < v.size || v.hash != nil && v.sum != (digest.Digest{}) && v.sum.By.Sum(v.hash) != v.sum {
			return n, v.damaged
		}
	case err != nil && v.packed != nil:
		return n, v.damaged
	}
	return n, err
}

func (v *verified) Close() error {
	if v.packed != nil {
		_ = v.packed.Close() // which only releases memory
	}
	return v.file.Close()
}

// open reads a piece of a run's backup.
func (s *Store) open(r *Record, blob Blob, sum digest.Digest) (io.ReadCloser, error) {
	if blob.Block > 0 {
		content, err := s.small(r, blob, sum)
		return io.NopCloser(bytes.NewReader(content)), err
	}
	return s.openPiece(r, blob, sum)
}

// content reads a piece of a run's backup whole; it may share memory with others.
func (s *Store) content(r *Record, blob Blob, sum digest.Digest) ([]byte, error) {
	if blob.Block > 0 {
		return s.small(r, blob, sum)
	}
	in, err := s.openPiece(r, blob, sum)
	if err != nil {
		return nil, err
	}
	defer disk.Close(in)
	return io.ReadAll(in)
}

// small reads one of many pieces in a block.
func (s *Store) small(r *Record, blob Blob, sum digest.Digest) ([]byte, error) {
	if blob.Block > len(r.Blocks) {
		return nil, ErrBackup
	}
	block, err := r.unpacked.get(blob.Block, func() ([]byte, error) {
		in, err := s.openPiece(r, r.Blocks[blob.Block-1], r.Blocks[blob.Block-1].Digest)
		if err != nil {
			return nil, err
		}
		defer disk.Close(in)
		return io.ReadAll(in)
	})
	if err != nil {
		return nil, err
	}
	if blob.Offset < 0 || blob.Size < 0 || blob.Offset > int64(len(block))-blob.Size {
		return nil, ErrBackup
	}
	content := block[blob.Offset:][:blob.Size:blob.Size]
	if !sum.Fits(content) {
		return nil, ErrBackup
	}
	return content, nil
}

// blocks are some blocks of a backup, unpacked.
type blocks struct {
	mu   sync.Mutex
	last [4]unpacked
	next int
}

type unpacked struct {
	number int // from 1
	text   []byte
}

// get returns a block. It calls read if the block is not in memory.
func (b *blocks) get(number int, read func() ([]byte, error)) ([]byte, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, u := range b.last {
		if u.number == number {
			return u.text, nil
		}
	}
	text, err := read()
	if err == nil {
		b.last[b.next] = unpacked{number, text}
		b.next = (b.next + 1) % len(b.last)
	}
	return text, err
}

// openPiece returns a reader of a piece that is not in a block.
func (s *Store) openPiece(r *Record, blob Blob, sum digest.Digest) (io.ReadCloser, error) {
	dir, err := s.runDir(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	f, err := dir.Open(backupName)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil && (blob.Offset < 0 || blob.Length < 0 || blob.Length > info.Size || blob.Offset > info.Size-blob.Length || blob.Size < 0) {
		err = ErrBackup
	}
	if err == nil && max(blob.Size, blob.Length) <= s.Limits.MaxHeld && blob.Packed <= Zstandard {
		defer disk.Close(f)
		return held(f, blob, sum)
	}
	v := &verified{file: f, hash: digest.By(sum).New(), sum: sum, size: blob.Size, damaged: ErrBackup}
	v.in = io.NewSectionReader(f, blob.Offset, blob.Length)
	if err == nil && blob.Packed != Unpacked {
		var in io.ReadCloser
		in, err = blob.Packed.reader(v.in)
		v.in, v.packed = in, in
	}
	if err != nil {
		disk.Close(f)
		return nil, err
	}
	return v, nil
}

// held reads a piece at once.
func held(backup disk.File, blob Blob, sum digest.Digest) (io.ReadCloser, error) {
	content := make([]byte, blob.Length)
	if n, err := backup.ReadAt(content, blob.Offset); n < len(content) {
		return nil, err
	}
	if blob.Packed == Zstandard {
		var err error
		if content, err = decoder().DecodeAll(content, make([]byte, 0, blob.Size)); err != nil {
			return nil, ErrBackup
		}
	}
	if int64(len(content)) != blob.Size || !sum.Fits(content) {
		return nil, ErrBackup
	}
	return io.NopCloser(bytes.NewReader(content)), nil
}

// OpenOld returns a reader of the content that a file had before the run. At the end it fails if the stored content
// is damaged.
func (s *Store) OpenOld(r *Record, e *Entry) (io.ReadCloser, error) {
	if e.Op == change.Create {
		return io.NopCloser(bytes.NewReader(nil)), nil
	}
	v, err := s.open(r, e.Old, e.Before)
	if err != nil {
		return nil, notHad("old content", r, e, err)
	}
	if v, ok := v.(*verified); ok {
		v.damaged = notHad("old content", r, e, ErrBackup)
	}
	return v, nil
}

// PeekOld is OpenOld for a caller that reads a part of the content, and compares the result with
// a digest of its own.
func (s *Store) PeekOld(r *Record, e *Entry) (io.ReadCloser, error) {
	in, err := s.OpenOld(r, e)
	if v, ok := in.(*verified); ok {
		v.hash = nil
	}
	return in, err
}

// notHad words the error of something that is kept of a file.
func notHad(what string, r *Record, e *Entry, err error) error {
	return fmt.Errorf("the %s of %s in run %s cannot be had: %w", what, e.Path, r.ID, err)
}

// Edits returns the edits of a run to one of its files, against the old content.
func (s *Store) Edits(r *Record, e *Entry) edit.Source { return keptEdits{s, r, e} }

// keptEdits are the edits of a file as they are kept.
type keptEdits struct {
	store  *Store
	record *Record
	entry  *Entry
}

// Len returns the number of edits.
func (k keptEdits) Len() int { return k.entry.Edits.Count }

// All reads them.
func (k keptEdits) All() iter.Seq2[edit.Edit, error] {
	return func(yield func(edit.Edit, error) bool) {
		fail := func(err error) { yield(edit.Edit{}, notHad("changes", k.record, k.entry, err)) }
		in, err := k.store.open(k.record, k.entry.Edits, k.entry.Edits.Digest)
		if err != nil {
			fail(err)
			return
		}
		defer disk.Close(in)
		n := 0
		for e, err := range edit.Read(in) {
			if n++; err != nil || n > k.Len() {
				fail(errors.Join(ErrBackup, err))
				return
			}
			if !yield(e, nil) {
				return
			}
		}
		if n < k.Len() {
			fail(ErrBackup)
		}
	}
}

// heldEdits reads a file's edits into memory.
func (s *Store) heldEdits(r *Record, e *Entry) (edit.List, error) {
	text, err := s.content(r, e.Edits, e.Edits.Digest)
	if err != nil {
		return nil, err
	}
	edits, err := edit.ReadAll(text)
	if err != nil {
		return nil, ErrBackup
	}
	return edits, nil
}

// Readable returns why the old content of a file cannot be had.
func (s *Store) Readable(r *Record, e *Entry) error {
	old, err := s.OpenOld(r, e)
	if err != nil {
		return err
	}
	defer disk.Close(old)
	_, err = io.Copy(io.Discard, old)
	return err
}

// Contents returns the old content of a run's file and the edits to it, verified against their digests. The file
// must be small enough for memory.
func (s *Store) Contents(r *Record, e *Entry) (old []byte, edits edit.List, err error) {
	if e.Op != change.Create {
		if old, err = s.content(r, e.Old, e.Before); err != nil {
			return nil, nil, notHad("old content", r, e, err)
		}
	}
	if edits, err = s.heldEdits(r, e); err != nil {
		return nil, nil, notHad("changes", r, e, err)
	}
	if !edits.Fits(len(old)) || e.Op != change.Remove && digest.By(e.After).Of(edits.Apply(old)) != e.After {
		return nil, nil, notHad("changes", r, e, ErrBackup)
	}
	return old, edits, nil
}

// Verify reads the stored data of a file and returns an error if it is damaged: the old content does not match its
// digest, or the edits do not produce the new content.
func (s *Store) Verify(r *Record, e *Entry) error {
	old, err := s.OpenOld(r, e)
	if err != nil {
		return err
	}
	defer disk.Close(old)
	by := digest.By(e.After)
	hash := by.New()
	err = edit.Rewrite(hash, old, s.Edits(r, e))
	if err == nil && e.Op != change.Remove && by.Sum(hash) != e.After || errors.Is(err, edit.ErrMisfit) {
		err = notHad("changes", r, e, ErrBackup)
	}
	return err
}
