package change

import (
	"errors"
	"hash"
	"hash/maphash"
	"io"
	"sync"

	"frizzel/internal/digest"
	"frizzel/internal/disk"
)

// A Print identifies a content while this process runs, at a fraction of a digest's cost. It consists of the size
// and the keyed hashes of the chunks of ChunkSize bytes, in order. The key is in this process's memory, so nobody
// else can make two contents with the same print.
type Print struct {
	Size int64
	Sum  uint64
}

// ChunkSize is the size of a chunk in bytes.
const ChunkSize = 256 << 10

var seed = maphash.MakeSeed()

// SumOf returns the sum of a chunk.
func SumOf(chunk []byte) uint64 { return maphash.Bytes(seed, chunk) }

// With returns the fingerprint of a content with one more chunk of size bytes.
func (p Print) With(sum uint64, size int) Print {
	if size == 0 {
		return p
	}
	var h maphash.Hash
	h.SetSeed(seed)
	maphash.WriteComparable(&h, [2]uint64{p.Sum, sum})
	return Print{p.Size + int64(size), h.Sum64()}
}

// A Printing computes the print of the content that is written to it. The zero Printing is ready to use.
type Printing struct {
	print Print
	chunk []byte
}

// Write takes the next bytes.
func (p *Printing) Write(content []byte) (int, error) {
	for rest := content; len(rest) > 0; {
		if len(p.chunk) == 0 && len(rest) >= ChunkSize {
			p.print, rest = p.print.With(SumOf(rest[:ChunkSize]), ChunkSize), rest[ChunkSize:]
			continue
		}
		n := min(len(rest), ChunkSize-len(p.chunk))
		p.chunk, rest = append(p.chunk, rest[:n]...), rest[n:]
		if len(p.chunk) == ChunkSize {
			p.print, p.chunk = p.print.With(SumOf(p.chunk), ChunkSize), p.chunk[:0]
		}
	}
	return len(content), nil
}

// Print returns the fingerprint of the bytes written so far.
func (p *Printing) Print() Print { return p.print.With(SumOf(p.chunk), len(p.chunk)) }

// ReadFile is Read for an open file.
func ReadFile(f disk.File, by digest.Algorithm) (digest.Digest, Print, error) {
	return Read(disk.Reader(f), by)
}

// buffers are for contents of less than their size in bytes, as most are.
var buffers = sync.Pool{New: func() any { return new([64 << 10]byte) }}

// Read reads a content to its end, and returns its digest, made in one way, and its print.
func Read(in io.Reader, by digest.Algorithm) (digest.Digest, Print, error) {
	var sums hash.Hash // nil up to the end of the first chunk
	buffer := buffers.Get().(*[64 << 10]byte)
	defer buffers.Put(buffer)
	print, chunk := Print{}, buffer[:0]
	for {
		n, err := io.ReadFull(in, chunk[len(chunk):cap(chunk)])
		chunk = chunk[:len(chunk)+n]
		ended := errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)
		if err != nil && !ended {
			return digest.Digest{}, Print{}, err
		}
		if !ended && cap(chunk) < ChunkSize {
			chunk = append(make([]byte, 0, ChunkSize), chunk...)
			continue
		}
		print = print.With(SumOf(chunk), len(chunk))
		if ended && sums == nil {
			return by.Of(chunk), print, nil
		}
		if sums == nil {
			sums = by.New()
		}
		sums.Write(chunk)
		if ended {
			return by.Sum(sums), print, nil
		}
		chunk = chunk[:0]
	}
}
