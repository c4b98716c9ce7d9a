package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/pkg/xattr"
	"github.com/stretchr/testify/require"
)

// changing is the command line of a change that a test makes.
var changing = []string{"apply", "--yes", "--word", "depot-3", "--with", "depot-4"}

// killed runs a change that is killed when all its files are new.
func killed(t *testing.T, dir string) {
	_, _, status := frizzel(t, dir, append(changing, "--prove", "kill -9 $PPID; sleep 0.1", ".")...)
	require.Equal(t, -1, status)
	require.Zero(t, hosts(t, dir)["depot-3"])
}

// A run whose files cannot be looked at is not settled, names them, keeps no other run, and
// is put back once they can be.
func TestOutOfReach(t *testing.T) {
	dir := yard(t, 20)
	killed(t, dir)
	away := dir + "-away"
	require.NoError(t, os.Rename(dir, away))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "d1"), 0o755))
	other := filepath.Join(dir, "other")
	require.NoError(t, os.WriteFile(other, []byte("host = depot-3\n"), 0o644))
	_, stderr, status := frizzel(t, dir, "recover")
	require.Equal(t, 6, status)
	require.Contains(t, stderr, "these files are out of reach")
	require.Contains(t, stderr, "0001")
	_, stderr, status = frizzel(t, dir, append(changing, "other")...)
	require.Zero(t, status, stderr)
	require.NoError(t, os.RemoveAll(dir))
	require.NoError(t, os.Rename(away, dir))
	_, stderr, status = frizzel(t, dir, "recover")
	require.Zero(t, status, stderr)
	require.Equal(t, map[string]int{"depot-3": 21}, hosts(t, dir))
	stdout, _, _ := frizzel(t, dir, "recover")
	require.Contains(t, stdout, "no run was cut off")
}

// A file that became a link, a directory, or is gone is left alone and named, and stops no
// other one; what was changed since is never overwritten.
func TestOddFiles(t *testing.T) {
	for _, how := range []string{"recover", "undo"} {
		dir := yard(t, 8)
		if how == "recover" {
			killed(t, dir)
		} else {
			_, stderr, status := frizzel(t, dir, append(changing, ".")...)
			require.Zero(t, status, stderr)
		}
		outside := filepath.Join(filepath.Dir(dir), "outside")
		require.NoError(t, os.WriteFile(outside, []byte("host = depot-4\n"), 0o644))
		at := func(i int) string { return filepath.Join(dir, fmt.Sprintf("d%d", i%7), fmt.Sprintf("%04d", i)) }
		for _, i := range []int{1, 2, 3} {
			require.NoError(t, os.Remove(at(i)))
		}
		require.NoError(t, os.Symlink(outside, at(1)))
		require.NoError(t, os.Mkdir(at(2), 0o755))
		require.NoError(t, os.WriteFile(at(4), []byte("host = someone else's\n"), 0o644))
		args := []string{how}
		if how == "undo" {
			args = append(args, "--yes")
		}
		_, stderr, status := frizzel(t, dir, args...)
		require.Equal(t, 6, status, stderr)
		for _, i := range []int{1, 2, 3, 4} {
			require.Contains(t, stderr, fmt.Sprintf("left alone: d%d/%04d", i, i), how)
		}
		content, err := os.ReadFile(outside)
		require.NoError(t, err)
		require.Equal(t, "host = depot-4\n", string(content))
		content, err = os.ReadFile(at(4))
		require.NoError(t, err)
		require.Equal(t, "host = someone else's\n", string(content))
		for _, i := range []int{0, 5, 6, 7} {
			content, err := os.ReadFile(at(i))
			require.NoError(t, err)
			require.Contains(t, string(content), "host = depot-3\n")
		}
		if how == "recover" { // the old contents are where the message says
			_, place, ok := strings.Cut(stderr, "its old content is in ")
			require.True(t, ok, stderr)
			place, _, _ = strings.Cut(place, "\n")
			content, err := os.ReadFile(place)
			require.NoError(t, err)
			require.Contains(t, string(content), "host = depot-3\n")
		}
		_, stderr, status = frizzel(t, dir, append(changing, "--text", "x")...) // nothing is blocked
		require.NotEqual(t, 4, status, stderr)
	}
}

