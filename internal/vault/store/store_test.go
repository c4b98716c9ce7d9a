package store_test

import (
	"context"
	"errors"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
)

// begun returns a store with a run of two files, which is staged.
func begun(t *testing.T) (*store.Locked, *store.Record) {
	s := store.Open(filepath.Join(t.TempDir(), "state"), disk.Real{})
	l, err := s.Lock(t.Context())
	require.NoError(t, err)
	t.Cleanup(l.Unlock)
	return l, begin(t, l, "move depot 3")
}

func begin(t *testing.T, l *store.Locked, note string) *store.Record {
	files, err := store.FilesOf("secret", []store.Entry{
		{Path: "conf/clock.ini", Dir: "/srv", Name: "conf/clock.ini", Rules: []int{0, 2}, Before: digest.Of([]byte("depot-3")), After: digest.Of([]byte("depot-4"))},
		{Path: "boards\n.yaml", Dir: "/srv", Name: "boards\n.yaml", Op: change.Create, Modified: 1 << 62},
	})
	require.NoError(t, err)
	r := &store.Record{
		Kind: store.Apply, Time: time.Date(2026, 3, 1, 10, 0, 0, 0, time.UTC), Command: []string{"apply", "-r", "a b"}, Dir: "/srv",
		Note: note, Rules: []string{"host", "", "port"}, Changes: 7, Secret: "secret", Files: files, Staged: true, Hold: time.Minute,
	}
	require.NoError(t, l.Begin(r))
	return r
}

// A run is read back as it was saved; its number is never given again.
func TestRecord(t *testing.T) {
	l, r := begun(t)
	back, err := l.Run("1")
	require.NoError(t, err)
	require.Equal(t, []any{r.ID, r.Note, r.Command, r.Rules, 7, 2, store.Begun}, []any{back.ID, back.Note, back.Command, back.Rules, back.Changes, back.Files.Len(), back.State()})
	for i := range 2 {
		want, err := r.Files.At(i)
		require.NoError(t, err)
		got, err := back.Files.At(i)
		require.NoError(t, err)
		require.Equal(t, want, got)
		require.Equal(t, want.Temp(), got.Temp())
	}
	used, err := back.RulesUsed()
	require.NoError(t, err)
	require.Equal(t, []string{"host", "port"}, used)

	second := begin(t, l, "")
	require.NoError(t, l.Forget(second))
	require.NoError(t, l.Forget(back))
	require.Equal(t, 3, begin(t, l, "").Number)
	_, err = l.Run("2")
	var missing *store.MissingError
	require.ErrorAs(t, err, &missing)
}

// While a store is locked nobody else gets the lock.
func TestLock(t *testing.T) {
	l, _ := begun(t)
	require.True(t, store.Working())
	ctx, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	_, err := store.Open(l.Path(), disk.Real{}).Lock(ctx)
	require.Error(t, err)
	require.True(t, l.BeingWritten())
}

// A run goes through the states of its life alone, and a reader finds the last one that was entered.
func TestLife(t *testing.T) {
	all := []store.State{store.Begun, store.Replacing, store.Done, store.Held, store.Kept, store.Lapsed, store.PuttingBack, store.PutBack}
	ways := map[store.State][]store.State{ // as the page of the package draws them
		store.Begun: {store.Replacing, store.PuttingBack}, store.Replacing: {store.Done, store.Held, store.PuttingBack}, store.Done: {store.PuttingBack},
		store.Held: {store.Held, store.Kept, store.Lapsed, store.PuttingBack}, store.PuttingBack: {store.PutBack},
	}
	for seed := range uint64(20) {
		random := rand.New(rand.NewPCG(seed, 5))
		l, r := begun(t)
		for range 30 {
			from, to := r.State(), all[random.IntN(len(all))]
			err := l.Enter(r, to)
			var refused *store.StateError
			require.Equal(t, !slices.Contains(ways[from], to), errors.As(err, &refused), "from %s to %s: %v", from, to, err)
			back, err := l.Run(r.ID)
			require.NoError(t, err)
			require.Equal(t, r.State(), back.State())
			require.Equal(t, r.State() == store.Held, !back.HeldUntil().IsZero())
			unfinished, _, err := l.Unfinished()
			require.NoError(t, err)
			require.Equal(t, r.State().Unfinished(), len(unfinished) == 1)
		}
	}
}

// A record or a journal of which a bit is flipped, or the end is cut off, is damaged: it is named, never read.
func TestDamage(t *testing.T) {
	for _, name := range []string{"record", "journal"} {
		l, r := begun(t)
		second := begin(t, l, "")
		path := ""
		names, err := os.ReadDir(l.Dir(r))
		require.NoError(t, err)
		for _, e := range names {
			if len(e.Name()) >= len(name) && e.Name()[:len(name)] == name {
				path = filepath.Join(l.Dir(r), e.Name())
			}
		}
		whole, err := os.ReadFile(path)
		require.NoError(t, err, name)
		damaged := func(text []byte) {
			require.NoError(t, os.WriteFile(path, text, 0o600))
			_, err := l.Run("1")
			var d *store.DamagedError
			require.ErrorAs(t, err, &d, "%s %q", name, text)
			runs, all, err := l.Runs()
			require.NoError(t, err)
			require.Len(t, all, 1)
			require.Len(t, runs, 1)
			require.Equal(t, second.ID, runs[0].ID)
		}
		for i := range whole {
			flipped := append([]byte(nil), whole...)
			flipped[i] ^= 1 << (i % 8)
			damaged(flipped)
		}
		for n := 1; n < len(whole); n += 7 {
			damaged(whole[:n])
		}
	}
}
