package store

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"sync"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
)

// Blob is a piece of a run's backup file, or of a block of it.
type Blob struct {
	Block  int     `json:"block,omitempty"` // the number of the block, from 1, that Offset is in; 0 for none
	Offset int64   `json:"offset"`
	Length int64   `json:"length"` // bytes in the backup
	Size   int64   `json:"size"`   // bytes of the content
	Packed Packing `json:"packed,omitempty"`
	Count  int     `json:"count,omitempty"` // number of edits
	// Digest is that of the content, zero if the entry has it.
	Digest digest.Digest `json:"digest,omitzero"`
}

// Backup is a backup file being written, one piece after another; small ones share blocks, which
// are compressed together.
type Backup struct {
	file    *disk.Hastened
	minFast int64

	mu     sync.Mutex
	at     int64
	block  []byte // the current block
	blocks []Blob
}

// blockSize is the size in bytes from which a block is written.
const blockSize = 128 << 10

// NewBackup begins the backup of a run.
func (l *Locked) NewBackup(r *Record) (*Backup, error) {
	dir, err := l.runDir(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	f, err := dir.Create(backupName)
	if err != nil {
		return nil, err
	}
	return &Backup{file: &disk.Hastened{File: f}, minFast: l.Limits.MinFast}, nil
}

// worthPacking is the size in bytes from which a content is compressed separately.
const worthPacking = 4 << 10

const maxPacked = 64 << 20

// Put appends a content, compressed if that makes it smaller. Several goroutines may call it at once.
func (b *Backup) Put(content []byte) (Blob, error) {
	if len(content) < worthPacking {
		return b.putSmall(content)
	}
	return b.put(content)
}

// putSmall appends a content to the current block.
func (b *Backup) putSmall(content []byte) (Blob, error) {
	b.mu.Lock()
	blob := Blob{Block: len(b.blocks) + 1, Offset: int64(len(b.block)), Size: int64(len(content))}
	b.block = append(b.block, content...)
	full := len(b.block) >= blockSize
	var err error
	if full {
		err = b.flush()
	}
	b.mu.Unlock()
	return blob, err
}

// flush writes the current block.
func (b *Backup) flush() error {
	if len(b.block) == 0 {
		return nil
	}
	sum := digest.Of(b.block) // which finds what no content tells, such as the numbers of rules
	block, err := b.write(b.pack(b.block))
	block.Digest = sum
	b.blocks, b.block = append(b.blocks, block), b.block[:0]
	return err
}

func (b *Backup) put(content []byte) (Blob, error) {
	blob, packed := b.pack(content)
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.write(blob, packed)
}

// pack compresses a content, if that pays.
func (b *Backup) pack(content []byte) (Blob, []byte) {
	blob := Blob{Length: int64(len(content)), Size: int64(len(content))}
	if packed := encoder().EncodeAll(content, nil); len(packed) < len(content) {
		content = packed
		blob.Length, blob.Packed = int64(len(content)), Zstandard
	}
	return blob, content
}

// write writes what pack made of a content.
func (b *Backup) write(blob Blob, content []byte) (Blob, error) {
	blob.Offset = b.at
	b.at += int64(len(content))
	_, err := b.file.Write(content)
	return blob, err
}

// A ContentWriter appends a content in parts. No other content is appended before it ends.
type ContentWriter struct {
	backup *Backup
	packer io.WriteCloser
	blob   Blob
}

// Begin begins a content of about size bytes.
func (b *Backup) Begin(size int64) (*ContentWriter, error) {
	p := &ContentWriter{backup: b, blob: Blob{Packed: Zstandard}}
	switch {
	case size > maxPacked:
		p.blob.Packed = Unpacked
	case size >= b.minFast:
		p.blob.Packed = S2
	}
	var err error
	p.packer, err = p.blob.Packed.writer(pieceFile{p})
	b.mu.Lock()
	p.blob.Offset = b.at
	return p, err
}

// Write appends bytes of the content.
func (p *ContentWriter) Write(content []byte) (int, error) {
	p.blob.Size += int64(len(content))
	return p.packer.Write(content)
}

// A pieceFile writes the bytes of a piece to the backup.
type pieceFile struct{ *ContentWriter }

func (p pieceFile) Write(content []byte) (int, error) {
	n, err := p.backup.file.Write(content)
	p.blob.Length += int64(n)
	p.backup.at += int64(n)
	return n, err
}

// End finishes the piece and returns its position.
func (p *ContentWriter) End() (Blob, error) {
	defer p.backup.mu.Unlock()
	var err error
	if p.packer != nil { // else Begin failed
		err = p.packer.Close()
	}
	return p.blob, err
}

// manyEdits is the number of edits from which they are not kept in memory.
const manyEdits = 4096

// usualEdit is the approximate size of an encoded edit in bytes.
const usualEdit = 12

// PutEdits appends edits.
func (b *Backup) PutEdits(edits edit.Source) (Blob, error) {
	if edits.Len() <= manyEdits {
		text, err := edit.Append(nil, edits)
		if err != nil {
			return Blob{}, err
		}
		blob, err := b.Put(text)
		if blob.Count = edits.Len(); blob.Block == 0 { // else the new content's digest tells
			blob.Digest = digest.Of(text)
		}
		return blob, err
	}
	p, err := b.Begin(min(int64(edits.Len())*usualEdit, maxPacked))
	by := digest.By()
	hash := by.New()
	if err == nil {
		err = edit.Write(io.MultiWriter(hash, p), edits)
	}
	blob, endErr := p.End()
	blob.Count, blob.Digest = edits.Len(), by.Sum(hash)
	return blob, errors.Join(err, endErr)
}

// Close brings the backup to the disk and closes it, and says in the record where its blocks
// are.
func (b *Backup) Close(r *Record) error {
	err := b.flush()
	r.Blocks = b.blocks
	return errors.Join(err, b.file.Sync(), b.file.Close())
}

// stagedName returns the name of the staged content of file i, which is rewritten in place.
func stagedName(i int) string { return fmt.Sprintf("new-%d", i) }

// NewStaged creates the file with the new content of file i of a run, which is rewritten in place, for proofs. It
// need not survive a crash, after which the old content is restored.
func (l *Locked) NewStaged(r *Record, i int) (disk.File, error) {
	dir, err := l.runDir(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	return dir.Create(stagedName(i))
}

// StagedPath is the path of what NewStaged makes.
func (s *Store) StagedPath(r *Record, i int) string {
	return filepath.Join(s.runsPath(), r.ID, stagedName(i))
}

// OpenStaged reads what NewStaged made. At its end it fails if the digest does not match.
func (l *Locked) OpenStaged(r *Record, i int, e *Entry) (io.ReadCloser, error) {
	dir, err := l.runDir(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(dir)
	f, err := dir.Open(stagedName(i))
	if err != nil {
		return nil, err
	}
	damaged := fmt.Errorf("the staged content of %s is damaged", e.Path)
	return &verified{in: disk.Reader(f), file: f, hash: digest.By(e.After).New(), sum: e.After, size: -1, damaged: damaged}, nil
}

// DropStaged removes what NewStaged makes; it need not be there.
func (l *Locked) DropStaged(r *Record, i int) {
	if dir, err := l.runDir(r.ID); err == nil {
		_ = dir.Remove(stagedName(i))
		disk.Close(dir)
	}
}

// Extract writes the old content of a file next to the records, for the user to inspect, and returns its path.
func (l *Locked) Extract(r *Record, i int, e *Entry) (string, error) {
	dir, err := l.runDir(r.ID)
	if err != nil {
		return "", err
	}
	defer disk.Close(dir)
	name := fmt.Sprintf("old-%d", i)
	if !holds(dir, name, e.Before) {
		if err := disk.RemoveIfThere(dir, name); err != nil {
			return "", err
		}
		if err := l.extract(r, e, dir, name); err != nil {
			_ = dir.Remove(name)
			return "", err
		}
	}
	return filepath.Join(l.runsPath(), r.ID, name), dir.Sync()
}

// holds reports whether a file holds a content.
func holds(dir disk.Dir, name string, content digest.Digest) bool {
	f, err := dir.Open(name)
	if err != nil {
		return false
	}
	defer disk.Close(f)
	is, _, err := change.ReadFile(f, digest.By(content))
	return err == nil && is == content
}

func (l *Locked) extract(r *Record, e *Entry, dir disk.Dir, name string) error {
	old, err := l.OpenOld(r, e)
	if err != nil {
		return err
	}
	defer disk.Close(old)
	f, err := dir.Create(name)
	if err != nil {
		return err
	}
	if _, err = io.Copy(f, old); err == nil {
		err = f.Sync()
	}
	return errors.Join(err, f.Close())
}
