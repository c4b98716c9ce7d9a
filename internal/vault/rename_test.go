package vault

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/internal/change"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
	"frizzel/internal/vault/store"
	"frizzel/internal/vault/transaction"
)

// named builds a tree whose names are to change: a directory in a directory, files in them, a swap, a chain and a link.
func named(y *yard) {
	for _, dir := range []string{"/tree/depot-3.d", "/tree/depot-3.d/inner-3", "/tree/east", "/tree/west"} {
		y.Dir(dir, 2)
	}
	y.File("/tree/depot-3.d/kiosk-3.conf", "host = depot-3 and more\n", 0o640)
	y.File("/tree/depot-3.d/inner-3/plain", "no depot here\n", 0o600)
	y.File("/tree/depot-3.d/inner-3/picture-3", "its content is not looked at\n", 0o600)
	y.File("/tree/a", "of a, on depot-3\n", 0o644)
	y.File("/tree/b", "of b\n", 0o604)
	y.File("/tree/east/1", "one\n", 0o644)
	y.File("/tree/west/2", "two, depot-3\n", 0o644)
	for i, name := range []string{"p", "q", "r"} {
		y.File("/tree/"+name, strings.Repeat(name, i+1)+"\n", 0o644)
	}
	y.Symlink("depot-3.d/kiosk-3.conf", "/tree/current-3")
	y.Symlink("nowhere", "/tree/plain-3")
	y.Symlink("b", "/tree/old")
}

// renamed returns what a run does to that tree.
func renamed(y *yard) (all change.List) {
	add := func(path, name string, set func(*change.Change)) {
		n := y.at(path)
		c := change.Change{Path: path, Dir: filepath.Dir(path), Name: filepath.Base(path), Op: change.Rename, NewName: name, Kind: n.info.Kind}
		if n.info.Kind == disk.Link {
			c.Target, c.NewTarget = string(n.content), string(n.content)
		}
		if set != nil {
			set(&c)
		}
		all = append(all, c)
	}
	content := func(c *change.Change) {
		kept := *c
		*c = y.rewrite(c.Path, "depot-3", "depot-4444")
		c.NewName = kept.NewName
	}
	add("/tree/depot-3.d", "depot-4.d", nil)
	add("/tree/depot-3.d/inner-3", "inner-4", nil)
	add("/tree/depot-3.d/kiosk-3.conf", "kiosk-4.conf", content)
	add("/tree/depot-3.d/inner-3/picture-3", "picture-4", nil)
	add("/tree/a", "b", content)
	add("/tree/b", "a", nil)
	add("/tree/east", "west", nil)
	add("/tree/west", "east", nil)
	add("/tree/west/2", "", content)
	add("/tree/p", "q", nil)
	add("/tree/q", "r", nil)
	add("/tree/r", "s", nil)
	add("/tree/current-3", "current-4", func(c *change.Change) {
		c.Op, c.NewTarget = change.Retarget, "depot-4.d/kiosk-4.conf"
	})
	add("/tree/plain-3", "plain-4", nil)
	return append(all,
		change.Change{Path: "/tree/made", Dir: "/tree", Name: "made", Op: change.Create, Kind: disk.Link, NewTarget: "a", Meta: disk.Meta{Mode: 0o777, UID: os.Geteuid(), GID: os.Getegid()}},
		change.Change{Path: "/tree/old", Dir: "/tree", Name: "old", Op: change.Remove, Kind: disk.Link, Target: "b"},
	)
}

// namingJobs are those that change names, on a disk that renames to free names at once, or not.
func namingJobs(y **yard, linked bool) []job {
	build := func(y *yard) {
		named(y)
		y.Linked = linked
	}
	do := func(intent transaction.Intent) func(context.Context, *store.Locked) error {
		return apply(func() change.List { return renamed(*y) }, intent)
	}
	name := ""
	if linked {
		name = ", by second names"
	}
	return []job{
		{name: "names" + name, build: build, do: do(transaction.Intent{})},
		{name: "names, old contents beside" + name, build: build, do: do(transaction.Intent{Beside: ".old"})},
		{name: "undo of names" + name, build: build, first: do(transaction.Intent{}), do: undoLast},
		{name: "names again after an undo" + name, build: build, first: func(ctx context.Context, l *store.Locked) error {
			return errors.Join(do(transaction.Intent{})(ctx, l), undoLast(ctx, l))
		}, do: redoLast},
		{name: "a proof fails, names" + name, build: build, do: do(transaction.Intent{
			Prove: func(context.Context) error { return errors.New("it does not hold") },
		})},
	}
}

