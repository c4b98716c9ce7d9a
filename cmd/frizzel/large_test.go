package main

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// largeLog writes a log of mib MiB, in which every 97th line names depot 3, and returns its
// directory, the log, and the log with depot 4.
func largeLog(t *testing.T, mib int) (dir string, old, fresh []byte) {
	dir = filepath.Join(t.TempDir(), "log")
	require.NoError(t, os.Mkdir(dir, 0o755))
	var text bytes.Buffer
	for i := 0; text.Len() < mib<<20; i++ {
		place := "platform"
		if i%97 == 0 {
			place = "depot-3"
		}
		fmt.Fprintf(&text, "2026-03-01T%02d:%02d:%02d signal-box %d: %s, ticket %d accepted\n", i/3600%24, i/60%60, i%60, i%7, place, i*7919%1_000_000)
	}
	text.WriteString("depot-3, and no line ending")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "kiosk.log"), text.Bytes(), 0o640))
	return dir, text.Bytes(), bytes.ReplaceAll(text.Bytes(), []byte("depot-3"), []byte("depot-44"))
}

func read(t *testing.T, dir string) []byte {
	content, err := os.ReadFile(filepath.Join(dir, "kiosk.log"))
	require.NoError(t, err)
	return content
}

// measured runs the program in a directory and returns its output. The program must need less than
// mib MiB of memory.
func measured(t *testing.T, mib int, dir string, in []byte, args ...string) string {
	c := exec.Command(binary, args...)
	var out, errs bytes.Buffer
	c.Dir, c.Stdin, c.Stdout, c.Stderr = dir, bytes.NewReader(in), &out, &errs
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"))
	require.NoError(t, c.Start())
	ended, most := make(chan error), 0
	go func() { ended <- c.Wait() }()
	for {
		select {
		case err := <-ended:
			require.NoError(t, err, "%v: %s", args, errs.String())
			require.Less(t, most, mib<<10, "KiB of memory for %v", args)
			return out.String()
		case <-time.After(2 * time.Millisecond):
			most = max(most, mostMemory(c.Process.Pid))
		}
	}
}

// A large file goes the whole way: a sealed review and an apply write it, the history shows it,
// and undo and redo bring every byte back; and none of them needs memory for the whole of it.
func TestLargeFile(t *testing.T) {
	t.Parallel()
	const mib = 48
	dir, old, fresh := largeLog(t, mib)
	measured := func(args ...string) string { return measured(t, mib, dir, nil, args...) }
	change := []string{"--word", "depot-3", "--with", "depot-44", "--joiners", "-"}
	seal := filepath.Join(filepath.Dir(dir), "review.seal")
	diff := measured(append([]string{"preview", "--seal", seal}, change...)...)
	require.True(t, bytes.Equal(old, read(t, dir)), "a preview wrote something")
	require.Equal(t, bytes.Count(old, []byte("depot-3")), strings.Count(measured("find", "--word", "depot-3"), "\n"))

	for _, write := range [][]string{append([]string{"apply", "--yes", "."}, change...), {"apply", "--yes", "--sealed", seal}} {
		measured(write...)
		require.True(t, bytes.Equal(fresh, read(t, dir)), "%v", write)
		require.True(t, diff == measured("history", "show", "1"), "the history shows another diff")
		measured("history", "verify")
		measured("undo", "--yes")
		require.True(t, bytes.Equal(old, read(t, dir)), "undo of %v", write)
	}
	measured("redo", "--yes")
	require.True(t, bytes.Equal(fresh, read(t, dir)), "redo")
}

// Paragraphs of a large file are found in memory for some of them, be it a file or what a filter reads; blocks
// in memory for the text and its outline.
func TestLargeParts(t *testing.T) {
	t.Parallel()
	const mib = 36
	var old, fresh bytes.Buffer
	for i := 0; old.Len() < mib<<20; i++ {
		block := fmt.Sprintf("kiosk %d {\n    depot = depot-%d\n    clock {\n      server = 192.0.2.1\n    }\n}\n\n", i, i%40)
		old.WriteString(block)
		if i%40 == 3 {
			block = strings.ReplaceAll(block, "192.0.2.1", "192.0.2.77")
		}
		fresh.WriteString(block)
	}
	for part, most := range map[string]int{"paragraph": 68, "block": 320} {
		dir := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(dir, "kiosks.conf"), old.Bytes(), 0o600))
		rule := []string{"--rule", "joiners \"-\"\nin " + part + " with word \"kiosk\" having word \"depot-3\" replace word \"192.0.2.1\" with \"192.0.2.77\""}
		out := measured(t, most, dir, old.Bytes(), append([]string{"filter"}, rule...)...)
		require.True(t, fresh.String() == out, "a filter writes something else")
		measured(t, most, dir, nil, append([]string{"apply", "--yes", "."}, rule...)...)
		written, err := os.ReadFile(filepath.Join(dir, "kiosks.conf"))
		require.NoError(t, err)
		require.True(t, bytes.Equal(fresh.Bytes(), written), "an apply writes something else")
	}
}