// The directory that was named, or one below it, replaced by a link or by another directory:
// nothing outside is written, not even by force.
func TestDirIsAnother(t *testing.T) {
	for _, name := range []string{"", "d1"} {
		for _, with := range []string{"link", "directory"} {
			dir := yard(t, 8)
			_, stderr, status := frizzel(t, dir, append(changing, ".")...)
			require.Zero(t, status, stderr)
			outside := filepath.Join(filepath.Dir(dir), "outside")
			require.NoError(t, os.MkdirAll(filepath.Join(outside, "d1"), 0o755))
			for _, path := range []string{"0001", "d1/0001"} {
				require.NoError(t, os.WriteFile(filepath.Join(outside, path), []byte("of the owner's choice\n"), 0o644))
			}
			swapped := filepath.Join(dir, name)
			require.NoError(t, os.Rename(swapped, swapped+"-was"))
			if with == "link" {
				require.NoError(t, os.Symlink(outside, swapped))
			} else {
				require.NoError(t, os.Rename(outside, swapped))
			}
			_, stderr, status = frizzel(t, filepath.Dir(dir), "undo", "--yes", "--force")
			if name != "" { // the state is beside the tree
				_, stderr, status = frizzel(t, dir, "undo", "--yes", "--force")
			}
			require.NotZero(t, status, stderr)
			for _, path := range []string{"0001", "d1/0001"} {
				at := outside
				if with == "directory" {
					at = swapped
				}
				content, err := os.ReadFile(filepath.Join(at, path))
				require.NoError(t, err)
				require.Equal(t, "of the owner's choice\n", string(content))
			}
		}
	}
}

// A file that gets another name, or another mode, while the run is at work is not the file
// that was read: nothing is written.
func TestChangedMeanwhile(t *testing.T) {
	for _, command := range []string{"ln d1/0001 d1/theirs", "chmod 600 d1/0001", "echo more >> d1/0001", "touch -d 2001-01-01 d1/0001", "chmod 666 {=path}", "echo x >> {=path}"} {
		dir := yard(t, 1)
		require.NoError(t, os.MkdirAll(filepath.Join(dir, "d1"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "d1", "0001"), []byte("host = depot-3\n"), 0o644))
		_, stderr, status := frizzel(t, dir, append(changing, "--prove-file", "sh -c '"+strings.ReplaceAll(command, "{=path}", `"$1"`)+"' sh {=path}", "d1/0001")...)
		require.Equal(t, 3, status, "%s: %s", command, stderr)
		require.Contains(t, stderr, "nothing was written", command)
		content, err := os.ReadFile(filepath.Join(dir, "d1", "0001"))
		require.NoError(t, err)
		require.Contains(t, string(content), "host = depot-3\n")
		names, err := filepath.Glob(filepath.Join(dir, "d1", ".frizzel-*"))
		require.NoError(t, err)
		require.Empty(t, names, command)
	}
}

// A staged copy is open to nobody who could not open the original, also where new files
// inherit an access list.
func TestStagedCopyIsPrivate(t *testing.T) {
	dir := yard(t, 1)
	file := filepath.Join(dir, "secret")
	require.NoError(t, os.WriteFile(file, []byte("host = depot-3\n"), 0o600))
	// An access list (POSIX 1003.1e, version 2 of Linux's form): the owner, user 4321 and the
	// mask may read and write, others nothing.
	list := "\x02\x00\x00\x00\x01\x00\x06\x00\xff\xff\xff\xff\x02\x00\x06\x00\xe1\x10\x00\x00\x04\x00\x00\x00\xff\xff\xff\xff\x10\x00\x06\x00\xff\xff\xff\xff\x20\x00\x00\x00\xff\xff\xff\xff"
	inherits := xattr.Set(dir, "system.posix_acl_default", []byte(list)) == nil
	_, stderr, status := frizzel(t, dir, append(changing, "--prove-file", `sh -c 'stat -c %a "$1" > ../mode; getfattr -d -m - "$1" >> ../mode 2>/dev/null; true' sh {=path}`, "secret")...)
	require.Zero(t, status, stderr)
	mode, err := os.ReadFile(filepath.Join(filepath.Dir(dir), "mode"))
	require.NoError(t, err)
	require.Equal(t, "600", strings.Fields(string(mode))[0])
	info, err := os.Stat(file)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode())
	if inherits {
		_, err := xattr.Get(file, "system.posix_acl_access")
		require.Error(t, err, "the file has inherited an access list")
	}
}

