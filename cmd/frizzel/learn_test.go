package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What was shown once is done to other files by the script that is learned, through the program as users have it.
func TestShownOnce(t *testing.T) {
	dir, read := numbered(t, 0)
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	const old = "# clock of depot-3\n[clock]\nserver = 192.0.2.30\ninterval = 64\n\n[log]\nhost = depot-3\nbackup = old-depot-3\nlevel = debug\n"
	fresh := strings.NewReplacer("of depot-3", "of depot-4", "host = depot-3", "host = depot-4", "192.0.2.30", "192.0.2.40", "level = debug\n", "",
		"interval = 64\n", "interval = 64\ndrift = 3\n").Replace(old)
	write("old.ini", old)
	write("new.ini", fresh)
	out, stderr, status := frizzel(t, dir, "new", "--old", "old.ini", "--new", "new.ini", "learned.friz")
	require.Zero(t, status, stderr)
	require.Empty(t, out)
	require.Equal(t, `joiners "-"
replace word "depot-3" with "depot-4"
in section "clock" settle regex "^server\s*=" as "server = 192.0.2.40"
in section "clock" settle regex "^\s*drift\s*=" as "drift = 3"
on lines with text "level = debug" delete

example "from new.ini" {
    given
        | # clock of depot-3
    gives
        | # clock of depot-4
}
`, read("learned.friz"))
	info, err := os.Stat(filepath.Join(dir, "learned.friz"))
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	_, stderr, status = frizzel(t, dir, "check", "learned.friz")
	require.Zero(t, status, stderr)
	write("other.ini", "[clock]\nserver = 198.51.100.7\n\n[gate]\nhost = depot-3 or old-depot-3\n")
	_, stderr, status = frizzel(t, dir, "apply", "--yes", "-r", "learned.friz", "old.ini", "other.ini")
	require.Zero(t, status, stderr)
	require.Equal(t, fresh, read("old.ini"))
	require.Equal(t, "[clock]\nserver = 192.0.2.40\ndrift = 3\n\n[gate]\nhost = depot-4 or old-depot-3\n", read("other.ini"))

	// Swaps, cases, encodings, endings; nothing of the edit is in a script if something is to be hidden.
	write("a", "east west East WEST\r\nkey: secret-1\r\n")
	write("b", "west east West EAST\r\nkey: secret-1\r\n")
	out, stderr, status = frizzel(t, dir, "new", "--old", "a", "--new", "b", "--hide", "regex 'secret-\\d'")
	require.Zero(t, status, stderr)
	require.NotContains(t, out, "example")
	write("swap.friz", out)
	_, stderr, status = frizzel(t, dir, "apply", "--yes", "-r", "swap.friz", "a")
	require.Zero(t, status, stderr)
	require.Equal(t, read("b"), read("a"))
	write("c", "caf\xe9 depot-3\n")
	write("d", "caf\xe9 \xfcber depot-3\n")
	out, stderr, status = frizzel(t, dir, "new", "--old", "c", "--new", "d", "--encoding", "iso-8859-1")
	require.Zero(t, status, stderr)
	require.Contains(t, out, "über")
	write("d", "\xef\xbb\xbfcafé depot-3\n")
	write("c", "café depot-3\n")
	out, stderr, status = frizzel(t, dir, "new", "--old", "c", "--new", "d")
	require.Zero(t, status, stderr)
	require.Equal(t, "use encoding \"utf-8-bom\"\n", out)

	// What no rules say has a reason, and no script.
	write("e", "one\ntwo\n")
	write("f", "one\r\ntwo\n")
	out, stderr, status = frizzel(t, dir, "new", "--old", "e", "--new", "f", "none.friz")
	require.Equal(t, 3, status)
	require.Empty(t, out)
	require.Contains(t, stderr, "no rules say this edit of f")
	require.NoFileExists(t, filepath.Join(dir, "none.friz"))
	_, stderr, status = frizzel(t, dir, "new", "--old", "e", "--new", "e")
	require.Equal(t, 3, status)
	require.Contains(t, stderr, "no difference")

	// Several pairs give one script; what is on one side only is passed over.
	for _, side := range []string{"before", "after"} {
		write(side+"/x/one.conf", map[string]string{"before": "host depot-3\nport 1\n", "after": "host depot-4\nport 1\n"}[side])
		write(side+"/two.conf", map[string]string{"before": "gate depot-3\nlamp on\n", "after": "gate depot-4\nlamp off\n"}[side])
		write(side+"/"+side+".txt", side+" alone\n")
		called := map[string]string{"before": "depot-3", "after": "depot-4"}[side]
		write(side+"/"+called+".d/kiosk-"+called+".conf", "the same on both sides\n")
		write(side+"/"+called+".d/kiosk-depot-30.conf", "another\n")
		require.NoError(t, os.Symlink(called+".d", filepath.Join(dir, side, "current")))
	}
	out, stderr, status = frizzel(t, dir, "new", "--old", "before", "--new", "after")
	require.Zero(t, status, stderr)
	require.Contains(t, out, `replace word "depot-3" with "depot-4"`)
	require.NotContains(t, out, "files")
	for _, of := range []string{"file name", "directory name", "link target"} { // what has another name is found by what it holds
		require.Contains(t, out, "in "+of+` replace word "depot-3" with "depot-4"`)
	}
	require.Contains(t, stderr, "after/after.txt is on one side only")
	require.Contains(t, stderr, "before/before.txt is on one side only")

	// The old file may be git's.
	for _, args := range [][]string{{"init", "-q"}, {"add", "."}, {"-c", "user.name=x", "-c", "user.email=x@kiosk.example", "commit", "-qm", "x"}} {
		c := exec.Command("git", args...)
		c.Dir = dir
		said, err := c.CombinedOutput()
		require.NoError(t, err, "%s", said)
	}
	write("before/two.conf", "gate depot-9\nlamp on\n")
	out, stderr, status = frizzel(t, dir, "new", "--old-git", "HEAD", "--new", "before/two.conf")
	require.Zero(t, status, stderr)
	require.Contains(t, out, "depot-9")
	_, stderr, status = frizzel(t, dir, "new", "--old-git", "nowhere", "--new", "before/two.conf")
	require.Equal(t, 2, status)
	require.Contains(t, stderr, "git does not show")

	// What was done by hand in a list is kept as rules, each for its file.
	write("conf/k.conf", "a = depot-3\nb = depot-3\n")
	write("conf/l.conf", "c = depot-3\n")
	said, _, status := editing(t, dir, `sed -i 's/^1 | a.*/1 | a = yard-1/; s/^1 | c.*/-1 |/' "$1"`, "--word", "depot-3", "--save", "hand.friz", "conf")
	require.Zero(t, status, said)
	require.Contains(t, read("hand.friz"), `files "k.conf"`)
	_, stderr, status = frizzel(t, dir, "check", "hand.friz")
	require.Zero(t, status, stderr)
	want := read("conf/k.conf")
	write("conf/k.conf", "a = depot-3\nb = depot-3\n")
	_, stderr, status = frizzel(t, dir, "apply", "--yes", "-r", "hand.friz", "conf")
	require.Zero(t, status, stderr)
	require.Equal(t, want, read("conf/k.conf"))
}
