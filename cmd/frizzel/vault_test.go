package main

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/pkg/xattr"
	"github.com/stretchr/testify/require"
)

// yard makes a directory of n files in several directories, two names for one of them.
func yard(t *testing.T, n int) (dir string) {
	dir = filepath.Join(t.TempDir(), "tree")
	for i := range n {
		sub := filepath.Join(dir, fmt.Sprintf("d%d", i%7))
		require.NoError(t, os.MkdirAll(sub, 0o755))
		text := strings.Repeat("a line of the log\n", i%50) + "host = depot-3\n"
		require.NoError(t, os.WriteFile(filepath.Join(sub, fmt.Sprintf("%04d", i)), []byte(text), 0o644))
	}
	require.NoError(t, os.Link(filepath.Join(dir, "d0", "0000"), filepath.Join(dir, "d0", "link")))
	return dir
}

// hosts counts the files by the host they name, and checks that nothing else is
// there.
func hosts(t *testing.T, dir string) map[string]int {
	counts := map[string]int{}
	for name, f := range snapshot(t, dir) {
		require.NotContains(t, name, ".frizzel-")
		_, host, ok := strings.Cut(f, "host = ")
		require.True(t, ok, "%s is cut short: %q", name, f)
		counts[strings.TrimSuffix(host, "\n")]++
	}
	return counts
}

// A run that is killed at any moment is put back by recover, or was done.
func TestKilledAtAnyMoment(t *testing.T) {
	kills := 15
	if n, err := strconv.Atoi(os.Getenv("FRIZZEL_KILLS")); err == nil {
		kills = n
	}
	dir := yard(t, 400)
	r := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 6))
	apply := func() *exec.Cmd {
		c := exec.Command(binary, "apply", "--yes", "--word", "depot-3", "--with", "depot-4", ".")
		c.Dir = dir
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"))
		return c
	}
	begun := time.Now()
	require.NoError(t, apply().Run())
	whole := time.Since(begun)
	_, _, status := frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status)
	outcomes := map[string]int{}
	for range kills {
		c := apply()
		require.NoError(t, c.Start())
		time.Sleep(time.Duration(r.Int64N(int64(whole) * 6 / 5)))
		_ = c.Process.Kill()
		_ = c.Wait()
		if r.IntN(2) == 0 { // commands that only read say so, and change nothing
			_, _, status := frizzel(t, dir, "find", "--names", "--word", "depot-4", ".")
			require.Contains(t, []int{0, 1}, status)
		}
		out, stderr, status := frizzel(t, dir, "recover")
		require.Zero(t, status, stderr)
		now := hosts(t, dir)
		require.Len(t, now, 1, "a mixture after recovery: %s", out)
		outcomes[fmt.Sprintf("%v, recovered %v", now, strings.Contains(out, "cut off;"))]++
		if now["depot-4"] > 0 {
			_, stderr, status = frizzel(t, dir, "undo", "--yes")
			require.Zero(t, status, stderr)
		}
		require.Equal(t, map[string]int{"depot-3": 401}, hosts(t, dir))
	}
	t.Log(outcomes)
}

// Two runs at once on the same files: one after the other, or one is refused; never
// a mixture.
func TestTwoAtOnce(t *testing.T) {
	for range 5 {
		dir := yard(t, 60)
		var wg sync.WaitGroup
		statuses := make([]int, 2)
		for i, host := range []string{"depot-4", "depot-5"} {
			wg.Go(func() {
				_, _, statuses[i] = frizzel(t, dir, "apply", "--yes", "--word", "depot-3", "--with", host, ".")
			})
		}
		wg.Wait()
		now := hosts(t, dir)
		require.Len(t, now, 1)
		require.Contains(t, statuses, 0)
		for _, s := range statuses {
			require.Contains(t, []int{0, 3}, s)
		}
	}
}