// Two people's runs over the same files, each with a history of their own: one after the
// other, or one is refused, never a mixture, and nothing is left behind.
func TestTwoHistories(t *testing.T) {
	for range 6 {
		dir := yard(t, 40)
		statuses := make([]int, 2)
		var wg sync.WaitGroup
		for i := range statuses {
			wg.Go(func() {
				c := exec.Command(binary, "apply", "--yes", "--word", "depot-3", "--with", fmt.Sprintf("depot-%d", 5+i), ".")
				c.Dir = dir
				c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), fmt.Sprint("state", i)))
				_ = c.Run()
				statuses[i] = c.ProcessState.ExitCode()
			})
		}
		wg.Wait()
		require.Len(t, hosts(t, dir), 1)
		require.Contains(t, statuses, 0)
		for _, s := range statuses {
			require.Contains(t, []int{0, 3}, s)
		}
	}
}

// Output that nobody reads, and signals that the caller ignores, leave nothing half done.
func TestPipesAndSignals(t *testing.T) {
	dir := yard(t, 6)
	sh := func(command string) {
		c := exec.Command("sh", "-c", command)
		c.Dir = dir
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"), "PATH="+filepath.Dir(binary)+":"+os.Getenv("PATH"))
		_ = c.Run()
	}
	apply := "frizzel " + strings.Join(changing, " ")
	sh("(" + apply + " --prove 'echo no; exit 1' . 2>&1; echo $? > ../status) | true; while [ ! -s ../status ]; do sleep 0.01; done")
	require.Equal(t, map[string]int{"depot-3": 7}, hosts(t, dir))
	sh("trap '' HUP; " + apply + " --prove 'kill -HUP $PPID; sleep 0.2' . > ../out 2>&1")
	require.Equal(t, map[string]int{"depot-4": 7}, hosts(t, dir))
	_, _, status := frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status)
	sh(apply + " --prove 'kill -INT $PPID; sleep 5' . > ../out 2>&1")
	require.Equal(t, map[string]int{"depot-3": 7}, hosts(t, dir))
	sh("mkfifo ../pipe; frizzel check ../pipe > ../out 2>&1 & pid=$!; sleep 1; kill -TERM $pid; wait $pid; echo $? > ../status")
	text, err := os.ReadFile(filepath.Join(filepath.Dir(dir), "status"))
	require.NoError(t, err)
	require.Equal(t, "130\n", string(text))
}

// A stream that turns out to be in an older encoding only behind characters of UTF-8 that were written to it ends there.
func TestStreamOfTwoEncodings(t *testing.T) {
	dir := t.TempDir()
	in := "depot-3\n" + strings.Repeat("nothing here\n", 100_000) + "gr\xfcn\n" + "behind\n"
	out, errs, status := fed(t, dir, in, "filter", "--word", "depot-3", "--with", "dépôt-4")
	require.Equal(t, 3, status)
	require.Contains(t, errs, "characters above ASCII were already written as UTF-8")
	require.Contains(t, out, "dépôt-4\n")
	require.NotContains(t, out, "behind")
}

