package main

import (
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// rules that between them insert, remove, join, move and rewrite lines.
const mixed = `
rule host { replace word "depot-3" with "depot-4" keeping case }
rule first { replace regex '([a-z]+)=' with "{=1}: " first }
rule lines { on lines 3 to 5 replace text "e" with "" }
rule gone { on lines with text "gone" delete }
rule above { on lines with word "gauge" insert above "# gauge" unless present }
rule end { insert at end "the end" unless present }
rule join { replace regex 'kiosk\n' with "kiosk " across lines }
rule block {
    replace
        | open
        | close
    with
        | shut
}
rule move { on lines with text "lift" move above first line }
rule trim { trim line ends }
rule squeeze { squeeze blank lines }
`

var words = []string{
	"depot-3", "Depot-3", "depot-30", "host=depot-3", "gone", "gauge", "open", "close", "kiosk", "lift", "", "",
	"  platform ", "é", "\xe9", "→", "x=y", "\t",
}

// randomTree writes files whose lines, endings and bytes are mixed.
func randomTree(t *testing.T, dir string, seed uint64) {
	r := rand.New(rand.NewPCG(seed, 2))
	names := []string{"a.conf", "b b.txt", "sub/c:d.md", "sub/é", "sub/new\nline", `sub/q"uote`, "sub/ta\tb", "z"}
	for _, name := range names {
		var text strings.Builder
		for range r.IntN(14) {
			for range r.IntN(3) {
				text.WriteString(words[r.IntN(len(words))] + " ")
			}
			text.WriteString(words[r.IntN(len(words))])
			text.WriteString([]string{"\n", "\n", "\r\n"}[r.IntN(3)])
		}
		content := text.String()
		if r.IntN(2) == 0 { // a file is in one encoding
			content = strings.NewReplacer("é", "\xe9", "→", "\xbb").Replace(content)
		} else {
			content = strings.ReplaceAll(content, "\xe9", "é")
		}
		if r.IntN(3) == 0 {
			content = strings.TrimRight(content, "\r\n")
		}
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(content), 0o600+fs.FileMode(r.IntN(0o100))))
	}
}

// snapshot returns every file's mode and content.
func snapshot(t *testing.T, dir string) map[string]string {
	files := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		require.NoError(t, err)
		content, err := os.ReadFile(path)
		require.NoError(t, err)
		files[path[len(dir):]] = info.Mode().String() + " " + string(content)
		return nil
	}))
	return files
}

// What preview prints is what apply writes, as git and patch read it; and undo
// brings every byte and mode back.
func TestPreviewIsWhatApplyWrites(t *testing.T) {
	t.Parallel()
	for seed := range uint64(25) {
		root := t.TempDir()
		tree, byGit, byPatch := filepath.Join(root, "tree"), filepath.Join(root, "git"), filepath.Join(root, "patch")
		for _, dir := range []string{tree, byGit, byPatch} {
			randomTree(t, dir, seed)
		}
		script := filepath.Join(root, "mixed.friz")
		require.NoError(t, os.WriteFile(script, []byte(mixed), 0o644))
		before := snapshot(t, tree)

		diff, stderr, status := frizzel(t, tree, "preview", "-r", script)
		require.Zero(t, status, stderr)
		require.Equal(t, before, snapshot(t, tree), "a preview wrote something")
		_, stderr, status = frizzel(t, tree, "apply", "--yes", "-r", script, ".")
		require.Zero(t, status, stderr)
		after := snapshot(t, tree)
		if diff != "" {
			judge(t, byGit, diff, "git", "apply", "--whitespace=nowarn", "-")
			require.Equal(t, contents(after), contents(snapshot(t, byGit)), "seed %d:\n%s", seed, diff)
			if _, err := exec.LookPath("patch"); err == nil && !strings.Contains(diff, `\n`) {
				judge(t, byPatch, diff, "patch", "-p1", "--binary", "--silent")
				require.Equal(t, contents(after), contents(snapshot(t, byPatch)), "seed %d:\n%s", seed, diff)
			}
		}
		_, stderr, status = frizzel(t, tree, "undo", "--yes")
		require.Zero(t, status, stderr)
		require.Equal(t, before, snapshot(t, tree), "seed %d", seed)
	}
}

func judge(t *testing.T, dir, diff string, command ...string) {
	t.Helper()
	c := exec.Command(command[0], command[1:]...)
	c.Dir, c.Stdin = dir, strings.NewReader(diff)
	c.Env = append(os.Environ(), "GIT_CONFIG_GLOBAL=/dev/null", "GIT_CONFIG_NOSYSTEM=1", "GIT_ATTR_NOSYSTEM=1") // no filters of this machine's
	out, err := c.CombinedOutput()
	require.NoError(t, err, "%s\n%.10000s", out, diff)
}

// contents drops the modes, which a diff does not carry.
func contents(files map[string]string) map[string]string {
	out := map[string]string{}
	for name, f := range files {
		_, out[name], _ = strings.Cut(f, " ")
	}
	return out
}

// A line of 50 MB is a line like others.
func TestVeryLongLine(t *testing.T) {
	t.Parallel()
	dir := filepath.Join(t.TempDir(), "tree")
	require.NoError(t, os.Mkdir(dir, 0o755))
	line := strings.Repeat("board depot-3, ", 50<<20/15)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "log"), []byte(line), 0o644))
	_, stderr, status := frizzel(t, dir, "apply", "--yes", "--word", "depot-3", "--with", "depot-4", ".")
	require.Zero(t, status, stderr)
	require.Contains(t, stderr, fmt.Sprintf("%d changes", 50<<20/15))
	now, err := os.ReadFile(filepath.Join(dir, "log"))
	require.NoError(t, err)
	require.Equal(t, strings.ReplaceAll(line, "depot-3", "depot-4"), string(now))
}
