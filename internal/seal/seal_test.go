package seal

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/internal/disk"
)

// What is read of a seal is what was sealed; whatever byte of it is flipped, and wherever
// it is cut, it is refused, or nothing of what would be written is another.
func TestSeal(t *testing.T) {
	dir := t.TempDir()
	old := []byte("host = depot-3\n" + strings.Repeat("a line of the log\n", 20))
	path := filepath.Join(dir, "clock.ini")
	require.NoError(t, os.WriteFile(path, old, 0o640))
	edits := edit.List{{Start: 7, End: 14, New: []byte("depot-4"), Rules: []int{0}}}
	about := New("Move depot 3")
	about.Rules = []string{"host"}
	var kept bytes.Buffer
	w, err := NewWriter(&kept, about)
	require.NoError(t, err)
	open := func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(old)), nil }
	require.NoError(t, w.Add(path, "", 1, open, edits, func(out io.Writer) error {
		_, err := io.WriteString(out, "a diff\n")
		return err
	}))
	require.NoError(t, w.Close())
	text := kept.Bytes()
	sealed := filepath.Join(dir, "review.seal")
	read := func(text []byte) (*Seal, error) {
		require.NoError(t, os.WriteFile(sealed, text, 0o600))
		return Read(sealed)
	}
	got, err := read(text)
	require.NoError(t, err)
	require.Equal(t, about.Rules, got.Rules)
	shown := 0
	require.NoError(t, got.Files[0].Shown()(func(win diff.Window) error {
		shown++
		require.Equal(t, string(old), string(win.Text))
		require.Equal(t, string(edits.Apply(old)), string(win.Edits.Apply(win.Text)))
		return nil
	}))
	require.Equal(t, 1, shown)

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
