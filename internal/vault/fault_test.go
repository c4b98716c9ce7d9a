package vault

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
)

// depot is a folder of files, two of them one file with two names, and the changes
// that are to be made to them.
type depot struct {
	folder  string
	vault   *Vault
	changes []Change
	names   []string
}

func newDepot(t *testing.T, files int) *depot {
	root := t.TempDir()
	d := &depot{folder: filepath.Join(root, "tree"), vault: Open(filepath.Join(root, "state"))}
	require.NoError(t, os.MkdirAll(filepath.Join(d.folder, "sub"), 0o755))
	for i := range files {
		d.names = append(d.names, fmt.Sprintf("%02d", i))
	}
	d.names = append(d.names, "sub/a", "sub/b")
	for _, name := range d.names {
		require.NoError(t, os.WriteFile(filepath.Join(d.folder, name), []byte("host = depot-3 of "+name+"\n"), 0o640))
		d.change(name)
	}
	require.NoError(t, os.Link(filepath.Join(d.folder, "00"), filepath.Join(d.folder, "link")))
	return d
}

func (d *depot) change(name string) {
	old := []byte("host = depot-3 of " + name + "\n")
	d.changes = append(d.changes, Change{
		Path: name, Folder: d.folder, Name: name, Before: DigestOf(old),
		Edits: edit.List{{Start: 7, End: 14, New: []byte("depot-4"), Rules: []int{0}}},
	})
}

// write runs the changes; a panic of the disk is a machine that went down.
func (d *depot) write() (err error) {
	defer func() {
		if r := recover(); r == errCrash {
			err = errCrash
		} else if r != nil {
			panic(r)
		}
	}()
	_, err = d.vault.Write(context.Background(), Intent{Kind: Apply, Rules: []string{"host"}}, d.changes)
	return err
}

var errCrash = errors.New("the machine went down")

// state reports whether all files are old or all are new, and that nothing else is
// there.
func (d *depot) state(t *testing.T, what string) string {
	counts := map[string]int{}
	for _, name := range append([]string{"link"}, d.names...) {
		content, err := os.ReadFile(filepath.Join(d.folder, name))
		require.NoError(t, err, what)
		info, err := os.Stat(filepath.Join(d.folder, name))
		require.NoError(t, err)
		require.Equal(t, os.FileMode(0o640), info.Mode(), "%s: %s", what, name)
		of := strings.Replace(name, "link", "00", 1)
		switch string(content) {
		case "host = depot-3 of " + of + "\n":
			counts["old"]++
		case "host = depot-4 of " + of + "\n":
			counts["new"]++
		default:
			require.Fail(t, "a file is neither old nor new", "%s: %s: %q", what, name, content)
		}
	}
	require.Len(t, counts, 1, "%s: some files are old and some are new", what)
	require.NoError(t, filepath.WalkDir(d.folder, func(path string, e os.DirEntry, err error) error {
		require.False(t, strings.HasPrefix(filepath.Base(path), ".frizzel-"), "%s: %s stays behind", what, path)
		return err
	}))
	for s := range counts {
		return s
	}
	return ""
}

// Whatever operation fails, or is the last one before the machine goes down, or is
// the first of a disk that is dead from then on: all files are as before or all are
// as wanted, after recovery at the latest, and what Write says is true.
func TestEveryOperationFails(t *testing.T) {
	faults := map[string]func(at, n int) error{
		"fails":     func(at, n int) error { return map[bool]error{true: syscall.ENOSPC}[at == n] },
		"is dead":   func(at, n int) error { return map[bool]error{true: syscall.EIO}[at >= n] },
		"goes down": func(at, n int) error { return map[bool]error{true: errCrash}[at == n] },
	}
	for _, files := range []int{2, fewFiles + 2} {
		counting := newDepot(t, files)
		total := 0
		counting.vault.disk.before = func(string, string) error { total++; return nil }
		require.NoError(t, counting.write())
		require.Equal(t, "new", counting.state(t, "without a fault"))
		require.Greater(t, total, 50)
		for kind, fault := range faults {
			t.Run(fmt.Sprintf("%d files, disk %s", files, kind), func(t *testing.T) {
				t.Parallel()
				for n := 1; n <= total; n++ {
					d := newDepot(t, files)
					what := d.writeWith(t, n, fault)
					if kind == "fails" { // put back by itself
						require.Equal(t, "old", d.state(t, what), what)
					} else {
						d.recovers(t, what)
					}
				}
			})
		}
	}
}

// writeWith writes with a fault about operation n, and says which that was.
func (d *depot) writeWith(t *testing.T, n int, fault func(at, n int) error) string {
	at, last := 0, ""
	d.vault.disk.before = func(op, path string) error {
		at++
		err := fault(at, n)
		if err != nil && last == "" {
			last = op + " " + filepath.Base(path)
		}
		if err == errCrash {
			panic(err)
		}
		return err
	}
	err := d.write()
	d.vault.disk.before = nil
	what := fmt.Sprintf("operation %d (%s)", n, last)
	require.Error(t, err, what)
	return what
}

