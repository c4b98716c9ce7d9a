package selection

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/internal/disk"
)

// tree makes files that hold their own names.
func tree(t *testing.T, names ...string) string {
	dir := t.TempDir()
	for _, name := range names {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(name), 0o644))
	}
	return dir
}

// contents walks, and reads each file through what the walk gave, after doing something.
func contents(t *testing.T, s Selection, before func(f File)) (read, skipped []string) {
	require.NoError(t, s.Walk(t.Context(), Visitor{File: func(f File) error {
		before(f)
		opened, err := f.Open()
		if err != nil {
			skipped = append(skipped, filepath.Base(f.Path))
			return nil
		}
		defer disk.Close(opened)
		content, err := disk.ReadAll(opened, 0)
		require.NoError(t, err)
		read = append(read, string(content))
		return nil
	}, Skip: func(k Skip) { skipped = append(skipped, string(k.Reason)) }}))
	return read, skipped
}

// A directory, or a file, that a link takes the place of while it is walked leads nowhere.
func TestSwappedWhileWalking(t *testing.T) {
	dir := tree(t, "a/1", "a/2", "b/1", "c")
	outside := tree(t, "1", "2", "c")
	read, skipped := contents(t, Selection{Paths: []string{dir}}, func(f File) {
		if filepath.Base(f.Path) == "c" {
			require.NoError(t, os.Remove(f.Path))
			require.NoError(t, os.Symlink(filepath.Join(outside, "c"), f.Path))
		} else if f.Name == filepath.Join("a", "1") {
			require.NoError(t, os.Rename(filepath.Join(dir, "a"), filepath.Join(dir, "z")))
			require.NoError(t, os.Symlink(outside, filepath.Join(dir, "a")))
			require.NoError(t, os.Rename(filepath.Join(dir, "b"), filepath.Join(dir, "y")))
			require.NoError(t, os.Symlink(outside, filepath.Join(dir, "b")))
		}
	})
	require.Equal(t, []string{"a/1", "a/2"}, read, "the files of the directory that was walked")
	require.Equal(t, []string{string(Unreadable), "c"}, skipped)
}

// What is left out is said, with its reason, and no directory stays open.
func TestLeftOut(t *testing.T) {
	dir := tree(t, ".git/config", ".hidden", "a.ini", "b.md", "deep/er/c.ini", ".frizzel-x")
	require.NoError(t, os.Symlink(dir, filepath.Join(dir, "link")))
	fds := func() int {
		entries, err := os.ReadDir("/dev/fd")
		if err != nil {
			t.Skip(err)
		}
		return len(entries)
	}
	before := fds()
	read, skipped := contents(t, Selection{Paths: []string{dir}, In: []string{"*.ini"}, Depth: 2, NoHidden: true}, func(File) {})
	require.Equal(t, []string{"a.ini"}, read)
	require.ElementsMatch(t, []string{string(Hidden), string(Hidden), string(Hidden), string(NotSelected), string(TooDeep), string(SymbolicLink)}, skipped)
	read, skipped = contents(t, Selection{Paths: []string{dir}, Follow: true}, func(File) {})
	require.Equal(t, []string{".hidden", "a.ini", "b.md", "deep/er/c.ini"}, read)
	require.ElementsMatch(t, []string{string(VersionControl), string(Own), string(Repeated)}, skipped)
	require.Equal(t, before, fds())
}

func TestInterruptedWalk(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	s := Selection{Paths: []string{tree(t, "a/1", "b/2", "c/3")}}
	count := 0
	err := s.Walk(ctx, Visitor{File: func(f File) error {
		f.Drop()
		count++
		cancel()
		return nil
	}, Skip: func(Skip) {}})
	require.ErrorIs(t, err, context.Canceled)
	require.Equal(t, 1, count)
}
