package main

import (
	"bytes"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A thing is what is at a path: the kind, the mode and the content of a file, or the text of a link.
type thing struct {
	what  string
	inode uint64
}

// placesIn returns all things below a directory. Without directories it is what a diff can say.
func placesIn(t *testing.T, dir string, directories bool) map[string]thing {
	t.Helper()
	all := map[string]thing{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || path == dir || d.IsDir() && !directories {
			return err
		}
		info, err := os.Lstat(path)
		if err != nil {
			return err
		}
		what := info.Mode().String()
		switch {
		case info.Mode().IsRegular():
			content, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			what += " " + string(content)
		case info.Mode()&fs.ModeSymlink != 0:
			target, err := os.Readlink(path)
			if err != nil {
				return err
			}
			what += " -> " + target
		}
		rel, err := filepath.Rel(dir, path)
		all[rel] = thing{what, info.Sys().(*syscall.Stat_t).Ino}
		return err
	}))
	return all
}

func whats(all map[string]thing) map[string]string {
	out := map[string]string{}
	for path, p := range all {
		out[path] = p.what
	}
	return out
}

// wordsOfNames are the parts of the names in a random tree; the rules change some of them.
var wordsOfNames = []string{"depot-3", "depot-30", "kiosk", "board", "depot-4", "a b", "ü", "x"}

// grow makes a random tree of files, directories and links.
func grow(t *testing.T, r *rand.Rand, dir string, depth int) {
	t.Helper()
	name := func() string {
		return wordsOfNames[r.IntN(len(wordsOfNames))] + []string{"", "-1", "-2", ".conf", ".d"}[r.IntN(5)]
	}
	for range 2 + r.IntN(4) {
		path := filepath.Join(dir, name())
		if _, err := os.Lstat(path); err == nil {
			continue
		}
		switch k := r.IntN(10); {
		case k < 3 && depth > 0:
			require.NoError(t, os.Mkdir(path, 0o755))
			grow(t, r, path, depth-1)
		case k < 5:
			require.NoError(t, os.Symlink([]string{"../", "", "./"}[r.IntN(3)]+name(), path))
		case k < 6:
			require.NoError(t, os.WriteFile(path, []byte("\x00\x01 depot-3 picture"), 0o644))
		default:
			require.NoError(t, os.WriteFile(path, []byte(fmt.Sprintf("line of %s\nhost = %s\n", name(), name())), []fs.FileMode{0o644, 0o755}[r.IntN(2)]))
		}
	}
}

// renaming returns random rules.
func renaming(r *rand.Rand) string {
	pick := func(all ...string) string { return all[r.IntN(len(all))] }
	var b strings.Builder
	for range 1 + r.IntN(4) {
		b.WriteString(pick("in file name ", "in directory name ", "in link target ", "") + pick(
			`replace word "depot-3" with "depot-4"`, `replace each text { "depot-3" with "depot-4"; "depot-4" with "depot-3" }`,
			`replace text "kiosk" with "machine"`, `remove text "-1"`, `replace regex '^(\w+)' with "{=1 upper}"`,
			`replace each text { "-1" with "-2"; "-2" with "-1" }`,
		) + "\n")
	}
	return b.String()
}

// Random trees and random rules that rename, swap and rewrite: git makes the same files and links of the diff, a run writes all
// or says why not and changes nothing, an undo gives the old tree back, and what changed its name alone keeps its inode.
func TestNamesOfRandomTrees(t *testing.T) {
	t.Parallel()
	written, refused := 0, 0
	for seed := range uint64(40) {
		r := rand.New(rand.NewPCG(seed, 33))
		dir := filepath.Join(t.TempDir(), "tree")
		require.NoError(t, os.MkdirAll(dir, 0o755))
		grow(t, r, dir, 3)
		rules := filepath.Join(filepath.Dir(dir), "rules.friz")
		text := renaming(r)
		require.NoError(t, os.WriteFile(rules, []byte(text), 0o600))
		before := placesIn(t, dir, true)
		diff, stderr, status := frizzel(t, dir, "preview", "-r", rules)
		if status == 3 {
			refused++
			_, _, status = frizzel(t, dir, "apply", "--yes", "-r", rules, ".")
			require.Equal(t, 3, status, "seed %d\n%s", seed, text)
			require.Equal(t, before, placesIn(t, dir, true), "seed %d\n%s", seed, text)
			continue
		}
		require.Zero(t, status, "seed %d\n%s\n%s", seed, text, stderr)
		byGit := filepath.Join(t.TempDir(), "git")
		require.NoError(t, exec.Command("cp", "-a", dir, byGit).Run())
		c := exec.Command("git", "apply", "--whitespace=nowarn", "--allow-empty", "-")
		c.Dir, c.Stdin = byGit, strings.NewReader(diff)
		said, err := c.CombinedOutput()
		swapped := bytes.Contains(said, []byte("is beyond a symbolic link")) // a directory and a link: too much for git
		require.True(t, err == nil || swapped, "seed %d\n%s\n%s\n%s", seed, text, said, diff)
		events, _, _ := frizzel(t, dir, "preview", "--format", "json", "-r", rules)
		rewritten := strings.Count(events, `"new_target":`) + strings.Count(events, `"added":`) - strings.Count(events, `"added":0,`)
		_, stderr, status = frizzel(t, dir, "apply", "--yes", "-r", rules, ".")
		require.Zero(t, status, "seed %d\n%s\n%s", seed, text, stderr)
		if !swapped {
			require.Equal(t, whats(placesIn(t, byGit, false)), whats(placesIn(t, dir, false)), "seed %d\n%s", seed, text)
		}
		if diff == "" {
			continue
		}
		written++
		inodes := map[uint64]bool{}
		for _, p := range before {
			inodes[p.inode] = true
		}
		fresh := 0
		for _, p := range placesIn(t, dir, true) {
			if !inodes[p.inode] {
				fresh++
			}
		}
		require.LessOrEqual(t, fresh, rewritten, "seed %d\n%s", seed, text) // what changed its name alone keeps its inode
		_, stderr, status = frizzel(t, dir, "undo", "--yes")
		require.Zero(t, status, "seed %d\n%s\n%s", seed, text, stderr)
		after := placesIn(t, dir, true)
		require.Equal(t, whats(before), whats(after), "seed %d\n%s", seed, text)
	}
	t.Logf("%d written, %d refused", written, refused)
	require.Greater(t, written, 15)
	require.Positive(t, refused)
}

