package spool

import (
	"bytes"
	"iter"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
)

// What is kept is read again as it was, in any order, by several at once, on disk and not yet.
func TestSpool(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	var table Table
	table.Grow(10)
	pieces := make([][]byte, 10)
	for size := 0; size < 3*held; {
		piece := bytes.Repeat([]byte{byte(r.IntN(256))}, []int{r.IntN(40), r.IntN(blockSize), 1}[r.IntN(3)])
		if r.IntN(2) == 0 {
			require.NoError(t, table.Add(piece))
			pieces = append(pieces, piece)
		} else {
			i := r.IntN(len(pieces))
			require.NoError(t, table.Set(i, piece))
			pieces[i] = piece
		}
		size += len(piece)
		i := r.IntN(len(pieces))
		got, err := table.At(i, nil)
		require.NoError(t, err)
		require.True(t, bytes.Equal(pieces[i], got), "piece %d", i)
	}
	require.NotNil(t, table.kept.file, "nothing is on disk")
	require.Equal(t, len(pieces), table.Len())
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			var buffer []byte
			for i, want := range pieces {
				var err error
				if buffer, err = table.At(i, buffer); err != nil || !bytes.Equal(want, buffer) {
					t.Errorf("piece %d: %v", i, err)
					return
				}
			}
		})
	}
	all.Wait()
}

// A buffer gives back what was written, however much, and is empty then.
func TestBuffer(t *testing.T) {
	var b Buffer
	defer b.Close()
	for _, size := range []int{0, 10, held - 1, 3*held + 5, 7} {
		text := bytes.Repeat([]byte("a line of the log\n"), size/18+1)
		for rest := text; len(rest) > 0; {
			n := min(len(rest), 70_001)
			_, err := b.Write(rest[:n])
			require.NoError(t, err)
			rest = rest[n:]
		}
		var out bytes.Buffer
		n, err := b.WriteTo(&out)
		require.NoError(t, err)
		require.Equal(t, int64(len(text)), n)
		require.True(t, bytes.Equal(text, out.Bytes()))
	}
}

// If there is no room the error says what to do.
func TestNoDir(t *testing.T) {
	t.Setenv("TMPDIR", "/nowhere/at/all")
	var s Spool
	_, err := s.Append(make([]byte, held))
	require.ErrorContains(t, err, "set TMPDIR to a directory with more room")
	var b Buffer
	_, err = b.Write(make([]byte, held))
	require.ErrorContains(t, err, "set TMPDIR to a directory with more room")
}

// counted is a source that counts how often it is read.
type counted struct {
	edit.List
	times *int
}

func (c counted) All() iter.Seq2[edit.Edit, error] { *c.times++; return c.List.All() }

// Edits are read from their source once, unless that was broken off, or they are too large.
func TestEdits(t *testing.T) {
	defer func(most int) { maxEdits = most }(maxEdits)
	maxEdits = 3 * held
	for _, sizes := range [][]int{{}, {1, 0, 3}, {held / 2, held, 1, held / 2, 7}, {held, held, held, held}} {
		var list edit.List
		times, all := 0, 0
		for i, size := range sizes {
			list = append(list, edit.Edit{Start: 2 * i, End: 2*i + 1, New: bytes.Repeat([]byte{byte(i)}, size), Rules: []int{i}})
			all += size
		}
		for i := range 2 * together { // small ones behind, in several pieces
			list = append(list, edit.Edit{Start: 100 + i, End: 100 + i, New: []byte("x"), Rules: []int{0}})
		}
		e := &Edits{Of: counted{list, &times}}
		for range e.All() { // broken off
			break
		}
		for range 3 {
			got, err := edit.Gather(e)
			require.NoError(t, err)
			require.Equal(t, list, got)
		}
		want := 2
		if all > maxEdits {
			want = 4
		}
		require.Equal(t, want, times, sizes)
		e.Close()
		for range 2 {
			got, err := edit.Gather(e)
			require.NoError(t, err)
			require.Equal(t, list, got, "after it was closed")
		}
	}
}
