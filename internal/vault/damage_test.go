package vault

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/internal/change"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// twoRuns is a disk with two runs: the first changed a, the second b.
func twoRuns(t *testing.T, run damagedRun) *yard {
	intent, cut, tail := run.intent, run.cut, run.tail
	y := &yard{Disk: NewDisk(Journal), limits: run.limits}
	y.Dir("/tree", 2)
	y.Dir("/var", 1)
	y.File("/tree/a", "a host = depot-3\n"+tail, 0o640)
	y.File("/tree/b", "b host = depot-3\n", 0o640)
	for _, name := range []string{"a", "b"} {
		if name == "b" {
			intent = transaction.Intent{}
		}
		down := intent
		if cut && name == "a" { // when all is live
			down.Prove = func(context.Context) error { panic(errDown) }
		}
		func() {
			defer func() { _ = recover() }()
			require.NoError(t, y.locked(func(ctx context.Context, l *store.Locked) error {
				_, err := transaction.Write(ctx, l, down, change.List{y.rewrite("/tree/"+name, "depot-3", "depot-4")})
				return err
			}))
		}()
	}
	return y
}

// Whatever byte is flipped in what is kept of a run, and wherever that is cut: nothing is
// written but what was there before the run, nothing panics, and the run beside it can be
// taken back.
func TestDamage(t *testing.T) {
	testDamage(t, map[string]damagedRun{
		"a run":             {},
		"a run on hold":     {intent: transaction.Intent{Hold: 1}},
		"a run cut off":     {cut: true},
		"with another file": {intent: transaction.Intent{Beside: ".old"}},
		"kept as it is":     {tail: noise},
		"cut off, kept so":  {cut: true, tail: noise},
	})
}

// The same of files that are kept as large ones are.
func TestDamageOfLarge(t *testing.T) {
	testDamage(t, map[string]damagedRun{
		"a run":         {limits: streamed},
		"a run cut off": {cut: true, tail: noise, limits: streamed},
	})
}

// damagedRun is a run whose record, journal and backup are damaged.
type damagedRun struct {
	intent transaction.Intent
	cut    bool
	tail   string // of the file
	limits *store.Limits
}

func testDamage(t *testing.T, runs map[string]damagedRun) {
	for name, at := range runs {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			fresh := twoRuns(t, at)
			dir := ""
			for _, path := range fresh.Names(statePath) {
				if filepath.Base(path) == "record" && bytes.HasSuffix([]byte(filepath.Dir(path)), []byte("-1")) {
					dir = filepath.Dir(path)
				}
			}
			require.NotEmpty(t, dir)
			count := 0
			for _, file := range []string{"record", "journal", "backup"} {
				path := filepath.Join(dir, file)
				content, _, _ := fresh.Read(path)
				try := func(what, damaged string) {
					count++
					y := twoRuns(t, at)
					// Runs of one second have the same names.
					for _, p := range y.Names(statePath) {
						if filepath.Base(p) == file && bytes.HasSuffix([]byte(filepath.Dir(p)), []byte("-1")) {
							y.File(p, damaged, 0o600)
						}
					}
					found := y.damaged(t, at.tail, fmt.Sprintf("%s of %s, %s", what, file, name))
					if file == "backup" && !at.cut && len(damaged) <= len(content) { // what is behind it is nothing's
						require.True(t, found, "%s of %s: nobody noticed", what, file)
					}
				}
				places := 150
				switch {
				case at.tail != "": // most of it is one kind of damage
					places = 25
				case at.limits != nil: // the record and the journal are as of others
					places = 70
				}
				step := max(len(content)/places, 1)
				for i := 0; i < len(content); i += step {
					flipped := []byte(content)
					flipped[i] ^= byte(1 << (i % 8))
					try(fmt.Sprintf("flip of byte %d", i), string(flipped))
					try(fmt.Sprintf("cut at %d", i), content[:i])
				}
				try("one byte more", content+"\n")
				try("zeros", string(make([]byte, len(content))))
			}
			t.Logf("%d damages", count)
		})
	}
}

// noise cannot be compressed, and is too long to be kept together with others.
var noise = func() string {
	var b [5000]byte
	_, _ = rand.NewChaCha8([32]byte{}).Read(b[:])
	return string(b[:])
}()

// damaged does all that can be done with a history of which the first run is damaged, and reports
// whether a look at all records finds that.
func (y *yard) damaged(t *testing.T, tail, what string) (found bool) {
	before := y.tree()
	require.NoError(t, y.locked(func(ctx context.Context, l *store.Locked) error {
		if _, _, err := transaction.Recover(ctx, l, never); err != nil {
			return err
		}
		_, err := hold.Overdue(ctx, l, nil, never)
		return err
	}), what)
	y.either(t, before, tail, what)
	records, damaged, err := y.store().Runs()
	require.NoError(t, err, what)
	require.GreaterOrEqual(t, len(records)+len(damaged), 2, what)
	wrong, _, err := history.Verify(y.store())
	require.NoError(t, err, what)
	for _, name := range []string{"1", "2"} {
		r, err := y.store().Run(name)
		if err != nil {
			require.NotEqual(t, "2", name, "%s: its neighbour cannot be read: %v", what, err)
			continue
		}
		back, _, err := reversal(y.store(), records, r, history.Reversal{})
		require.NoError(t, err, what)
		if name == "2" {
			require.Len(t, back, 1, what)
		}
		for _, b := range back {
			require.NoError(t, y.locked(func(ctx context.Context, l *store.Locked) error {
				_, err := transaction.Write(ctx, l, transaction.Intent{Kind: store.Undo, Undoes: r.ID}, change.List{b.Change})
				return err
			}), what)
		}
	}
	y.either(t, before, tail, what)
	content, _, _ := y.Read("/tree/b")
	require.Equal(t, "b host = depot-3\n", content, what)
	return len(wrong) > 0
}

// either asserts that each file is what it was, or what it was before the runs.
func (y *yard) either(t *testing.T, before map[string]string, tail, what string) {
	old := map[string]string{"/tree/a": "640 a host = depot-3\n" + tail, "/tree/b": "640 b host = depot-3\n"}
	for path, content := range y.tree() {
		require.Contains(t, []string{before[path], old[path]}, content, "%s: %s", what, path)
	}
	for path := range maps.Keys(old) {
		_, _, ok := y.Read(path)
		require.True(t, ok, "%s: %s is gone", what, path)
	}
}