// A run that renames and is killed at whatever moment is all there or not at all, once it is recovered.
func TestNamesWhenKilled(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "tree")
	for d := range 40 {
		for f := range 20 {
			path := filepath.Join(dir, fmt.Sprintf("depot-3-%d/inner-depot-3/kiosk-depot-3-%d.conf", d, f))
			require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
			require.NoError(t, os.WriteFile(path, []byte("host = depot-3\n"), 0o644))
			if f == 0 {
				require.NoError(t, os.Symlink("../../depot-3-0", filepath.Join(filepath.Dir(path), "up")))
			}
		}
	}
	args := []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-4", "--also-names", "."}
	old := whats(placesIn(t, dir, true))
	start := time.Now()
	_, stderr, status := frizzel(t, dir, args...)
	whole := time.Since(start)
	require.Zero(t, status, stderr)
	fresh := whats(placesIn(t, dir, true))
	outcomes := map[string]int{}
	r := rand.New(rand.NewPCG(7, 7))
	for range 10 {
		if now := whats(placesIn(t, dir, true)); len(now) == len(fresh) && equalPlaces(now, fresh) {
			_, stderr, status = frizzel(t, dir, "undo", "--yes")
			require.Zero(t, status, stderr)
		}
		require.Equal(t, old, whats(placesIn(t, dir, true)))
		c := exec.Command(binary, args...)
		c.Dir = dir
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"))
		require.NoError(t, c.Start())
		time.Sleep(time.Duration(r.Int64N(int64(whole) * 6 / 5)))
		_ = c.Process.Kill()
		_ = c.Wait()
		cut := whats(placesIn(t, dir, true))
		_, stderr, status = frizzel(t, dir, "recover")
		require.Zero(t, status, stderr)
		now := whats(placesIn(t, dir, true))
		require.True(t, equalPlaces(old, now) || equalPlaces(fresh, now), "neither old nor new\n%s", stderr)
		outcomes[fmt.Sprintf("cut off in between: %t", !equalPlaces(cut, old) && !equalPlaces(cut, fresh))]++
	}
	t.Log(outcomes)
}

func equalPlaces(a, b map[string]string) bool {
	if len(a) != len(b) {
		return false
	}
	for path, what := range a {
		if b[path] != what {
			return false
		}
	}
	return true
}

// Directories that someone swaps while a run is at work lead it nowhere outside: the files there keep their names, whatever
// the run says.
func TestNamesInSwappedDirectories(t *testing.T) {
	top := t.TempDir()
	dir, outside := filepath.Join(top, "tree"), filepath.Join(top, "outside")
	for _, d := range []string{outside, dir} {
		for k := range 6 {
			require.NoError(t, os.MkdirAll(filepath.Join(d, fmt.Sprint("d", k)), 0o755))
			for f := range 30 {
				require.NoError(t, os.WriteFile(filepath.Join(d, fmt.Sprint("d", k), fmt.Sprintf("depot-3-%d", f)), []byte("host = depot-3\n"), 0o644))
			}
		}
	}
	want := placesIn(t, outside, true)
	stop, done := make(chan bool), make(chan bool)
	go func() {
		defer close(done)
		for k := 0; ; k = (k + 1) % 6 {
			select {
			case <-stop:
				return
			default:
			}
			here, away := filepath.Join(dir, fmt.Sprint("d", k)), filepath.Join(top, "away")
			if os.Rename(here, away) == nil {
				_ = os.Symlink(filepath.Join(outside, fmt.Sprint("d", k)), here)
				time.Sleep(200 * time.Microsecond)
				_ = os.Remove(here)
				_ = os.Rename(away, here)
			}
		}
	}()
	for range 12 {
		_, stderr, status := frizzel(t, dir, "apply", "--yes", "--word", "depot-3", "--with", "depot-4", "--also-names", "--skip-unreadable", ".")
		require.NotEqual(t, 7, status, stderr)
		_, _, _ = frizzel(t, dir, "undo", "--yes", "--force")
	}
	close(stop)
	<-done
	require.Equal(t, want, placesIn(t, outside, true))
}
