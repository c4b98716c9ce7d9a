package transaction

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// A directory that someone else's run writes in is waited for, and then refused; nothing is
// begun. So is a directory that is not the one that was read.
func TestDirIsLocked(t *testing.T) {
	root := t.TempDir()
	tree := filepath.Join(root, "tree")
	require.NoError(t, os.Mkdir(tree, 0o755))
	old := []byte("host = depot-3\n")
	require.NoError(t, os.WriteFile(filepath.Join(tree, "a"), old, 0o644))
	s := store.Open(filepath.Join(root, "state"), disk.Real{})
	c := change.Change{
		Path: "a", Dir: tree, Name: "a", Before: digest.Of(old), Edits: edit.List{{Start: 13, End: 14, New: []byte("4")}},
	}
	write := func() error {
		l, err := s.Lock(context.Background())
		require.NoError(t, err)
		defer l.Unlock()
		_, err = Write(context.Background(), l, Intent{Kind: store.Apply}, change.List{c})
		return err
	}
	synctest.Test(t, func(t *testing.T) {
		theirs, err := disk.Real{}.OpenDir(tree)
		require.NoError(t, err)
		ok, err := theirs.TryLock()
		require.NoError(t, err)
		require.True(t, ok)
		begun := time.Now()
		var busy *BusyError
		require.ErrorAs(t, write(), &busy)
		require.ErrorIs(t, busy, store.ErrBusy)
		require.Equal(t, tree, busy.Path)
		require.GreaterOrEqual(t, time.Since(begun), 10*time.Second)
		time.AfterFunc(3*time.Second, func() { disk.Close(theirs) })
		require.NoError(t, write(), "it has ended meanwhile")
	})
	records, _, err := s.Runs()
	require.NoError(t, err)
	require.Len(t, records, 1)
	c.In = disk.ID{Device: 1, Inode: 1}
	var moved *MovedError
	require.ErrorAs(t, write(), &moved)
}

// What a rewriting in place leaves if it is cut off is a mixture of both contents,
// whichever pages have reached the disk; what someone else wrote is none.
func TestMixture(t *testing.T) {
	for _, c := range []struct {
		now, old, fresh string
		mixture         bool
	}{
		{"depot-44\n", "depot-3\n", "depot-44\n", true},
		{"depot-3\n", "depot-3\n", "depot-44\n", true},
		{"depot-3\n\n", "depot-3\n", "depot-44\n", true},
		{"depot-4\n", "depot-3\n", "depot-44\n", true},
		{"depot-3\x00\x00", "depot-3", "depot-444", true},
		{"depo\x00-3\n", "depot-3\n", "depot-44\n", false},
		{"depot-5\n", "depot-3\n", "depot-44\n", false},
		{"depot", "depot-3\n", "depot-44\n", false},
		{"depot-44\n\n", "depot-3\n", "depot-44\n", false},
		{"", "depot-3\n", "depot-44\n", false},
	} {
		is, err := mixture(strings.NewReader(c.now), strings.NewReader(c.old), strings.NewReader(c.fresh))
		require.NoError(t, err)
		require.Equal(t, c.mixture, is, "%q", c)
	}
}
