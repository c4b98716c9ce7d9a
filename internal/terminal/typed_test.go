package terminal

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode"

	"charm.land/bubbles/v2/textinput"
	"github.com/stretchr/testify/require"
)

// A replacement that a person confirms without typing stays to the last byte, whatever bytes it has, and nothing in it
// reaches the terminal that could drive it.
func TestTypedKeepsBytes(t *testing.T) {
	pieces := []string{"a", "depot-4", "\t", "\x1b[2J", "\f", "\xff", "\xe2\x80", "é", "\u202e", "\U000E0041", "\U000F0000", "駅", "\x7f", "\r", " ", "\u200b"}
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 5))
		var text strings.Builder
		for range r.IntN(12) {
			text.WriteString(pieces[r.IntN(len(pieces))])
		}
		var held Typed
		in := textinput.New()
		in.SetValue(held.Line(text.String()))
		require.Equal(t, text.String(), held.Text(in.Value()))
		shown := held.Shown(in.Value())
		require.Equal(t, -1, strings.IndexFunc(shown, func(r rune) bool { return unicode.IsControl(r) || unicode.Is(unicode.Cf, r) }), "%q", shown)
	}
}
