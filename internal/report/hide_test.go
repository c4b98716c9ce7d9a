package report

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/pattern"
)

// A secret that a change touches in any way, in its line or beside it, shows no part of itself, neither in the old text nor
// in the new one; and a line without a secret is shown as it is.
func TestNoRestOfASecret(t *testing.T) {
	hidden, problems := compile.Pattern("--hide", `regex "key=\w+"`)
	require.Empty(t, problems)
	const secret = "qwertzuiop"
	shownLines := 0
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 9))
		text := "first\nboard = 3\nkey=" + secret + " # the key\nlast = 4\n"
		var edits edit.List
		for at := r.IntN(8); at < len(text); at += 1 + r.IntN(25) {
			end := min(at+r.IntN(6), len(text))
			edits = append(edits, edit.Edit{Start: at, End: end, New: []byte([]string{"", "x", "K", "\n", "new line\n"}[r.IntN(5)])})
			at = end
		}
		edits = edits.Changing([]byte(text))
		var out bytes.Buffer
		p := Printer{Out: &out, Rules: []string{""}, Context: 1, Hidden: []*pattern.Pattern{hidden}}
		require.NoError(t, p.Diff("board.conf", diff.Whole([]byte(text), edits)))
		for n := 3; n <= len(secret); n++ {
			for i := 0; i+n <= len(secret); i++ {
				require.NotContains(t, out.String(), secret[i:i+n], "seed %d: %q", seed, edits)
			}
		}
		shownLines += strings.Count(out.String(), "board = 3")
	}
	require.Greater(t, shownLines, 300)
}
