package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// A reaching is a command that reads and writes below a directory, where someone plants links.
type reaching struct {
	name   string
	base   string     // the directory below which links are planted, from the tree
	setup  [][]string // commands that run before
	holds  string     // the content of the files outside, which the command would change if it reached them
	args   []string
	proves bool // takes --prove-file
}

var reachings = []reaching{
	{"apply", ".", nil, "depot-3", []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-4", "."}, true},
	{"from", ".", nil, "depot-3", []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-4", "--from", "list"}, true},
	{"into", "out", nil, "depot-4", []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-4", "--into", "out", "a"}, true},
	{"beside", ".", nil, "depot-3", []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-4", "--beside", ".old", "."}, true},
	{"sealed", ".", [][]string{{"preview", "--word", "depot-3", "--with", "depot-4", "--seal", "review.seal", "a"}}, "depot-3",
		[]string{"apply", "--yes", "--sealed", "review.seal"}, true},
	{"stamp", "out", nil, "depot-3", []string{"stamp", "--yes", "../template", "--to", "out/{=zone}/b/c/{=board}.conf", "--each", "zone=a", "--each", "board=board"}, true},
	{"undo", ".", [][]string{{"apply", "--yes", "--word", "depot-3", "--with", "depot-4", "."}}, "depot-4", []string{"undo", "--yes", "--force"}, false},
}

const boardPath = "a/b/c/board.conf"

// planting makes a tree, and a tree outside that nothing may reach.
func planting(t *testing.T, r reaching) (home, outside string) {
	top := t.TempDir()
	home, outside = filepath.Join(top, "home"), filepath.Join(top, "outside")
	write := func(dir, host string) {
		path := filepath.Join(dir, boardPath)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte("host = "+host+"\n"), 0o600))
	}
	write(home, "depot-3")
	require.NoError(t, os.WriteFile(filepath.Join(home, "list"), []byte(boardPath+"\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(top, "template"), []byte("host = {=board}\n"), 0o644))
	require.NoError(t, os.MkdirAll(filepath.Join(home, r.base), 0o755))
	for _, args := range r.setup {
		_, stderr, status := frizzel(t, home, args...)
		require.Zero(t, status, stderr)
	}
	write(outside, r.holds)
	return home, outside
}

// Links that someone plants below the directory that was named, at any depth, lead nowhere: whatever the command, no
// file outside is read into a result, changed or made. So too if they take the place of directories just before the
// files are replaced.
func TestPlantedLinks(t *testing.T) {
	t.Parallel()
	for _, r := range reachings {
		for depth := range 4 {
			for _, moment := range []string{"before", "when all is staged"} {
				if moment != "before" && !r.proves {
					continue
				}
				home, outside := planting(t, r)
				parts := strings.Split(boardPath, "/")[:depth+1]
				at := filepath.Join(append([]string{home, r.base}, parts...)...)
				to := filepath.Join(append([]string{outside}, parts...)...)
				swap := fmt.Sprintf("#!/bin/sh\nmkdir -p '%s'; rm -rf '%s.was'; test ! -e '%s' || mv '%s' '%s.was'; ln -s '%s' '%s'\n", filepath.Dir(at), at, at, at, at, to, at)
				script := filepath.Join(filepath.Dir(home), "swap")
				require.NoError(t, os.WriteFile(script, []byte(swap), 0o755))
				args := r.args
				if moment == "before" {
					require.NoError(t, exec.Command(script).Run())
				} else {
					args = append(args[:len(args):len(args)], "--prove-file", script)
				}
				was := snapshot(t, outside)
				_, stderr, status := frizzel(t, home, args...)
				require.Equal(t, was, snapshot(t, outside), "%s, depth %d, %s: %d %s", r.name, depth, moment, status, stderr)
				require.NotEqual(t, 7, status, stderr)
			}
		}
	}
}

// The same while a directory and a link take each other's place all the time.
func TestSwappedAllTheTime(t *testing.T) {
	runs := 10
	if n, err := strconv.Atoi(os.Getenv("FRIZZEL_KILLS")); err == nil {
		runs = n
	}
	for _, r := range reachings {
		home, outside := planting(t, r)
		at := filepath.Join(home, r.base, "a")
		require.NoError(t, os.MkdirAll(at, 0o755))
		was := snapshot(t, outside)
		stop, stopped := make(chan struct{}), make(chan struct{})
		go func() {
			defer close(stopped)
			for {
				_ = os.Rename(at, at+".was")
				_ = os.Symlink(filepath.Join(outside, "a"), at)
				_ = os.Remove(at)
				_ = os.Rename(at+".was", at)
				select {
				case <-stop:
					return
				default:
				}
			}
		}()
		for range runs {
			_, stderr, status := frizzel(t, home, r.args...)
			require.NotEqual(t, 7, status, stderr)
		}
		close(stop)
		<-stopped
		require.Equal(t, was, snapshot(t, outside), r.name)
	}
}
