package review

import (
	"bytes"
	"context"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/require"
)

// typist types the next keys whenever it is asked something.
type typist struct {
	bytes.Buffer
	keys []string
	to   io.Writer
}

func (y *typist) Write(b []byte) (int, error) {
	if text := string(b); len(y.keys) > 0 && (text == "? " || strings.Contains(text, "instead:")) {
		if _, err := io.WriteString(y.to, y.keys[0]); err != nil {
			return 0, err
		}
		y.keys = y.keys[1:]
	}
	return y.Buffer.Write(b)
}

// answered reviews two files of three changes with the keys typed, and returns what they would hold.
func answered(t *testing.T, each bool, keys string) (texts string, write bool, screen string, err error) {
	controller, terminal, err := pty.Open()
	require.NoError(t, err)
	defer func() { _, _ = controller.Close(), terminal.Close() }()
	s, items := sessionOf(t, `rule host { replace word "depot-3" with "depot-4" }`, "depot-3 depot-3\n", "depot-3\n")
	command, line, _ := strings.Cut(keys, "|")
	out := &typist{keys: strings.Split(command, ""), to: controller}
	if line != "" {
		out.keys = append(append(out.keys, line), strings.Split("yy", "")...)
	}
	p := &Prompt{In: terminal, Out: out, Terminal: out, Width: 80}
	ctx, cancel := context.WithTimeout(t.Context(), 10*time.Second)
	defer cancel()
	write, err = p.Review(ctx, s, each, func(i int) error {
		out.WriteString("diff of " + s.Files[i].Path() + "\n")
		return nil
	})
	for _, item := range items {
		text, proposedErr := item.Proposed()
		require.NoError(t, proposedErr)
		texts += strings.TrimSuffix(string(text), "\n") + "|"
	}
	return texts, write, out.String(), err
}

// What each key at the prompt takes, leaves, takes back and writes.
func TestPrompt(t *testing.T) {
	const both, first, second, none = "depot-4 depot-4|depot-4|", "depot-4 depot-4|depot-3|", "depot-3 depot-3|depot-4|", "depot-3 depot-3|depot-3|"
	for _, c := range []struct {
		each  bool
		keys  string
		texts string
		write bool
	}{
		{false, "yy", both, true},
		{false, "ny", second, true},
		{false, "r", both, true},
		{false, "nbyy", both, true},  // the answer is taken back
		{false, "byy", both, true},   // there is none to take back
		{false, "xyy", both, true},   // no such key: the question is asked again
		{false, "ysy", first, true},  // stop after the first file, and write it
		{false, "ysn", first, false}, // or do not
		{false, "s", none, false},    // nothing is taken: nothing to ask
		{false, "mynyy", "depot-4 depot-3|depot-4|", true},
		{false, "mynbbyyy", both, true},
		{true, "nyy", "depot-3 depot-4|depot-4|", true},
		{true, "oy", second, true},
		{true, "fn", first, true},
		{true, "ysy", "depot-4 depot-3|depot-3|", true},
		{true, "c|yard-9\r", "yard-9 depot-4|depot-4|", true},
		{true, "nnbyy", "depot-3 depot-4|depot-4|", true},
	} {
		texts, write, screen, err := answered(t, c.each, c.keys)
		require.NoError(t, err, "%s\n%s", c.keys, screen)
		require.Equal(t, c.texts, texts, "%s\n%s", c.keys, screen)
		require.Equal(t, c.write, write, c.keys)
	}
}
