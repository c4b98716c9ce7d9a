package report

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/require"

	"frizzel/core/diff"
	"frizzel/internal/terminal"
)

// pieces of text that are hard to cut: wide, joined, invisible, invalid.
var pieces = []string{"a", "depot-3", "駅", "e\u0301", "👩‍🔧", "\t", "\x1b[31m", "\x9b", "\u202e", "\u200b", " ", "ſ", "\xff", "🇩🇪"}

func randomLine(r *rand.Rand) string {
	var b strings.Builder
	for range r.IntN(40) {
		b.WriteString(pieces[r.IntN(len(pieces))])
	}
	return b.String()
}

// Whatever a line holds, what is shown of it has no control characters, fits into the
// room there is, and holds the match, or as much of it as fits.
func TestLinesFit(t *testing.T) {
	for seed := range uint64(20000) {
		r := rand.New(rand.NewPCG(seed, 12))
		line := randomLine(r)
		start := r.IntN(len(line) + 1)
		end := start + r.IntN(len(line)-start+1)
		room := 1 + r.IntN(60)
		before, match, after := window([]byte(line), start, end, room)
		all := before + match + after
		require.LessOrEqual(t, Width(all), room, "seed %d: %q of %q", seed, all, line)
		for _, c := range all {
			require.False(t, unicode.IsControl(c) && c != '\t', "seed %d: %q", seed, all)
		}
		if whole := terminal.Visible([]byte(line[start:end])); Width(whole) <= room {
			require.Equal(t, whole, match, "seed %d", seed)
		}
		require.LessOrEqual(t, Width(Cut(terminal.Visible([]byte(line)), room)), room)
		shown := (Style{}).Lines(diff.Hunk{Lines: []diff.Line{{Op: diff.Add, Text: []byte(line), Marks: [][2]int{{start, end}}}}}, room+1, false)
		require.LessOrEqual(t, Width(shown[0]), room+1, "seed %d: %q", seed, shown[0])
	}
}

func TestPathsAreShownSafely(t *testing.T) {
	for path, want := range map[string]string{
		"conf/a b.ini": "conf/a b.ini", "é/駅": "é/駅", "a\nb": `"a\nb"`, "\x1b[2J": `"\x1b[2J"`, "n\xe9": `"n\xe9"`,
	} {
		require.Equal(t, want, Path(path))
	}
}