// recovers checks that recovery leaves all files old, or new where the run is done.
func (d *depot) recovers(t *testing.T, what string) {
	_, err := d.vault.Recover(context.Background())
	require.NoError(t, err, what)
	now := d.state(t, what)
	runs, err := d.vault.Runs()
	require.NoError(t, err)
	done := len(runs) == 1 && runs[0].State == Done
	require.Equal(t, map[bool]string{true: "new", false: "old"}[done], now, what)
	again, err := d.vault.Unfinished()
	require.NoError(t, err)
	require.Empty(t, again, what)
}

// Recovery may be cut off as well, at any operation, and then goes on.
func TestRecoveryIsCutOff(t *testing.T) {
	t.Parallel()
	for n := 1; n < 100; n++ {
		d := newDepot(t, 2)
		renames := 0
		d.vault.disk.before = func(op, path string) error {
			if op == "rename" && strings.HasPrefix(path, "sub") || op == "rename" && path == "a" {
				renames++
				panic(errCrash) // when the others are replaced
			}
			return nil
		}
		require.ErrorIs(t, d.write(), errCrash)
		at := 0
		d.vault.disk.before = func(string, string) error {
			if at++; at == n {
				panic(errCrash)
			}
			return nil
		}
		func() {
			defer func() { _ = recover() }()
			_, err := d.vault.Recover(context.Background())
			require.NoError(t, err)
		}()
		d.vault.disk.before = nil
		_, err := d.vault.Recover(context.Background())
		require.NoError(t, err)
		require.Equal(t, "old", d.state(t, fmt.Sprintf("recovery cut off at operation %d", n)))
	}
}

// A file that someone changes at any moment before it is replaced stops the run, and
// stays as that person left it.
func TestSomeoneElseWrites(t *testing.T) {
	t.Parallel()
	for _, moment := range []string{"open", "sync", "syncfs"} {
		for n := 1; n < 60; n++ {
			d := newDepot(t, 2)
			at := 0
			theirs := filepath.Join(d.folder, "01")
			d.vault.disk.before = func(op, path string) error {
				if at++; op == moment && at == n {
					require.NoError(t, os.WriteFile(theirs, []byte("someone else's"), 0o640))
				}
				return nil
			}
			err := d.write()
			d.vault.disk.before = nil
			now, readErr := os.ReadFile(theirs)
			require.NoError(t, readErr)
			if string(now) == "someone else's" && err != nil {
				require.NoError(t, os.WriteFile(theirs, []byte("host = depot-3 of 01\n"), 0o640))
				require.Equal(t, "old", d.state(t, "someone else wrote"))
			}
			if err == nil && string(now) != "someone else's" {
				require.Equal(t, "new", d.state(t, "no one else wrote"))
			}
		}
	}
}

// A folder swapped for a link does not lead the run out of the tree.
func TestSwappedFolder(t *testing.T) {
	t.Parallel()
	d := newDepot(t, 1)
	outside := filepath.Join(filepath.Dir(d.folder), "outside")
	require.NoError(t, os.MkdirAll(outside, 0o755))
	for _, name := range []string{"a", "b"} {
		require.NoError(t, os.WriteFile(filepath.Join(outside, name), []byte("host = depot-3 of sub/"+name+"\n"), 0o640))
	}
	d.vault.disk.before = func(op, path string) error {
		if op == "write" && strings.HasSuffix(path, backupName) {
			_ = os.Rename(filepath.Join(d.folder, "sub"), filepath.Join(d.folder, "was"))
			_ = os.Symlink(outside, filepath.Join(d.folder, "sub"))
		}
		return nil
	}
	require.Error(t, d.write())
	content, err := os.ReadFile(filepath.Join(outside, "a"))
	require.NoError(t, err)
	require.Equal(t, "host = depot-3 of sub/a\n", string(content))
	entries, err := os.ReadDir(outside)
	require.NoError(t, err)
	require.Len(t, entries, 2)
}

func TestHalfWritten(t *testing.T) {
	for _, c := range [][2]string{{"depot-3\nold", "depot-44\n"}, {"ab", "abcdef"}, {"abcdef", "x"}, {"", "new"}, {"old", ""}} {
		old, fresh := c[0], c[1]
		for n := range len(fresh) + 1 {
			now := fresh[:n] + old[min(n, len(old)):]
			require.True(t, halfWritten([]byte(now), []byte(old), []byte(fresh)), "%q of %q and %q", now, old, fresh)
		}
		require.True(t, halfWritten([]byte(fresh), []byte(old), []byte(fresh)), "all of %q", fresh)
		require.False(t, halfWritten([]byte("theirs"), []byte(old), []byte(fresh)))
	}
}
