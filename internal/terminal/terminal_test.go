package terminal

import (
	"bytes"
	"math/rand/v2"
	"regexp"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"
)

// Whatever a text holds, what is rendered holds no sequence but the program's own.
func TestRender(t *testing.T) {
	pieces := []string{"depot", "\x1b[31m", "\x1b]0;title\x07", "\u202e", "\u009b2J", "\xff", "\x9b", "\n", "\t", "\r", "é", "\x1b", "[0m", "\u2066", "\x00", "\x7f", "\u2028"}
	own := regexp.MustCompile("\x1b\\[[0-9;]*[mGK]")
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 3))
		var b strings.Builder
		painted := 0
		for range r.IntN(12) {
			piece := pieces[r.IntN(len(pieces))] + pieces[r.IntN(len(pieces))]
			if r.IntN(3) == 0 {
				piece = Paint(piece, "38", "5", "71")
				painted += 2
			}
			b.WriteString(piece)
		}
		out := Render(b.String())
		require.Len(t, own.FindAllString(out, -1), painted, "%q", b.String())
		rest := own.ReplaceAllString(out, "")
		for _, c := range rest {
			require.False(t, c != '\n' && c != '\t' && Drives(c), "%q in %q", c, out)
		}
	}
	require.Equal(t, "\x1b[1Ga<202E>b", strings.Replace(Render(ClearLine()+"a\u202eb"), "\x1b[K", "", 1))
}

type brokenPipe struct{}

func (brokenPipe) Write([]byte) (int, error) { return 0, syscall.EPIPE }

func TestWriter(t *testing.T) {
	var out bytes.Buffer
	for shown, want := range map[bool]string{true: "a␛[31m\n", false: "a\x1b[31m\n"} {
		out.Reset()
		n, err := (&Writer{W: &out, Shown: shown}).Write([]byte("a\x1b[31m\n"))
		require.NoError(t, err)
		require.Equal(t, 7, n)
		require.Equal(t, want, out.String())
	}
	broken := false
	_, err := (&Writer{W: brokenPipe{}, Broken: func() { broken = true }}).Write([]byte("x"))
	require.ErrorIs(t, err, syscall.EPIPE)
	require.True(t, broken)
}