// fed runs the program with a text as its input.
func fed(t *testing.T, dir, in string, args ...string) (out, errs string, status int) {
	c := exec.Command(binary, args...)
	var stdout, stderr strings.Builder
	c.Dir, c.Stdin, c.Stdout, c.Stderr = dir, strings.NewReader(in), &stdout, &stderr
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(dir, "state"))
	err := c.Run()
	var exit *exec.ExitError
	if err != nil {
		require.ErrorAs(t, err, &exit)
	}
	return stdout.String(), stderr.String(), c.ProcessState.ExitCode()
}

// A directory that was restored from elsewhere, so that it is another one with the same files, keeps no undo: a person is
// asked, and --force answers. What does not hold what the run left stays, even then.
func TestDirectoryMadeAnew(t *testing.T) {
	dir := yard(t, 8)
	_, stderr, status := frizzel(t, dir, append(changing, ".")...)
	require.Zero(t, status, stderr)
	d1 := filepath.Join(dir, "d1")
	require.NoError(t, os.Rename(d1, d1+"-was"))
	require.NoError(t, os.CopyFS(d1, os.DirFS(d1+"-was")))
	require.NoError(t, os.RemoveAll(d1+"-was"))
	_, stderr, status = frizzel(t, dir, "undo", "--yes", ".")
	require.Equal(t, 6, status, stderr)
	require.Contains(t, stderr, "d1/0001: it is what the run left, but its directory is another one by now")
	require.Equal(t, map[string]int{"depot-3": 8, "depot-4": 1}, hosts(t, dir))
	_, stderr, status = frizzel(t, dir, "redo", "--yes")
	require.Zero(t, status, stderr)
	_, stderr, status = frizzel(t, dir, "undo", "--yes", "--force")
	require.Zero(t, status, stderr)
	require.Equal(t, map[string]int{"depot-3": 9}, hosts(t, dir))
}

// A run that was cut off, and whose record or journal cannot be read any more, is named each time, with a status that says
// so, until --force settles it by what its files hold, or gives it up.
func TestDamagedCutOff(t *testing.T) {
	for _, file := range []string{"record", "journal", "both"} {
		for _, mixed := range []bool{false, true} {
			dir := yard(t, 8)
			killed(t, dir)
			runs, err := filepath.Glob(filepath.Join(filepath.Dir(dir), "state", "runs", "*"))
			require.NoError(t, err)
			require.Len(t, runs, 1)
			for _, name := range []string{"record", "journal"} {
				if file == name || file == "both" {
					path := filepath.Join(runs[0], name)
					text, err := os.ReadFile(path)
					require.NoError(t, err)
					text[len(text)/3] ^= 4
					require.NoError(t, os.WriteFile(path, text, 0o600))
				}
			}
			if mixed { // one file is as it was
				require.NoError(t, os.WriteFile(filepath.Join(dir, "d1", "0001"), []byte(strings.Repeat("a line of the log\n", 1)+"host = depot-3\n"), 0o644))
			}
			for range 2 {
				stdout, stderr, status := frizzel(t, dir, "recover")
				require.Equal(t, 6, status, stdout+stderr)
				require.Contains(t, stderr, "frizzel recover --force")
				require.NotContains(t, stdout, "no run was cut off")
			}
			_, stderr, status := frizzel(t, dir, "recover", "--force", "1")
			require.Zero(t, status, stderr)
			switch {
			case file != "journal":
				require.Contains(t, stderr, "was given up")
			case mixed:
				require.Equal(t, map[string]int{"depot-3": 9}, hosts(t, dir), stderr)
			default:
				require.Contains(t, stderr, "run 1 is done")
				_, stderr, status := frizzel(t, dir, "undo", "--yes")
				require.Zero(t, status, stderr)
				require.Equal(t, map[string]int{"depot-3": 9}, hosts(t, dir))
			}
			stdout, _, status := frizzel(t, dir, "recover")
			require.Zero(t, status)
			require.Contains(t, stdout, "no run was cut off")
		}
	}
}

