package edit

import (
	"bytes"
	"io"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// gathered reads all edits of a source.
func gathered(t *testing.T, all func(func(Edit, error) bool)) List {
	l := List{}
	for e, err := range all {
		require.NoError(t, err)
		l = append(l, e)
	}
	return l
}

// What is read and written as it comes is what is held at once: edits written and read, a text
// rewritten in pieces of any size, and taken back.
func TestSources(t *testing.T) {
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 5))
		text := make([]byte, r.IntN(60))
		for i := range text {
			text[i] = "ab\n"[r.IntN(3)]
		}
		edits := List{}
		for at := r.IntN(6); at <= len(text); at += r.IntN(20) {
			end := min(at+r.IntN(5), len(text))
			edits = append(edits, Edit{Start: at, End: end, New: bytes.Repeat([]byte("x"), r.IntN(4)), Rules: []int{r.IntN(2)}})
			at = end
		}
		var kept bytes.Buffer
		require.NoError(t, Write(&kept, edits))
		back := gathered(t, Read(bytes.NewReader(kept.Bytes())))
		require.Equal(t, len(edits), len(back))
		require.Equal(t, edits.Apply(text), back.Apply(text), "seed %d", seed)
		if kept.Len() > 0 {
			for range Read(bytes.NewReader(kept.Bytes()[:kept.Len()-1])) { // cut short: no panic
			}
		}

		var out bytes.Buffer
		w, err := NewRewriter(&out, edits)
		require.NoError(t, err)
		for rest := text; len(rest) > 0; {
			n := 1 + r.IntN(len(rest))
			_, err := w.Write(rest[:n])
			require.NoError(t, err)
			rest = rest[n:]
		}
		require.NoError(t, w.Close())
		fresh := edits.Apply(text)
		require.Equal(t, string(fresh), out.String(), "seed %d: %q %v", seed, text, edits)

		open := func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(text)), nil }
		inverse := gathered(t, Inverse{Edits: edits, Open: open}.All())
		require.Equal(t, string(text), string(inverse.Apply(fresh)), "seed %d", seed)
	}
}

// Edits that do not fit the text are refused, not made somewhere else.
func TestMisfits(t *testing.T) {
	for _, edits := range []List{{{Start: 2, End: 5}}, {{Start: 4, End: 4}}, {{Start: 2, End: 2}, {Start: 1, End: 2}}, {{Start: 2, End: 1}}} {
		w, err := NewRewriter(io.Discard, edits)
		if err == nil {
			_, err = w.Write([]byte("abc"))
		}
		if err == nil {
			err = w.Close()
		}
		require.ErrorIs(t, err, ErrMisfit, "%v", edits)
		open := func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader([]byte("abc"))), nil }
		var failed error
		for _, err := range (Inverse{Edits: edits, Open: open}).All() {
			failed = err
		}
		require.Error(t, failed, "%v", edits)
	}
}
