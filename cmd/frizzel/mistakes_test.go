package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// testdata/mistakes/mistakes.txt is what people get wrong and what is said of it: a line that begins
// with $ is typed at a shell, below it stands what comes back.
func TestMistakes(t *testing.T) {
	watchSources()
	const name = "testdata/mistakes/mistakes.txt"
	written, err := os.ReadFile(name)
	require.NoError(t, err)
	dir := t.TempDir()
	for name, text := range map[string]string{
		"conf/kiosk.ini": "[mysql]\nport = 5000\nhost = depot-3\n", "conf/board.ini": "port = 5001\n",
		"move.friz": "param host = \"depot-4\"\nreplace word \"depot-3\" with \"{=host}\"\n",
		"notes.txt": "Ring the bell.\nThen: go home.\nlast=line\n", "empty.friz": "", "binary.friz": "\x7fELF\x02\x00\x00",
		"old.friz":   "title \"caf\xe9\"\n",
		"kiosk.form": "name = {=name}\nport = {=port}\n", "kiosks.csv": "name,port\n7,5000\n8,5001\n",
		"cut.json": "{\n  \"host\": \"depot-4\"\n  \"port\": 3\n", "list.yaml": "- depot-4\n",
		"data/boards.yaml": "defaults: &d {feed: depot-3}\nboards:\n  - name: one\n    port: 8415\n    more: *d\n", "data/kiosks.json": "{\"oak\": {\"home\": \"depot-3\"}, \"list\": [1, 2]}\n",
		"data/cut.json": "{\"oak\": [1, 2}\n", "data/signs.xml": "<signs><sign host=\"depot-3\"/></signs>\n", "data/homes.csv": "name,home\noak,depot-3\n",
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	var got strings.Builder
	for line := range strings.Lines(string(written)) {
		switch {
		case strings.HasPrefix(line, "$ "):
			got.WriteString(line)
			c := exec.Command("sh", "-c", line[2:])
			c.Dir = dir
			c.Env = append(os.Environ(), "FRIZZEL_STATE="+filepath.Join(dir, ".state"),
				"PATH="+filepath.Dir(binary)+string(os.PathListSeparator)+os.Getenv("PATH"))
			out, _ := c.CombinedOutput()
			got.Write(out)
			fmt.Fprintf(&got, "exit status %d\n\n", c.ProcessState.ExitCode())
		case strings.HasPrefix(line, "## "):
			got.WriteString(line + "\n")
		}
	}
	if *update {
		require.NoError(t, os.WriteFile(name, []byte(got.String()), 0o644))
		return
	}
	want, now := strings.Split(string(written), "\n\n"), strings.Split(got.String(), "\n\n")
	require.Len(t, now, len(want))
	for i := range want {
		require.Equal(t, want[i], now[i])
	}
}