// A run that was cut off, and whose directories are gone or others, is settled by force.
func TestForcedRecovery(t *testing.T) {
	dir := yard(t, 8)
	killed(t, dir)
	for _, name := range []string{"d1", "d2"} {
		require.NoError(t, os.Rename(filepath.Join(dir, name), filepath.Join(dir, name+"-was")))
	}
	require.NoError(t, os.CopyFS(filepath.Join(dir, "d1"), os.DirFS(filepath.Join(dir, "d1-was"))))
	_, stderr, status := frizzel(t, dir, "recover")
	require.Equal(t, 6, status, stderr)
	_, stderr, status = frizzel(t, dir, "recover", "--force")
	require.Equal(t, 6, status, stderr)
	require.Contains(t, stderr, "left alone: d2/0002: its directory is out of reach; its old content is in ")
	content, err := os.ReadFile(filepath.Join(dir, "d1", "0001"))
	require.NoError(t, err)
	require.Contains(t, string(content), "host = depot-3\n", "of the directory that is another one")
	stdout, _, status := frizzel(t, dir, "recover")
	require.Zero(t, status)
	require.Contains(t, stdout, "no run was cut off")
}

// A proof that changes a file itself leaves text of the run: the status says that not all is as before. One that leaves a
// process behind that has its output succeeds.
func TestOddProofs(t *testing.T) {
	dir := yard(t, 2)
	_, stderr, status := frizzel(t, dir, append(changing, "--prove", "echo more >> d1/0001; false", ".")...)
	require.Equal(t, 6, status, stderr)
	require.Contains(t, stderr, "not all is as before")
	require.NotContains(t, stderr, "everything is as before")
	_, stderr, status = frizzel(t, dir, append(changing, "--prove", "false", "d0")...)
	require.Equal(t, 3, status, stderr)
	require.Contains(t, stderr, "everything is as before")
	_, stderr, status = frizzel(t, dir, append(changing, "--prove", "sleep 5 &", "d0")...)
	require.Zero(t, status, stderr)
}

// The redo of a run that was taken back part by part does all parts again.
func TestRedoOfParts(t *testing.T) {
	dir := yard(t, 8)
	_, stderr, status := frizzel(t, dir, append(changing, ".")...)
	require.Zero(t, status, stderr)
	for _, part := range []string{"d1", "d2"} {
		_, stderr, status = frizzel(t, dir, "undo", "--yes", "1", part)
		require.Zero(t, status, stderr)
	}
	_, stderr, status = frizzel(t, dir, "redo", "--yes", "1")
	require.Zero(t, status, stderr)
	require.Equal(t, map[string]int{"depot-4": 9}, hosts(t, dir))
}

// Directories that a run made go with its files when it is taken back, or fails; what someone else put there stays. A redo
// makes them again.
func TestMadeDirectories(t *testing.T) {
	dir := yard(t, 2)
	out := filepath.Join(dir, "out")
	stamp := []string{"stamp", "--yes", "d1/0001", "--to", "out/{=zone}/kiosks/board.conf", "--each", "zone=oak,ash"}
	_, stderr, status := frizzel(t, dir, append(stamp, "--prove", "false")...)
	require.Equal(t, 3, status, stderr)
	require.NoDirExists(t, out)
	_, stderr, status = frizzel(t, dir, stamp...)
	require.Zero(t, status, stderr)
	require.NoError(t, os.WriteFile(filepath.Join(out, "ash", "mine"), nil, 0o644))
	_, stderr, status = frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status, stderr)
	require.NoDirExists(t, filepath.Join(out, "oak"))
	require.NoDirExists(t, filepath.Join(out, "ash", "kiosks"))
	require.FileExists(t, filepath.Join(out, "ash", "mine"))
	_, stderr, status = frizzel(t, dir, "redo", "--yes")
	require.Zero(t, status, stderr)
	require.FileExists(t, filepath.Join(out, "oak", "kiosks", "board.conf"))
	require.NoError(t, os.Remove(filepath.Join(out, "ash", "mine")))
	_, stderr, status = frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status, stderr)
}

