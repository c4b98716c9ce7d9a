package main

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// again are scripts that change nothing when they run again, and once others.
var again = []string{
	"trim line ends\nsqueeze blank lines\nuse final line ending\n",
	"insert at end \"# kept\" unless present\ninsert at top \"# kept\" unless present\n",
	"settle regex '^\\s*port\\b' as \"port = 5000\" keeping comment commented by \"#\" \";\"\n",
	"not files \"*.md\"\nsettle section \"extra\"\n",
	"in block with regex '\\{\\s*$' settle regex '^\\s*kept\\b' as \"kept = 1\"\n",
	"in block with regex '^\\s*[a-z-]+:\\s*$' directly comment out with \"#\"\n",
	"in section \"Unit\" {\n    settle regex '^After\\b' as \"After = board.target\" continued by \"\\\"\n}\n",
	"in section \"General\" uncomment \"#\"\n",
	"on lines from regex '^if ' to regex '^fi\\b' comment out with \"# \"\n",
	"outside paragraph with word \"the\" replace word \"of\" with \"OF\"\n",
	"on lines with word \"gauge\" and 1 above move below last line\n",
	"use line endings crlf\n",
}

var once = []string{
	"replace regex '(\\w+)\\.(\\w+)' with \"{=2}.{=1 capital}\" first\nreplace word \"the\" with \"this\" keeping case last\n",
	"on lines with regex '^$' delete\non last line delete\n",
	"replace regex '\\d+' with \"{=pseudonym}\"\n",
	"on lines without regex '[a-z]' {\n    insert below \"a\"\n    insert below \"b\"\n}\n",
	"replace regex 'a\\n' with \"a \" across lines\nremove\n    | \n    | #\n",
	"in block with text \"{\" {\n    on lines with word \"return\" insert above \"// before\"\n    replace text \"=\" with \"==\" occurrence 2 in file\n}\n",
	"in paragraph with regex '[.]$' having word \"is\" on last line insert below \"(end)\"\n",
}

// What holds of made-up files holds of a machine's own: the trees that FRIZZEL_TREES lists,
// as PATH does. A preview is what an apply writes, and what a filter prints; what was
// settled once is settled; every byte comes back.
func TestRealTrees(t *testing.T) {
	trees := filepath.SplitList(os.Getenv("FRIZZEL_TREES"))
	if len(trees) == 0 {
		t.Skip("FRIZZEL_TREES names no trees")
	}
	files := realFiles(t, trees, 600)
	t.Logf("%d files", len(files))
	root := t.TempDir()
	tree, byGit := filepath.Join(root, "tree"), filepath.Join(root, "git")
	copied(t, files, tree)
	before := snapshot(t, tree)
	script := filepath.Join(root, "s.friz")
	for i, text := range append(append([]string{}, again...), once...) {
		require.NoError(t, os.WriteFile(script, []byte(text), 0o644))
		diff, stderr, status := frizzel(t, tree, "preview", "--allow-unreadable", "-r", script)
		require.Contains(t, []int{0, 4}, status, "%s\n%s", text, stderr)
		_, stderr, status = frizzel(t, tree, "apply", "--yes", "--allow-unreadable", "--skip-unreadable", "-r", script, ".")
		require.Zero(t, status, "%s\n%s", text, stderr)
		after := snapshot(t, tree)
		require.NoError(t, os.RemoveAll(byGit))
		copied(t, files, byGit)
		if diff != "" {
			judge(t, byGit, diff, "git", "apply", "--whitespace=nowarn", "-")
		}
		require.Equal(t, contents(after), contents(snapshot(t, byGit)), text)
		if !strings.Contains(text, "pseudonym") {
			filtered(t, root, script, before, after)
		}
		if i < len(again) {
			diff, _, status := frizzel(t, tree, "preview", "--check", "--allow-unreadable", "-r", script)
			require.Zero(t, status, "%s\n%s", text, diff)
		}
		if diff == "" {
			t.Logf("nothing to change: %s", text)
			continue
		}
		_, stderr, status = frizzel(t, tree, "undo", "--yes")
		require.Zero(t, status, "%s\n%s", text, stderr)
		require.Equal(t, before, snapshot(t, tree), text)
		seal := filepath.Join(root, fmt.Sprintf("seal%d", i))
		_, stderr, status = frizzel(t, tree, "preview", "--allow-unreadable", "-r", script, "--seal", seal)
		require.Contains(t, []int{0, 4}, status, stderr)
		_, stderr, status = frizzel(t, tree, "apply", "--yes", "--sealed", seal)
		require.Zero(t, status, "%s\n%s", text, stderr)
		require.Equal(t, after, snapshot(t, tree), text)
		_, stderr, status = frizzel(t, tree, "undo", "--yes")
		require.Zero(t, status, "%s\n%s", text, stderr)
	}
}

// realFiles returns text files of trees, evenly spread, the small ones.
func realFiles(t *testing.T, trees []string, most int) (files []string) {
	for _, tree := range trees {
		var all []string
		_ = filepath.WalkDir(tree, func(path string, d fs.DirEntry, err error) error {
			if err != nil || !d.Type().IsRegular() {
				return nil
			}
			info, err := d.Info()
			if err != nil || info.Size() == 0 || info.Size() > 200<<10 || info.Mode().Perm()&0o400 == 0 {
				return nil
			}
			if text, err := os.ReadFile(path); err == nil && !strings.ContainsRune(string(text), 0) {
				all = append(all, path)
			}
			return nil
		})
		step := max(len(all)*len(trees)/most, 1)
		for i := 0; i < len(all); i += step {
			files = append(files, all[i])
		}
	}
	require.NotEmpty(t, files)
	return files
}

// copied copies files into a directory, each under a number and its own name.
func copied(t *testing.T, files []string, dir string) {
	for i, path := range files {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		to := filepath.Join(dir, fmt.Sprint(i%50), fmt.Sprintf("%d-%s", i, filepath.Base(path)))
		require.NoError(t, os.MkdirAll(filepath.Dir(to), 0o755))
		require.NoError(t, os.WriteFile(to, text, 0o644))
	}
}

// filtered holds what a filter prints of some of the files against what was written.
func filtered(t *testing.T, dir, script string, before, after map[string]string) {
	tried := 0
	for name, old := range before {
		if after[name] == old && tried%5 != 0 || tried > 60 {
			continue
		}
		tried++
		_, text, _ := strings.Cut(old, " ")
		_, want, _ := strings.Cut(after[name], " ")
		c := exec.Command(binary, "filter", "--allow-unreadable", "-r", script, "--as", name[1:])
		c.Dir, c.Stdin = dir, strings.NewReader(text)
		out, err := c.Output()
		if err != nil { // refused there, and so left alone here
			require.Equal(t, text, want, "%s %v", name, err)
			continue
		}
		require.Equal(t, want, string(out), "%s: %s", name, script)
	}
}