// After a run all files are where they should be, what changed its name alone kept its inode, and an undo gives the old
// tree back, inodes and all.
func TestNames(t *testing.T) {
	for _, linked := range []bool{false, true} {
		y := &yard{Disk: NewDisk(Posix)}
		y.Dir("/var", 1)
		y.Dir("/tree", 2)
		named(y)
		y.Linked = linked
		before := y.tree()
		inodes := map[string]disk.ID{}
		for path := range before {
			_, info, _ := y.Read(path)
			inodes[path] = info.ID
		}
		require.NoError(t, y.locked(apply(func() change.List { return renamed(y) }, transaction.Intent{})))
		require.Equal(t, map[string]string{
			"/tree/depot-4.d/kiosk-4.conf":      "640 host = depot-4444 and more\n",
			"/tree/depot-4.d/inner-4/plain":     "600 no depot here\n",
			"/tree/depot-4.d/inner-4/picture-4": "600 its content is not looked at\n",
			"/tree/b":                           "644 of a, on depot-4444\n",
			"/tree/a":                           "604 of b\n",
			"/tree/west/1":                      "644 one\n",
			"/tree/east/2":                      "644 two, depot-4444\n",
			"/tree/q":                           "644 p\n",
			"/tree/r":                           "644 qq\n",
			"/tree/s":                           "644 rrr\n",
			"/tree/current-4":                   "777 depot-4.d/kiosk-4.conf",
			"/tree/plain-4":                     "777 nowhere",
			"/tree/made":                        "777 a",
		}, y.tree())
		for old, fresh := range map[string]string{"/tree/b": "/tree/a", "/tree/p": "/tree/q", "/tree/r": "/tree/s", "/tree/plain-3": "/tree/plain-4"} {
			_, info, _ := y.Read(fresh)
			require.Equal(t, inodes[old], info.ID, old)
		}
		require.NoError(t, y.locked(undoLast))
		require.Equal(t, before, y.tree())
		_, info, _ := y.Read("/tree/depot-3.d/inner-3/picture-3")
		require.Equal(t, inodes["/tree/depot-3.d/inner-3/picture-3"], info.ID)
	}
}

// A new name that something has by then, and a file that is another one, are refused, and all is as before.
func TestNamesRefused(t *testing.T) {
	var taken *transaction.TakenError
	var changed *change.ChangedError
	for name, one := range map[string]struct {
		spoil func(y *yard, all change.List)
		want  any
	}{
		"taken":            {func(y *yard, _ change.List) { y.File("/tree/s", "someone's\n", 0o600) }, &taken},
		"half of a swap":   {func(_ *yard, all change.List) { all[5].NewName = "c" }, nil},
		"two get one name": {func(_ *yard, all change.List) { all[5].NewName = "b" }, &taken},
		"stays":            {func(_ *yard, all change.List) { all[11].NewName = "b" }, &taken},
		"another kind": {func(y *yard, _ change.List) {
			y.Remove("/tree/p")
			y.Symlink("somewhere", "/tree/p")
		}, &changed},
		"another target": {func(y *yard, _ change.List) {
			y.Remove("/tree/current-3")
			y.Symlink("somewhere", "/tree/current-3")
		}, &changed},
		"a content that the name depends on": {func(_ *yard, all change.List) { all[9].Before = digest.Of([]byte("another")) }, &changed},
	} {
		y := &yard{Disk: NewDisk(Posix)}
		y.Dir("/var", 1)
		y.Dir("/tree", 2)
		named(y)
		all := renamed(y)
		one.spoil(y, all)
		before := y.tree()
		err := y.locked(apply(func() change.List { return all }, transaction.Intent{}))
		if one.want == nil {
			require.NoError(t, err, name)
			continue
		}
		require.ErrorAs(t, err, one.want, name)
		require.Equal(t, before, y.tree(), name)
	}
}