// A hold whose time ends while its files, or the state, are out of reach is not given up: the guard puts the files back as
// soon as they can be read, and makes no other state. What was changed since is left alone.
func TestHoldOutOfReach(t *testing.T) {
	for _, away := range []string{"tree", "state"} {
		t.Run(away, func(t *testing.T) {
			t.Parallel()
			dir := yard(t, 8)
			top := filepath.Dir(dir)
			_, stderr, status := frizzel(t, dir, append(changing, "--hold", "1s", ".")...)
			require.Zero(t, status, stderr)
			require.NoError(t, os.WriteFile(filepath.Join(dir, "d1", "0001"), []byte("first\nhost = depot-4\n"), 0o644))
			require.NoError(t, os.Rename(filepath.Join(top, away), filepath.Join(top, "away")))
			time.Sleep(3 * time.Second)
			require.NoFileExists(t, filepath.Join(top, away))
			require.NoError(t, os.Rename(filepath.Join(top, "away"), filepath.Join(top, away)))
			require.Eventually(t, func() bool {
				stdout, _, _ := frizzel(t, dir, "history")
				return regexp.MustCompile(`undo of 1 .* done `).MatchString(stdout)
			}, 20*time.Second, 200*time.Millisecond)
			require.Equal(t, map[string]int{"depot-3": 8, "depot-4": 1}, hosts(t, dir))
		})
	}
}

// So does the next command, if nobody watches any more: each time it says what cannot be read, until it can.
func TestOverdueOutOfReach(t *testing.T) {
	dir := yard(t, 8)
	top := filepath.Dir(dir)
	_, stderr, status := frizzel(t, dir, append(changing, "--hold", "1s", ".")...)
	require.Zero(t, status, stderr)
	for _, pid := range guardsOf(filepath.Join(top, "state")) {
		process, err := os.FindProcess(pid)
		require.NoError(t, err)
		require.NoError(t, process.Kill())
	}
	time.Sleep(1100 * time.Millisecond)
	d1 := filepath.Join(dir, "d1")
	require.NoError(t, os.Rename(d1, filepath.Join(top, "d1")))
	for range 2 {
		_, stderr, status = frizzel(t, dir, "recover")
		require.Equal(t, 6, status, stderr)
		require.Contains(t, stderr, "d1/0001 cannot be read just now")
	}
	require.Equal(t, map[string]int{"depot-3": 8}, hosts(t, dir), "the others are put back")
	require.NoError(t, os.Rename(filepath.Join(top, "d1"), d1))
	_, stderr, status = frizzel(t, dir, "recover")
	require.Zero(t, status, stderr)
	require.Equal(t, map[string]int{"depot-3": 9}, hosts(t, dir))
}

// The path of a staged copy is one argument of a proof, whatever characters it has: nothing in it is a command.
func TestPathsAreNoCommands(t *testing.T) {
	dir := yard(t, 1)
	for _, name := range []string{"$(touch owned)", "`touch owned`", "a; touch owned", "it's \"it\" & touch owned", "-rf", "new\nline"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, name), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name, "board"), []byte("host = depot-3\n"), 0o644))
	}
	for _, command := range []string{"grep -q depot-4 {=path}", `grep -q depot-4 "{=path}"`, `grep -q depot-4 '{=path}'`} {
		_, stderr, status := frizzel(t, dir, append(changing, "--prove-file", command, ".")...)
		require.Zero(t, status, stderr)
		_, stderr, status = frizzel(t, dir, "undo", "--yes")
		require.Zero(t, status, stderr)
		require.NoFileExists(t, filepath.Join(dir, "owned"))
	}
}

