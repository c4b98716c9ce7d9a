package vault

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/internal/change"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// A file that is rewritten in place, and whose name someone gives to another file at the last moment, between the look at
// it and its opening, is not overwritten: what was opened is compared, not only what was looked at.
func TestSwappedBeforeRewriting(t *testing.T) {
	swaps := 0
	for nth := 1; ; nth++ {
		y := &yard{Disk: NewDisk(Journal)}
		y.Dir("/tree", 2)
		y.Dir("/var", 1)
		y.File("/tree/a", "host = depot-3\n", 0o640)
		y.Link("/tree/a", "/tree/b") // a file of several names is rewritten in place
		seen, swapped := 0, false
		y.Before = func(op, name string) error {
			if seen++; seen == nth && !swapped {
				swapped = true
				y.Remove("/tree/a")
				y.File("/tree/a", "of someone else\n", 0o640)
			}
			return nil
		}
		err := y.locked(func(ctx context.Context, l *store.Locked) error {
			_, err := transaction.Write(ctx, l, transaction.Intent{}, change.List{y.rewrite("/tree/a", "depot-3", "depot-4")})
			return err
		})
		y.Before = nil
		if !swapped {
			break
		}
		swaps++
		content, _, _ := y.Read("/tree/a")
		require.Equal(t, "of someone else\n", content, "before operation %d: %v", nth, err)
	}
	require.Greater(t, swaps, 20)
}

// warm makes what the store makes once, such as the encoder of small pieces with its channels: made within a bubble of
// synctest it could not be used outside of it.
func warm(t *testing.T) {
	y := &yard{Disk: NewDisk(Journal)}
	y.Dir("/tree", 2)
	y.Dir("/var", 1)
	y.File("/tree/a", strings.Repeat("host = depot-3\n", 30), 0o640)
	require.NoError(t, y.locked(func(ctx context.Context, l *store.Locked) error {
		_, err := transaction.Write(ctx, l, transaction.Intent{}, change.List{y.rewrite("/tree/a", "depot-3", "depot-4")})
		return err
	}))
	_, _, err := history.Verify(y.store())
	require.NoError(t, err)
}
