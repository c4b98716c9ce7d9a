package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// withEditor makes a shell script the editor. It finds the list in $1, and counts how often it runs in ../runs.
func withEditor(t *testing.T, dir, script string) {
	path := filepath.Join(filepath.Dir(dir), "editor")
	require.NoError(t, os.WriteFile(path, []byte("#!/bin/sh\nfor last; do :; done\nset -- \"$last\"\necho x >>../runs\ncp \"$1\" ../list\n"+script+"\n"), 0o755))
	t.Setenv("EDITOR", path)
	t.Setenv("VISUAL", "")
}

// editing runs edit --yes with an editor.
func editing(t *testing.T, dir, script string, args ...string) (out, list string, status int) {
	withEditor(t, dir, script)
	c := exec.Command(binary, append([]string{"edit", "--yes"}, args...)...)
	c.Dir = dir
	c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(filepath.Dir(dir), "state"), "TMPDIR="+filepath.Dir(dir))
	text, _ := c.CombinedOutput()
	shown, err := os.ReadFile(filepath.Join(dir, "..", "list"))
	if err == nil {
		list = string(shown)
	}
	return string(text), list, c.ProcessState.ExitCode()
}

// What is edited in the list is written as one run, and undone as one; in whatever way the editor saves it.
func TestEdit(t *testing.T) {
	dir, read := railway(t)
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	const a = "one\nhost = depot-3\ntwo\nspare = depot-3\nthree\n"
	out, list, status := editing(t, dir, `sed 's/^2 |.*/2 | host = yard-1/; s/^4 .*/-4 |/; /^b.conf/,/^c/s/^1 .*/&\n| backup = depot-9/' "$1" >"$1.new"; mv "$1.new" "$1"`, "--word", "depot-3", ".")
	require.Zero(t, status, out)
	require.Equal(t, "a.conf\n2 | host = depot-3\n4 | spare = depot-3\n\nb.conf\n1 | host = depot-3\n", list)
	require.Equal(t, "one\nhost = yard-1\ntwo\nthree\n", read("a.conf"))
	require.Equal(t, "host = depot-3\nbackup = depot-9\n", read("b.conf"))
	_, stderr, status := frizzel(t, dir, "undo", "--yes")
	require.Zero(t, status, stderr)
	require.Equal(t, a, read("a.conf"))

	// With a replacement the lines stand as they would become, and what is taken out stays.
	out, list, status = editing(t, dir, `sed -i '/^4 /d; s/$/\r/' "$1"`, "--word", "depot-3", "--with", "depot-4", "--context", "1", "a.conf")
	require.Zero(t, status, out)
	require.Equal(t, "a.conf\n1 | one\n2 | host = depot-4\n3 | two\n4 | spare = depot-4\n5 | three\n", list)
	require.Equal(t, strings.Replace(a, "depot-3", "depot-4", 1), read("a.conf"))

	// A script may delete and insert, but not move.
	write("a.conf", a)
	out, list, status = editing(t, dir, `printf '\357\273\277' | cat - "$1" >"$1.x"; mv "$1.x" "$1"`, "--rule", `on lines with text "host" delete`, "--rule", `on lines with text "two" insert below "2.5"`, "--rule", `insert at top "zero"`, "a.conf")
	require.Zero(t, status, out)
	require.Equal(t, "a.conf\n| zero\n-2 |\n3 | two\n| 2.5\n", list)
	require.Equal(t, "zero\none\ntwo\n2.5\nspare = depot-3\nthree\n", read("a.conf"))
	out, _, status = editing(t, dir, "", "--rule", "on lines 1 to 3 sort lines", "a.conf")
	require.Equal(t, 3, status)
	require.Contains(t, out, "moves or sorts lines")

	// Values, documents, other encodings; what would no longer parse is refused, and the list is not lost.
	write("b.json", "{\"boards\": [{\"host\": \"depot-3\", \"port\": 1}]}\n")
	out, list, status = editing(t, dir, `sed -i 's/"depot-3"/"yard-2"/' "$1"`, "--at", "$.boards[*].*", ".")
	require.Zero(t, status, out)
	require.Equal(t, "b.json\n1:22 | \"depot-3\"\n1:41 | 1\n", list)
	require.Contains(t, read("b.json"), `{"host": "yard-2", "port": 1}`)
	out, _, status = editing(t, dir, `sed -i 's/"yard-2"/"yard/' "$1"`, "--at", "$.boards[*].host", ".")
	require.Equal(t, 3, status, out)
	kept := regexp.MustCompile(`the edited list is kept in (\S+)`).FindStringSubmatch(out)
	require.NotNil(t, kept, out)
	text, err := os.ReadFile(kept[1])
	require.NoError(t, err)
	require.Equal(t, "b.json\n1:22 | \"yard\n", string(text))
	sheet, err := os.ReadFile("../../demo/files/office/inventory.xlsx")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "inventory.xlsx"), sheet, 0o644))
	out, list, status = editing(t, dir, `sed -i 's/^22 |.*/22 | platform 5/' "$1"`, "--text", "platform 2", "inventory.xlsx")
	require.Zero(t, status, out)
	require.Contains(t, list, "inventory.xlsx\n22 | platform 2\n")
	require.Contains(t, out, "1 match where nothing is changed")
	found, _, _ := frizzel(t, dir, "find", "--text", "platform 5", "inventory.xlsx")
	require.Contains(t, found, "inventory.xlsx:22:1:platform 5")
	write("latin.txt", "encoding latin1 \xe4 depot-3\r\n")
	out, list, status = editing(t, dir, `sed -i 's/depot-3/Übertor/' "$1"`, "--word", "depot-3", "--encoding", "iso-8859-1", "latin.txt")
	require.Zero(t, status, out)
	require.Equal(t, "latin.txt\n1 | encoding latin1 ä depot-3\n", list)
	require.Equal(t, "encoding latin1 \xe4 \xdcbertor\r\n", read("latin.txt"))
}