// A file that cannot be read to its end, here since its one line is longer than any memory, is named and left out, and the
// search of the others goes on, however it is shown.
func TestSearchGoesOn(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "tree")
	require.NoError(t, os.MkdirAll(dir, 0o755))
	for _, name := range []string{"a", "m", "z"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(strings.Repeat("x", 9000)+"\ndepot-3\n"+strings.Repeat("y", 9000)), 0o644))
	}
	require.NoError(t, os.Truncate(filepath.Join(dir, "m"), 3<<30))
	for _, how := range [][]string{nil, {"--count"}, {"--names"}, {"--without"}, {"--format", "json"}, {"--show", "{=0}"}} {
		stdout, stderr, status := frizzel(t, dir, append([]string{"find", "--word", "depot-3"}, how...)...)
		require.Equal(t, 4, status, "%v: %s", how, stderr)
		require.Contains(t, stdout+stderr, "one line is longer")
		if !slices.Contains(how, "--without") && !slices.Contains(how, "--show") {
			require.Contains(t, stdout, "z", how)
		}
		if slices.Contains(how, "--show") {
			require.Equal(t, "depot-3\ndepot-3\n", stdout)
		}
	}
}

// So many matches in one line that they do not fit in the memory that a file may take are counted, or the file is named as
// one that was not searched; a number is never that of a part.
func TestTooManyMatches(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const many = 3_500_000
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a"), []byte(strings.Repeat("e ", many)), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "b"), []byte("one\n"), 0o644))
	for _, what := range [][]string{{"--text", "e"}, {"--rule", `replace text "e" with "E"`}} {
		stdout, stderr, status := frizzel(t, dir, append([]string{"find", "--count"}, what...)...)
		require.Zero(t, status, stderr)
		require.Equal(t, fmt.Sprintf("a:%d\nb:1\n", many), stdout)
		stdout, stderr, status = frizzel(t, dir, append([]string{"find", "--names"}, what...)...)
		require.Zero(t, status, stderr)
		require.Equal(t, "a\nb\n", stdout)
		stdout, stderr, status = frizzel(t, dir, append([]string{"find"}, what...)...)
		require.Equal(t, 4, status, stderr)
		require.Equal(t, "b:1:3:one\n", stdout)
		require.Regexp(t, `(?m)^frizzel: a: the matches.* need more than the 256 MiB of memory that one file may take$`, stderr)
	}
}

// Output that cannot be written is an error of every command, also of those that only print help; and a directory for
// temporary files that is full is not a fault of the files.
func TestNoRoom(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip(err)
	}
	dir := yard(t, 4)
	for _, args := range [][]string{{"--help"}, {"find", "--help"}, {"find", "--word", "depot-3"}, {"version"}, {"history"}, {"preview", "--word", "depot-3", "--with", "x", "."}} {
		c := exec.Command(binary, args...)
		full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		require.NoError(t, err)
		var stderr strings.Builder
		c.Dir, c.Stdout, c.Stderr = dir, full, &stderr
		_ = c.Run()
		require.NoError(t, full.Close())
		require.Equal(t, 4, c.ProcessState.ExitCode(), args)
		require.Equal(t, 1, strings.Count(stderr.String(), "no space left on device"), stderr.String())
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "big"), []byte(strings.Repeat("depot-3 depot-3\n", 1_000_000)), 0o644))
	t.Setenv("TMPDIR", "/nowhere")
	for _, args := range [][]string{append(changing, "."), {"preview", "--word", "depot-3", "--with", "x", "."}} {
		_, stderr, status := frizzel(t, dir, args...)
		require.Equal(t, 4, status)
		require.Contains(t, stderr, "a temporary file in /nowhere cannot be written")
		require.Equal(t, 1, strings.Count(stderr, "/nowhere"), stderr)
		require.NotContains(t, stderr, "could not be read")
	}
}