// A large file whose backup is damaged is left alone, and keeps no other one; one that was
// written since looks like it, and is found out.
func TestLargeFileDamaged(t *testing.T) {
	dir, _, fresh := largeLog(t, 9)
	beside := filepath.Join(dir, "kiosk.conf")
	require.NoError(t, os.WriteFile(beside, []byte("host = depot-3\n"), 0o644))
	state := filepath.Join(filepath.Dir(dir), "state")
	_, stderr, status := frizzel(t, dir, "apply", "--yes", "--word", "depot-3", "--with", "depot-44", "--joiners", "-", ".")
	require.Zero(t, status, stderr)
	backups, err := filepath.Glob(filepath.Join(state, "runs", "*", "backup"))
	require.NoError(t, err)
	backup, err := os.ReadFile(backups[0])
	require.NoError(t, err)
	damaged := bytes.Clone(backup)
	damaged[len(damaged)/2] ^= 4
	require.NoError(t, os.WriteFile(backups[0], damaged, 0o600))
	_, stderr, status = frizzel(t, dir, "undo", "--yes")
	require.Equal(t, 6, status, stderr)
	require.Contains(t, stderr, "kiosk.log: what is kept of it is damaged")
	require.True(t, bytes.Equal(fresh, read(t, dir)))
	conf, err := os.ReadFile(beside)
	require.NoError(t, err)
	require.Equal(t, "host = depot-3\n", string(conf))

	require.NoError(t, os.WriteFile(backups[0], backup, 0o600))
	path := filepath.Join(dir, "kiosk.log")
	info, err := os.Stat(path)
	require.NoError(t, err)
	theirs := bytes.Replace(fresh, []byte("platform"), []byte("PLATFORM"), 1)
	f, err := os.OpenFile(path, os.O_WRONLY, 0)
	require.NoError(t, err)
	_, err = f.Write(theirs)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	require.NoError(t, os.Chtimes(path, info.ModTime(), info.ModTime()))
	_, stderr, status = frizzel(t, dir, "undo", "--yes", "1")
	require.NotZero(t, status, stderr)
	require.True(t, bytes.Equal(theirs, read(t, dir)), "someone's changes are gone")
}

// mostMemory returns how many KiB of memory a process took at most so far, where that can be
// told.
func mostMemory(pid int) (kib int) {
	status, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if _, rest, ok := strings.Cut(string(status), "VmHWM:"); ok {
		_, _ = fmt.Sscan(rest, &kib)
	}
	return kib
}

// The diff of a large file is what git makes of it; and killed at any moment while it is written,
// it is the old one or the new one, and whole.
func TestLargeFileKilled(t *testing.T) {
	dir, old, fresh := largeLog(t, 10)
	diff, stderr, status := frizzel(t, dir, "preview", "--word", "depot-3", "--with", "depot-44", "--joiners", "-")
	require.Zero(t, status, stderr)
	byGit := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(byGit, "kiosk.log"), old, 0o640))
	judge(t, byGit, diff, "git", "apply", "--whitespace=nowarn", "-")
	require.True(t, bytes.Equal(fresh, read(t, byGit)), "git makes something else of the diff")
	r := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 8))
	args := []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-44", "--joiners", "-", "."}
	begun := time.Now()
	_, stderr, status = frizzel(t, dir, args...)
	require.Zero(t, status, stderr)
	whole := time.Since(begun)
	outcomes := map[string]int{}
	for range 12 {
		if bytes.Equal(fresh, read(t, dir)) {
			_, stderr, status = frizzel(t, dir, "undo", "--yes")
			require.Zero(t, status, stderr)
		}
		require.True(t, bytes.Equal(old, read(t, dir)))
		c := exec.Command(binary, args...)
		c.Dir = dir
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"))
		require.NoError(t, c.Start())
		time.Sleep(time.Duration(r.Int64N(int64(whole) * 6 / 5)))
		_ = c.Process.Kill()
		_ = c.Wait()
		now := read(t, dir)
		require.True(t, bytes.Equal(old, now) || bytes.Equal(fresh, now), "neither old nor new")
		_, stderr, status = frizzel(t, dir, "recover")
		require.Zero(t, status, stderr)
		names, err := os.ReadDir(dir)
		require.NoError(t, err)
		require.Len(t, names, 1, "something is left beside it")
		outcomes[fmt.Sprint("new: ", bytes.Equal(fresh, read(t, dir)))]++
	}
	t.Log(outcomes)
}

// Wide inputs take time in proportion to their size: each of these took a minute or more when something looked at the
// whole for every part of it.
func TestWideInputs(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "tree")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	write := func(name, before, each, after string, n int) {
		var b strings.Builder
		b.WriteString(before)
		for i := range n {
			fmt.Fprintf(&b, each, i)
		}
		b.WriteString(after)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(b.String()), 0o644))
	}
	write("note.fodt", `<?xml version="1.0" encoding="UTF-8"?><office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.3" office:mimetype="application/vnd.oasis.opendocument.text"><office:body><office:text>`,
		"<text:p>depot-3 %d</text:p>", "</office:text></office:body></office:document>", 200_000)
	write("flow.yaml", "boards: [", "{host: %d}, ", "{host: 1}]\n", 100_000)
	write("line.json", "[", `{"board": {"host": [1, {"at": %d}]}},`, "1]\n", 60_000)
	for _, args := range [][]string{
		{"--word", "depot-3", "--with", "depot-4", "note.fodt"},
		{"--at", "$..host", "--regex", "^1$", "--with", "2", "flow.yaml"},
		{"--at", "$..*", "--regex", "^7$", "--with", "2", "line.json"},
	} {
		begun := time.Now()
		_, stderr, status := frizzel(t, dir, append([]string{"preview", "--format", "summary"}, args...)...)
		require.Zero(t, status, stderr)
		require.Contains(t, stderr, "1 would change")
		require.Less(t, time.Since(begun), 30*time.Second, args)
	}
}
