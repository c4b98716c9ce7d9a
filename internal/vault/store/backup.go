package store

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"path/filepath"
	"sync"

	"github.com/klauspost/compress/zstd"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/disk"
)

// Blob is a piece of a run's backup file.
type Blob struct {
	Offset int64 `json:"offset"`
	Length int64 `json:"length"`           // bytes in the backup
	Size   int64 `json:"size"`             // bytes of the content
	Packed bool  `json:"packed,omitempty"` // as a Zstandard frame, RFC 8878
	// Digest is that of the content, zero where the entry has it.
	Digest change.Digest `json:"digest,omitzero"`
}

// Backup is a backup file being written, one piece after another.
type Backup struct {
	file disk.File

	mu sync.Mutex
	at int64
}

// NewBackup begins the backup of a run.
func (l *Locked) NewBackup(r *Record) (*Backup, error) {
	folder, err := l.runFolder(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(folder)
	f, err := folder.Create(backupName)
	if err != nil {
		return nil, err
	}
	return &Backup{file: f}, nil
}

// worthPacking is from how many bytes on a content is compressed.
const worthPacking = 4096

var encoder = sync.OnceValue(func() *zstd.Encoder {
	e, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	if err != nil {
		panic(err) // the options are constant
	}
	return e
})

// Put appends a content, compressed where that pays. It may be called by several
// goroutines at once.
func (b *Backup) Put(content []byte) (Blob, error) {
	blob := Blob{Length: int64(len(content)), Size: int64(len(content))}
	if len(content) >= worthPacking {
		if packed := encoder().EncodeAll(content, nil); len(packed) < len(content) {
			content = packed
			blob.Length, blob.Packed = int64(len(content)), true
		}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	blob.Offset = b.at
	b.at += int64(len(content))
	_, err := b.file.Write(content)
	return blob, err
}

// PutEdits appends edits.
func (b *Backup) PutEdits(edits edit.List) (Blob, error) {
	text := edits.Encode(nil)
	blob, err := b.Put(text)
	blob.Digest = change.DigestOf(text)
	return blob, err
}

// Close brings the backup to the disk and closes it.
func (b *Backup) Close() error { return errors.Join(b.file.Sync(), b.file.Close()) }

// errBackup is the reason where a piece of a backup is not what was put there.
var errBackup = errors.New("its backup is damaged")

// take reads a piece of a run's backup.
func (s *Store) take(r *Record, blob Blob) ([]byte, error) {
	folder, err := s.runFolder(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(folder)
	f, err := folder.Open(backupName)
	if err != nil {
		return nil, err
	}
	defer disk.Close(f)
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if blob.Offset < 0 || blob.Length < 0 || blob.Length > info.Size || blob.Offset > info.Size-blob.Length || blob.Size < 0 || blob.Size > disk.MaxContent {
		return nil, errBackup
	}
	content := make([]byte, blob.Length)
	if n, err := f.ReadAt(content, blob.Offset); int64(n) < blob.Length {
		return nil, errors.Join(errBackup, err)
	}
	if !blob.Packed {
		return content, nil
	}
	return unpack(content, blob.Size)
}

func unpack(packed []byte, size int64) ([]byte, error) {
	d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(uint64(max(size, 1))))
	if err != nil {
		return nil, err
	}
	defer d.Close()
	content, err := d.DecodeAll(packed, nil)
	if err != nil || int64(len(content)) != size {
		return nil, errBackup
	}
	return content, nil
}

// Old returns the content that a run's file had before it.
func (s *Store) Old(r *Record, e *Entry) ([]byte, error) {
	if e.What == change.Create {
		return nil, nil
	}
	content, err := s.take(r, e.Old)
	if err == nil && change.DigestOf(content) != e.Before {
		err = errBackup
	}
	if err != nil {
		return nil, fmt.Errorf("the old content of %s in run %s cannot be had: %w", e.Path, r.ID, err)
	}
	return content, nil
}

// Edits returns what a run did to one of its files, against its old content: edits that
// fit it and make the content that the record says.
func (s *Store) Edits(r *Record, e *Entry, old []byte) (edit.List, error) {
	edits, err := s.EditsOf(r, e, old)
	if err == nil && e.What != change.Remove && change.DigestOf(edits.Apply(old)) != e.After {
		err = fmt.Errorf("the changes of %s in run %s cannot be had: %w", e.Path, r.ID, errBackup)
	}
	return edits, err
}

// EditsOf is Edits for whoever holds what they make against what it should be.
func (s *Store) EditsOf(r *Record, e *Entry, old []byte) (edit.List, error) {
	text, err := s.take(r, e.Edits)
	var edits edit.List
	if err == nil && e.Edits.Digest != (change.Digest{}) && change.DigestOf(text) != e.Edits.Digest {
		err = errBackup
	}
	if err == nil {
		if edits, err = decodeEdits(text); err != nil || !edits.Fits(len(old)) {
			err = errBackup
		}
	}
	if err != nil {
		return nil, fmt.Errorf("the changes of %s in run %s cannot be had: %w", e.Path, r.ID, err)
	}
	return edits, nil
}

// decodeEdits reads edits as PutEdits writes them, or as JSON, in records of format 2.
func decodeEdits(text []byte) (edits edit.List, err error) {
	if edit.IsEncoded(text) {
		return edit.Decode(text)
	}
	err = json.Unmarshal(text, &edits)
	return edits, err
}

// stagedName is where the new content of a file waits that is rewritten in place.
func stagedName(i int) string { return fmt.Sprintf("new-%d", i) }

// PutStaged keeps the new content of file i of a run, which is rewritten in place, for
// proofs to see. It need not outlive a crash, after which the old content comes back.
func (l *Locked) PutStaged(r *Record, i int, content []byte) error {
	folder, err := l.runFolder(r.ID)
	if err != nil {
		return err
	}
	defer disk.Close(folder)
	return disk.WriteFile(folder, stagedName(i), content, disk.Unsynced)
}

// StagedPath is the path of what PutStaged keeps.
func (s *Store) StagedPath(r *Record, i int) string {
	return filepath.Join(s.runsPath(), r.ID, stagedName(i))
}

// StagedContent reads what PutStaged keeps.
func (l *Locked) StagedContent(r *Record, i int) ([]byte, error) {
	folder, err := l.runFolder(r.ID)
	if err != nil {
		return nil, err
	}
	defer disk.Close(folder)
	content, _, err := disk.ReadFile(folder, stagedName(i))
	if err == nil && change.DigestOf(content) != r.Files[i].After {
		err = fmt.Errorf("the staged content of %s is damaged", r.Files[i].Path)
	}
	return content, err
}

// DropStaged removes what PutStaged keeps; it need not be there.
func (l *Locked) DropStaged(r *Record, i int) {
	if folder, err := l.runFolder(r.ID); err == nil {
		_ = folder.Remove(stagedName(i))
		disk.Close(folder)
	}
}

// Extract writes the old content of a file beside the records, where a person can get at
// it, and returns its path.
func (l *Locked) Extract(r *Record, i int) (string, error) {
	old, err := l.Old(r, &r.Files[i])
	if err != nil {
		return "", err
	}
	folder, err := l.runFolder(r.ID)
	if err != nil {
		return "", err
	}
	defer disk.Close(folder)
	name := fmt.Sprintf("old-%d", i)
	if have, _, err := disk.ReadFile(folder, name); err != nil || !bytes.Equal(have, old) {
		if err := disk.RemoveIfThere(folder, name); err != nil {
			return "", err
		}
		if err := disk.WriteFile(folder, name, old, disk.Synced); err != nil {
			return "", err
		}
	}
	return filepath.Join(l.runsPath(), r.ID, name), folder.Sync()
}
