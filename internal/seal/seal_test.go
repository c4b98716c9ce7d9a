package seal

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/internal/disk"
)

// What is read of a seal is what was sealed; whatever byte of it is flipped, and wherever
// it is cut, it is refused, or nothing of what would be written is another.
func TestSeal(t *testing.T) {
	folder := t.TempDir()
	old := []byte("host = depot-3\n" + strings.Repeat("a line of the log\n", 20))
	path := filepath.Join(folder, "clock.ini")
	require.NoError(t, os.WriteFile(path, old, 0o640))
	edits := edit.List{{Start: 7, End: 14, New: []byte("depot-4"), Rules: []int{0}}}
	s := New("Move depot 3")
	s.Rules = []string{"host"}
	require.NoError(t, s.Add(path, 1, old, edits, "a diff"))
	text, err := s.Text()
	require.NoError(t, err)
	sealed := filepath.Join(folder, "review.seal")
	read := func(text []byte) (*Seal, error) {
		require.NoError(t, os.WriteFile(sealed, text, 0o600))
		return Read(sealed)
	}
	got, err := read(text)
	require.NoError(t, err)
	require.Equal(t, s.Rules, got.Rules)
	was, what, err := got.Files[0].Contents()
	require.NoError(t, err)
	require.Equal(t, string(old), string(was))
	require.Equal(t, string(edits.Apply(old)), string(what.Apply(was)))

	for i := range text {
		flipped := bytes.Clone(text)
		flipped[i] ^= byte(1 << (i % 8))
		_, err := read(flipped)
		require.Error(t, err, "byte %d", i)
		_, err = read(text[:i])
		require.Error(t, err, "cut at %d", i)
	}

	standing := func() *Standing {
		st, err := got.Stand(disk.Real{})
		require.NoError(t, err)
		return st
	}
	require.Len(t, standing().Changes, 1)
	require.NoError(t, os.WriteFile(path, edits.Apply(old), 0o640))
	require.Equal(t, []string{path}, standing().Done)
	require.NoError(t, os.WriteFile(path, []byte("someone else's"), 0o640))
	require.Equal(t, []string{path}, standing().Differ)
	require.NoError(t, os.Remove(path))
	require.Equal(t, []string{path}, standing().Differ)
}
