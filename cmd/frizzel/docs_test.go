package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// fence is a fenced block of a page: what stands behind its mark, and its text.
type fence struct {
	info, text string
	line       int
}

func fencesOf(t *testing.T, page string) (fences []fence) {
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	mark := ""
	for i, line := range strings.Split(string(text), "\n") {
		switch ticks := line[:len(line)-len(strings.TrimLeft(line, "`"))]; {
		case mark != "" && line == mark:
			mark = ""
		case mark != "":
			fences[len(fences)-1].text += line + "\n"
		case len(ticks) >= 3:
			mark = ticks
			fences = append(fences, fence{info: line[len(ticks):], line: i + 1})
		}
	}
	return fences
}

// Every script in the documentation is right and laid out the standard way, its
// examples hold, and what stands as before and after is what it does.
func TestDocumentation(t *testing.T) {
	for page, least := range map[string]int{"language.md": 15, "cookbook.md": 15, "reference.md": 0} {
		fences := fencesOf(t, filepath.Join("..", "..", "docs", page))
		run := 0
		for i, f := range fences {
			if f.info != "friz" {
				continue
			}
			dir := filepath.Join(t.TempDir(), "docs")
			require.NoError(t, os.Mkdir(dir, 0o755))
			script := filepath.Join(dir, "example.friz")
			require.NoError(t, os.WriteFile(script, []byte(f.text), 0o644))
			if page == "reference.md" { // what its examples name
				require.NoError(t, os.WriteFile(filepath.Join(dir, "other.friz"), []byte("trim line ends\n"), 0o644))
				require.NoError(t, os.WriteFile(filepath.Join(dir, "hosts.csv"), []byte("old,new\ndepot-3,depot-4\n"), 0o644))
				require.NoError(t, os.WriteFile(filepath.Join(dir, "platforms.csv"), []byte("oak,3\nash,4\n"), 0o644))
				require.NoError(t, os.WriteFile(filepath.Join(dir, "motd.txt"), []byte("Fernhollow Light Railway\n"), 0o644))
			}
			var before, after *fence
			for _, next := range fences[i+1:] {
				kind, rest, _ := strings.Cut(next.info, " ")
				if kind == "csv" {
					require.NoError(t, os.WriteFile(filepath.Join(dir, rest), []byte(next.text), 0o644))
				} else if kind == "before" && before == nil {
					before = &next
				} else {
					if kind == "after" {
						after = &next
					}
					break
				}
			}
			out, _, status := frizzel(t, dir, "check", "example.friz")
			require.Zero(t, status, "%s:%d\n%s", page, f.line, out)
			laidOut, _, _ := frizzel(t, dir, "fmt", "--check", "example.friz")
			require.Empty(t, laidOut, "%s:%d is not laid out the standard way", page, f.line)
			if before == nil {
				continue
			}
			require.NotNil(t, after, "%s:%d: a before without an after", page, f.line)
			require.Equal(t, after.text, become(t, dir, *before), "%s:%d", page, f.line)
			run++
		}
		require.GreaterOrEqual(t, run, least, page)
	}
}

// become runs the example over a text.
func become(t *testing.T, dir string, before fence) string {
	args := []string{"filter", "-r", "example.friz"}
	input := before.text
	for _, word := range strings.Fields(before.info)[1:] {
		if set, ok := strings.CutPrefix(word, "set:"); ok {
			args = append(args, "--param", set)
		} else if word == "crlf" {
			input = strings.ReplaceAll(input, "\n", "\r\n")
		} else {
			args = append(args, "--as", word)
		}
	}
	c := exec.Command(binary, args...)
	c.Dir = dir
	c.Stdin = strings.NewReader(input)
	var errs bytes.Buffer
	c.Stderr = &errs
	out, err := c.Output()
	require.NoError(t, err, "line %d: %s", before.line, errs.String())
	return string(out)
}

// Every command of the README's tour runs on the demo's files, as a reader would type it.
func TestReadmeCommands(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("FRIZZEL_STATE", filepath.Join(t.TempDir(), "state"))
	_, _, status := frizzel(t, dir, "demo", "railway")
	require.Zero(t, status)
	page, err := os.ReadFile(filepath.Join("..", "..", "README.md"))
	require.NoError(t, err)
	_, tour, found := strings.Cut(string(page), "\ncd railway\n")
	require.True(t, found)
	tour, _, found = strings.Cut(tour, "\n## ")
	require.True(t, found)
	run := 0
	for line := range strings.Lines(tour) {
		if !strings.HasPrefix(line, "frizzel ") {
			continue
		}
		line = strings.TrimSpace(line)
		c := exec.Command("sh", "-c", `"$FRIZZEL"`+strings.TrimPrefix(line, "frizzel")+` "$@"`, "sh")
		if strings.HasPrefix(line, "frizzel apply") || strings.HasPrefix(line, "frizzel undo") {
			c.Args = append(c.Args, "--yes")
		}
		c.Dir, c.Env = filepath.Join(dir, "railway"), append(os.Environ(), "FRIZZEL="+binary)
		out, err := c.CombinedOutput()
		require.NoError(t, err, "%s\n%s", line, out)
		run++
	}
	require.GreaterOrEqual(t, run, 9)
}
