package run

import (
	"context"
	"errors"
	"io"

	"frizzel/core/program"
	"frizzel/core/textfile"
	"frizzel/internal/disk"
	"frizzel/internal/selection"
)

// Piped runs the program over a stream that was spooled to a temporary file of size bytes, as if it were the
// file at. It returns nil if the text must be read as a whole.
func (p *Plan) Piped(ctx context.Context, kept io.ReaderAt, size int64, at selection.File) (*Result, error) {
	head := make([]byte, min(size, textfile.HeadSize))
	if _, err := kept.ReadAt(head, 0); err != nil {
		return nil, err
	}
	l, err := p.largeFile(ctx, at, kept, disk.Info{Size: size}, head)
	if l == nil || err != nil {
		return nil, err
	}
	l.own = true
	e, made, refuse, err := p.edited(ctx, l, program.Input{File: asFile(at)})
	switch {
	case errors.Is(err, errVanishes):
		return nil, nil
	case err != nil:
		return nil, err
	}
	return &Result{At: at, Made: made, Refuse: refuse, large: e}, nil
}
