package lines

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every place of every text has the line that cutting the text into lines says.
func TestPlaces(t *testing.T) {
	for _, text := range []string{"", "\n", "a", "a\n", "ab\r\n\r\nc", "\r\n", "a\rb\n\nc\n", "\r", "x\n\r\ny\r"} {
		b := []byte(text)
		start, number := 0, 0
		for line := range strings.Lines(text) {
			number++
			end := start + len(line)
			bare := strings.TrimSuffix(line, "\n")
			if bare != line {
				bare = strings.TrimSuffix(bare, "\r")
			}
			require.Equal(t, bare, string(Content([]byte(line))), "%q", text)
			require.Equal(t, line[len(bare):], Ending(b[:end]), "%q", text)
			require.True(t, AtStart(b, start), "%q", text)
			require.True(t, AtEnd(b, start+len(bare)), "%q", text)
			require.Equal(t, start, Previous(b, 0, end), "%q", text)
			for at := start; at < end; at++ {
				require.Equal(t, start, Start(b, 0, at), "%q at %d", text, at)
				require.Equal(t, end, Next(b, at, len(b)), "%q at %d", text, at)
				require.Equal(t, number, Number(b, at), "%q at %d", text, at)
				content, next := End(b, at, len(b))
				require.Equal(t, max(start+len(bare), at), max(content, at), "%q at %d", text, at)
				require.Equal(t, end, next, "%q at %d", text, at)
			}
			start = end
		}
		require.Equal(t, number, Count(b), "%q", text)
	}
	require.Equal(t, "\r\n", FirstEnding([]byte("a\r\nb\n")))
	require.Equal(t, "\n", FirstEnding([]byte("a\nb\r\n")))
	require.Equal(t, "\n", FirstEnding(nil))
	require.Equal(t, " \t", string(Indentation([]byte(" \tx "))))
	require.True(t, Blank([]byte(" \t\r\n")))
}