// Whatever an editor does wrong, nothing is lost and nothing is written that was not meant.
func TestEditorsThatDoWrong(t *testing.T) {
	dir, read := railway(t)
	for _, c := range []struct {
		name, script, says string
		status, runs       int
	}{
		{"fails", "exit 3", "the editor failed, so nothing was written", 3, 1},
		{"is killed", "kill -9 $$", "the editor failed", 3, 1},
		{"deletes the list", `rm "$1"`, "left no list that can be read", 3, 1},
		{"makes it a directory", `rm "$1"; mkdir "$1"`, "left no list that can be read", 3, 1},
		{"does nothing", "", "nothing to write", 0, 1},
		{"empties it", `: >"$1"`, "nothing to write", 0, 1},
		{"writes nonsense, twice", `head -c 300 /bin/sh >"$1"`, "the edited list is kept in", 3, 2},
		{"names a line that is not there", `echo '9 | x' >>"$1"`, "line 9 of b.conf is not in this list", 3, 20},
		{"mends its mistake", `if [ -f ../was ]; then sed -i 's/^oops$//' "$1"; else touch ../was; echo oops >>"$1"; fi`, `"oops" is neither a file`, 0, 2},
		{"changes a file meanwhile", `echo x >>a.conf; sed -i 's/depot-3/x/' "$1"`, "changed since it was", 3, 1},
	} {
		_ = os.Remove(filepath.Join(dir, "..", "runs"))
		before := read("b.conf")
		out, _, status := editing(t, dir, c.script, "--text", "host = depot-3", ".")
		require.Equal(t, c.status, status, "%s: %s", c.name, out)
		require.Contains(t, out, c.says, c.name)
		require.Equal(t, before, read("b.conf"), c.name)
		runs, err := os.ReadFile(filepath.Join(dir, "..", "runs"))
		require.NoError(t, err)
		require.Len(t, string(runs), 2*c.runs, c.name)
	}
	withEditor(t, dir, "touch ../opened")
	c := exec.Command(binary, "edit", "--word", "depot-3", ".")
	c.Dir = dir
	out, err := c.CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "no terminal to ask at")
	require.NoFileExists(t, filepath.Join(dir, "..", "opened"))
}

// At a terminal the differences are reviewed like any changes.
func TestEditReview(t *testing.T) {
	dir, read := railway(t)
	withEditor(t, dir, `sed -i 's/depot-3/yard-7/' "$1"`)
	term := atTerminalOf(t, 110, 30, dir, "edit", "--word", "depot-3", ".")
	term.shows("3 of 3 changes taken", "+host = yard-7", "edited by hand")
	term.press(" w")
	term.shows("2 changes in 2 files will be written")
	term.press("w")
	term.ends(0)
	require.Equal(t, "one\nhost = depot-3\ntwo\nspare = yard-7\nthree\n", read("a.conf"))
}

// BenchmarkEdit measures how long a list of 100,000 lines takes until the editor has it.
func BenchmarkEdit(b *testing.B) {
	dir := filepath.Join(b.TempDir(), "tree")
	require.NoError(b, os.Mkdir(dir, 0o755))
	for i := range 100 {
		var text strings.Builder
		for k := range 2000 {
			fmt.Fprintf(&text, "line %d\nhost = depot-3\n", k)
		}
		require.NoError(b, os.WriteFile(filepath.Join(dir, fmt.Sprintf("%d.conf", i)), []byte(text.String()[:text.Len()/2]), 0o644))
	}
	stamp := filepath.Join(dir, "..", "opened")
	tool := filepath.Join(dir, "..", "editor")
	require.NoError(b, os.WriteFile(tool, []byte("#!/bin/sh\nwc -l <\"$1\" >"+stamp+"\n"), 0o755))
	b.Setenv("EDITOR", tool)
	for b.Loop() {
		begun := time.Now()
		c := exec.Command(binary, "edit", "--yes", "--word", "depot-3", ".")
		c.Dir = dir
		require.NoError(b, c.Start())
		for {
			if info, err := os.Stat(stamp); err == nil && info.Size() > 0 {
				break
			}
			require.Less(b, time.Since(begun), patience)
			time.Sleep(time.Millisecond)
		}
		b.ReportMetric(float64(time.Since(begun).Milliseconds()), "ms-to-open")
		require.NoError(b, c.Wait())
		require.NoError(b, os.Remove(stamp))
	}
}
