package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The sessions in the documentation are what really comes of their commands, one after the
// other on the demo's files. With -update they are written anew.
func TestSessions(t *testing.T) {
	for _, page := range []string{"tutorial.md", "documents.md", "authoring.md"} {
		path := filepath.Join("..", "..", "docs", page)
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		work := t.TempDir()
		_, _, status := frizzel(t, work, "demo", "railway")
		require.Zero(t, status)
		fresh := session.ReplaceAllStringFunc(string(text), func(fence string) string {
			if head, script, _ := strings.Cut(fence, "\n"); strings.HasPrefix(head, "```friz ") {
				name := filepath.Join(work, "railway", strings.TrimPrefix(head, "```friz "))
				require.NoError(t, os.WriteFile(name, []byte(strings.TrimSuffix(script, "```\n")), 0o644))
				return fence
			}
			return played(t, work, fence)
		})
		if *update {
			require.NoError(t, os.WriteFile(path, []byte(fresh), 0o644))
		}
		require.Equal(t, string(text), fresh, page)
	}
}

// session is commands and what they print, or a script in a file of its own.
var session = regexp.MustCompile("(?s)```(?:console|friz [a-z0-9.-]+)\n.*?\n```\n")

// told are the parts of what is printed that no two runs share.
var told = regexp.MustCompile(`run \d{8}-\d{6}-|"host":"[^"]*"`)

// played runs the commands of a fenced session in the demo's directory, and returns it with what they
// print.
func played(t *testing.T, work, fence string) string {
	var out bytes.Buffer
	out.WriteString("```console\n")
	for line := range strings.Lines(fence) {
		command, ok := strings.CutPrefix(line, "$ ")
		if !ok {
			continue
		}
		out.WriteString(line)
		c := exec.Command("sh", "-c", strings.TrimSpace(command))
		c.Dir = filepath.Join(work, "railway")
		c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(work, "state"), "PATH="+filepath.Dir(binary)+":"+os.Getenv("PATH"))
		printed, _ := c.CombinedOutput()
		out.Write(told.ReplaceAllFunc(printed, func(m []byte) []byte {
			if bytes.HasPrefix(m, []byte("run ")) {
				return []byte("run 20260301-100000-")
			}
			return []byte(`"host":"signal-box"`)
		}))
	}
	out.WriteString("```\n")
	return out.String()
}