// The commands that only look give up their rights before they read: the kernel says so of each while it waits for input.
func TestCommandsAreConfined(t *testing.T) {
	out, err := exec.Command(binary, "version").Output()
	require.NoError(t, err)
	if !strings.Contains(string(out), "confined by Landlock") {
		t.Skip("this system confines nothing")
	}
	dir := yard(t, 2)
	for _, args := range [][]string{
		{"find", "--word", "depot-3", "--from", "-"}, {"preview", "--word", "depot-3", "--with", "x", "--from", "-"},
		{"check", "-"}, {"filter", "--word", "depot-3", "--with", "x"}, {"apply", "--yes", "--word", "x", "--with", "y", "--from", "-"},
	} {
		c := exec.Command(binary, args...)
		c.Dir = dir
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"))
		in, err := c.StdinPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		confined := func() bool {
			status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", c.Process.Pid))
			return err == nil && strings.Contains(string(status), "NoNewPrivs:\t1")
		}
		if args[0] == "apply" {
			time.Sleep(200 * time.Millisecond)
			require.False(t, confined(), args)
		} else {
			require.Eventually(t, confined, 10*time.Second, 10*time.Millisecond, args)
		}
		require.NoError(t, in.Close())
		_ = c.Wait()
	}
	for _, output := range []string{"--report", "--seal", "--save"} {
		path := filepath.Join(filepath.Dir(dir), output)
		_, stderr, status := frizzel(t, dir, "preview", "--word", "depot-3", "--with", "x", output, path, ".")
		require.Zero(t, status, stderr)
		require.FileExists(t, path)
	}
}

// A file that is a mount point, as a container's /etc/hosts, is written in place; one of several names is not written on a
// file system that would part them, nor where others make names. Needs the rights to mount.
func TestMountsAndNames(t *testing.T) {
	if os.Geteuid() != 0 || runtime.GOOS != "linux" {
		t.Skip("only root mounts and gives files away")
	}
	dir := yard(t, 1)
	at := func(names ...string) string { return filepath.Join(append([]string{dir}, names...)...) }
	host := []byte("host = depot-3\n")
	for _, name := range []string{"src", "hosts"} {
		require.NoError(t, os.WriteFile(at(name), host, 0o644))
	}
	if out, err := exec.Command("mount", "--bind", at("src"), at("hosts")).CombinedOutput(); err == nil {
		defer func() { _ = exec.Command("umount", at("hosts")).Run() }()
		_, stderr, status := frizzel(t, dir, append(changing, "hosts")...)
		require.Zero(t, status, stderr)
		content, err := os.ReadFile(at("src"))
		require.NoError(t, err)
		require.Equal(t, "host = depot-4\n", string(content))
		_, stderr, status = frizzel(t, dir, "undo", "--yes")
		require.Zero(t, status, stderr)
	} else {
		t.Logf("no bind mounts here: %s", out)
	}
	for _, name := range []string{"low", "up", "work", "over", "theirs"} {
		require.NoError(t, os.Mkdir(at(name), 0o755))
	}
	require.NoError(t, os.WriteFile(at("low", "a"), host, 0o644))
	require.NoError(t, os.Link(at("low", "a"), at("low", "b")))
	layers := fmt.Sprintf("lowerdir=%s,upperdir=%s,workdir=%s", at("low"), at("up"), at("work"))
	if out, err := exec.Command("mount", "-t", "overlay", "overlay", "-o", layers, at("over")).CombinedOutput(); err == nil {
		defer func() { _ = exec.Command("umount", at("over")).Run() }()
		for range 2 {
			_, stderr, status := frizzel(t, dir, append(changing, "over/a")...)
			require.Equal(t, 3, status, stderr)
			require.Contains(t, stderr, "over/a has several names")
		}
	} else {
		t.Logf("no overlays here: %s", out)
	}
	require.NoError(t, os.Chown(at("theirs"), 4321, 4321))
	require.NoError(t, os.Link(at("src"), at("theirs", "link")))
	_, stderr, status := frizzel(t, dir, append(changing, "theirs")...)
	require.Equal(t, 3, status, stderr)
	require.Contains(t, stderr, "this name may stand for a file elsewhere")
	content, err := os.ReadFile(at("src"))
	require.NoError(t, err)
	require.Equal(t, string(host), string(content))
}

// A pipe or a device that is named is an error, not nothing to do.
func TestNamedSpecialFiles(t *testing.T) {
	dir := yard(t, 1)
	for _, args := range [][]string{append(changing, "/dev/null"), {"find", "--word", "x", "/dev/null"}} {
		_, stderr, status := frizzel(t, dir, args...)
		require.Equal(t, 4, status, stderr)
		require.Contains(t, stderr, "/dev/null: it is not a regular file")
	}
}
