package vault

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"sync"

	"github.com/klauspost/compress/zstd"

	"frizzel/core/edit"
)

// Blob is a piece of a run's backup file.
type Blob struct {
	Offset int64 `json:"offset"`
	Length int64 `json:"length"`           // bytes in the backup
	Size   int64 `json:"size"`             // bytes of the content
	Packed bool  `json:"packed,omitempty"` // as a Zstandard frame, RFC 8878
}

// backup is a backup file being written, one piece after another.
type backup struct {
	file    *file
	encoder *zstd.Encoder

	mu sync.Mutex
	at int64
}

func (v *Vault) newBackup(r *Record) (*backup, error) {
	f, err := v.disk.openFile(filepath.Join(v.runs(), r.ID, backupName), os.O_CREATE|os.O_EXCL|os.O_WRONLY)
	if err != nil {
		return nil, err
	}
	encoder, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	return &backup{file: f, encoder: encoder}, err
}

// worthPacking is from how many bytes on a content is compressed.
const worthPacking = 4096

// put appends a content, compressed where that pays. It may be called by several
// hands at once.
func (b *backup) put(content []byte) (Blob, error) {
	blob := Blob{Length: int64(len(content)), Size: int64(len(content))}
	if len(content) >= worthPacking {
		if packed := b.encoder.EncodeAll(content, nil); len(packed) < len(content) {
			content = packed
			blob.Length, blob.Packed = int64(len(content)), true
		}
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	blob.Offset = b.at
	b.at += int64(len(content))
	return blob, b.file.write(content)
}

func (b *backup) putEdits(edits edit.List) (Blob, error) {
	text, err := json.Marshal(edits)
	if err != nil {
		return Blob{}, err
	}
	return b.put(text)
}

// take reads a piece of a run's backup.
func (v *Vault) take(r *Record, blob Blob) ([]byte, error) {
	f, err := v.disk.openFile(filepath.Join(v.runs(), r.ID, backupName), os.O_RDONLY)
	if err != nil {
		return nil, err
	}
	defer func() { _ = f.Close() }()
	content := make([]byte, blob.Length)
	if err := f.readAt(content, blob.Offset); err != nil {
		return nil, fmt.Errorf("the backup of run %s is damaged: %w", r.ID, err)
	}
	if !blob.Packed {
		return content, nil
	}
	d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	defer d.Close()
	if content, err = d.DecodeAll(content, make([]byte, 0, blob.Size)); err != nil {
		return nil, fmt.Errorf("the backup of run %s is damaged: %w", r.ID, err)
	}
	return content, nil
}

// Old returns the content that a run's file had before it, and Edits what the run
// did to it.
func (v *Vault) Old(r *Record, e *Entry) ([]byte, error) {
	content, err := v.take(r, e.Old)
	if err == nil && DigestOf(content) != e.Before {
		err = fmt.Errorf("the backup of run %s is damaged: %s is not what it was", r.ID, e.Path)
	}
	return content, err
}

// Edits returns what a run did to one of its files, against its old content.
func (v *Vault) Edits(r *Record, e *Entry) (edit.List, error) {
	text, err := v.take(r, e.Edits)
	if err != nil {
		return nil, err
	}
	var edits edit.List
	return edits, json.Unmarshal(text, &edits)
}
