package store

import (
	"io"
	"sync"

	"github.com/klauspost/compress/s2"
	"github.com/klauspost/compress/zstd"
)

// Packing is how a piece of a backup is compressed.
type Packing byte

// The packings, by the numbers that they have in records.
const (
	Unpacked  Packing = 0
	Zstandard Packing = 1 // a frame of RFC 8878
	S2        Packing = 2 // a stream of S2, which extends Snappy
)

// writer returns what compresses as it comes, to be closed.
func (p Packing) writer(out io.Writer) (io.WriteCloser, error) {
	switch p {
	case Unpacked:
		return asItIs{out}, nil
	case S2:
		return s2.NewWriter(out, s2.WriterConcurrency(1)), nil
	}
	return zstd.NewWriter(out, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1), zstd.WithLowerEncoderMem(true))
}

// asItIs writes bytes without compressing them.
type asItIs struct{ io.Writer }

func (asItIs) Close() error { return nil }

// reader decompresses in until it is closed.
func (p Packing) reader(in io.Reader) (io.ReadCloser, error) {
	switch p {
	case Unpacked:
		return io.NopCloser(in), nil
	case S2:
		return io.NopCloser(s2.NewReader(in, s2.ReaderMaxBlockSize(1<<20))), nil
	case Zstandard:
		d, err := zstd.NewReader(in, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true), zstd.WithDecoderMaxWindow(64<<20))
		if err != nil {
			return nil, err
		}
		return d.IOReadCloser(), nil
	}
	return nil, ErrBackup
}

// encoder packs small pieces, each at once.
var encoder = sync.OnceValue(func() *zstd.Encoder {
	e, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest))
	if err != nil {
		panic(err) // the options are constant
	}
	return e
})

// decoder unpacks what encoder packed.
var decoder = sync.OnceValue(func() *zstd.Decoder {
	d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderLowmem(true),
		zstd.WithDecoderMaxMemory(uint64(defaultLimits.MaxHeld)), zstd.WithDecoderMaxWindow(64<<20))
	if err != nil {
		panic(err) // the options are constant
	}
	return d
})