// Mode, owner, group, extended attributes, links and special bits stay, and so they
// do when the run is taken back.
func TestAttributesStay(t *testing.T) {
	dir := yard(t, 3)
	file := filepath.Join(dir, "d1", "0001")
	require.NoError(t, os.Chmod(file, 0o750|os.ModeSetuid|os.ModeSticky))
	attributes := xattr.Set(file, "user.depot", []byte("three")) == nil
	if os.Geteuid() == 0 {
		require.NoError(t, os.Chown(file, 1234, 4321))
		require.NoError(t, os.Chmod(file, 0o750|os.ModeSetuid|os.ModeSticky))
	}
	before, err := os.Stat(file)
	require.NoError(t, err)
	same := func() {
		t.Helper()
		now, err := os.Stat(file)
		require.NoError(t, err)
		require.Equal(t, before.Mode(), now.Mode())
		was, is := before.Sys().(*syscall.Stat_t), now.Sys().(*syscall.Stat_t)
		require.Equal(t, []uint32{was.Uid, was.Gid}, []uint32{is.Uid, is.Gid})
		if attributes {
			value, err := xattr.Get(file, "user.depot")
			require.NoError(t, err)
			require.Equal(t, "three", string(value))
		}
		one, err := os.Stat(filepath.Join(dir, "d0", "0000"))
		require.NoError(t, err)
		other, err := os.Stat(filepath.Join(dir, "d0", "link"))
		require.NoError(t, err)
		require.True(t, os.SameFile(one, other), "two names are two files now")
	}
	_, stderr, status := frizzel(t, dir, "apply", "--yes", "--word", "depot-3", "--with", "depot-4", ".")
	require.Zero(t, status, stderr)
	same()
	require.Equal(t, map[string]int{"depot-4": 4}, hosts(t, dir))
	now, err := os.Stat(file)
	require.NoError(t, err)
	require.False(t, os.SameFile(before, now), "the file was not replaced but rewritten, as if its attributes could not be kept")
	_, stderr, status = frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status, stderr)
	same()
	require.Equal(t, map[string]int{"depot-3": 4}, hosts(t, dir))
}

// A run on hold is watched when its terminal, its session and its parent are gone, and put
// back when whoever watches is told to end.
func TestHoldOutlivesItsTerminal(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("processes are looked for as Linux shows them")
	}
	dir := yard(t, 2)
	term := atTerminal(t, dir, "apply", "--ask", "file", "--hold", "10h", "--word", "depot-3", "--with", "depot-4", ".")
	term.expect("file 1 of")
	term.press("r")
	term.expect("on hold")
	term.ends(0)
	require.NoError(t, term.file.Close())
	require.Equal(t, 0, hosts(t, dir)["depot-3"])
	_, stderr, status := frizzel(t, dir, "keep")
	require.Equal(t, 2, status)
	require.Regexp(t, `on hold: frizzel keep 1 \(until \d\d:\d\d:\d\d\)`, stderr)
	guards := guardsOf(filepath.Join(filepath.Dir(dir), "state"))
	require.Len(t, guards, 1)
	require.NoError(t, syscall.Kill(guards[0], syscall.SIGTERM))
	require.Eventually(t, func() bool {
		return len(guardsOf(filepath.Join(filepath.Dir(dir), "state"))) == 0
	}, time.Minute, 5*time.Millisecond)
	require.Equal(t, 0, hosts(t, dir)["depot-4"])
}

// What the user may not write is refused, and so is a directory that takes no files;
// nothing is written then.
func TestWhatMayNotBeWritten(t *testing.T) {
	if os.Geteuid() == 0 {
		t.Skip("root may write everything")
	}
	dir := yard(t, 3)
	for _, deny := range []string{"d1/0001", "d1"} {
		path := filepath.Join(dir, deny)
		require.NoError(t, os.Chmod(path, 0o555))
		_, stderr, status := frizzel(t, dir, "apply", "--yes", "--word", "depot-3", "--with", "depot-4", ".")
		require.Equal(t, 4, status, stderr)
		require.Contains(t, stderr, "permission denied")
		require.NoError(t, os.Chmod(path, 0o755))
		require.Equal(t, map[string]int{"depot-3": 4}, hosts(t, dir))
	}
	c := exec.Command(binary, "apply", "--yes", "--word", "depot-3", "--with", "x", ".")
	c.Dir = dir
	var errs bytes.Buffer
	c.Stderr = &errs
	c.Env = append(os.Environ(), "FRIZZEL_STATE=/proc/nowhere")
	require.Error(t, c.Run())
	require.Contains(t, errs.String(), "there is no private directory for backups, so nothing is written")
}
