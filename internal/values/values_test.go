package values

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Values are read as they are written; what is not a single value is an error, in no time,
// however deep it is.
func TestRead(t *testing.T) {
	want := map[string]string{"gateway": "192.0.2.40", "board-port": "8400", "silent": "true"}
	for name, text := range map[string]string{
		"a.toml": "gateway = '192.0.2.40'\nboard-port = 8400\nsilent = true\n",
		"a.yaml": "gateway: 192.0.2.40\nboard-port: 8400\nsilent: true\n",
		"a.json": `{"gateway": "192.0.2.40", "board-port": 8400, "silent": true}`,
	} {
		got, err := Read(name, []byte(text))
		require.NoError(t, err, name)
		require.Equal(t, want, got, name)
	}
	leading, err := Read("a.yml", []byte("serial: 007\n"))
	require.NoError(t, err)
	require.Equal(t, "007", leading["serial"])
	begun := time.Now()
	for name, text := range map[string]string{
		"list.toml":   "a = [1]\n",
		"table.toml":  "[a]\nb = 1\n",
		"dotted.toml": "a.b = 1\n",
		"deep.toml":   strings.Repeat("a.", 200_000) + "a = 1\n",
		"nested.toml": "a = " + strings.Repeat("[", 50_000) + "\n",
		"wrong.toml":  "a = \n",
		"list.yaml":   "a: [1]\n",
		"null.yaml":   "a:\n",
		"alias.yaml":  "a: &x [1]\nb: *x\n",
		"top.yaml":    "- a\n",
		"map.json":    `{"a": {}}`,
		"null.json":   `{"a": null}`,
		"deep.json":   strings.Repeat(`{"a":`, 100_000),
		"top.json":    `[1]`,
		"more.json":   `{"a": 1} {"a": 2}`,
		"a.ini":       "a = 1",
	} {
		_, err := Read(name, []byte(text))
		require.Error(t, err, name)
		require.Less(t, len(err.Error()), 300, name)
	}
	require.Less(t, time.Since(begun), 20*time.Second)
}
