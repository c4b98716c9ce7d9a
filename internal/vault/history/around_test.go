package history

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/diff"
	"frizzel/core/edit"
)

// Edits made around later changes: a text of lines, of which a run changes some and a
// person others. If no line and no edge is shared, taking the run back gives the
// person's changes to what was before it, and else it is refused.
func TestAround(t *testing.T) {
	refused, done := 0, 0
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 21))
		n := 3 + r.IntN(8)
		old, ran, want, now := make([]string, n), make([]string, n), "", ""
		touches := false
		mine, theirs := make([]bool, n), make([]bool, n)
		for i := range n {
			old[i] = string(rune('a'+i)) + " depot-3\n"
			ran[i] = old[i]
			if mine[i] = r.IntN(3) == 0; mine[i] {
				ran[i] = strings.Replace(old[i], "3", "44", 1)
			}
			theirs[i] = r.IntN(4) == 0
		}
		for i := range n {
			switch {
			case theirs[i] && mine[i]:
				touches = true
			case theirs[i] && r.IntN(2) == 0: // a line is gone
				continue
			case theirs[i]:
				now += "theirs\n"
				want += "theirs\n"
				continue
			}
			now += ran[i]
			want += old[i]
		}
		if touches {
			now = strings.Replace(now, "44", "theirs", 1)
		}
		text := strings.Join(ran, "")
		edits := inverse(strings.Join(old, ""), text)
		got, err := around(diff.Compare([]byte(text), []byte(now)), edits)
		if err != nil {
			refused++
			continue
		}
		require.False(t, touches, "seed %d: %q, now %q", seed, text, now)
		done++
		require.Equal(t, want, string(got.Apply([]byte(now))), "seed %d", seed)
	}
	require.Greater(t, done, 500)
	require.Greater(t, refused, 300)
}

// inverse are the edits of what a run wrote, a word each, back to what was there.
func inverse(old, text string) edit.List {
	var edits edit.List
	for at := 0; ; {
		i := strings.Index(text[at:], "44")
		if i < 0 {
			return edits
		}
		edits = append(edits, edit.Edit{Start: at + i, End: at + i + 2, New: []byte("3")})
		at += i + 2
	}
}

// Lines that a run inserted, and lines that a person wrote at their edge.
func TestAroundInsertedLines(t *testing.T) {
	old, text := "[clock]\nserver = a\n", "[clock]\nadded = 1\nserver = a\n"
	back := diff.Compare([]byte(text), []byte(old))
	got, err := around(diff.Compare([]byte(text), []byte(text+"# later\n")), back)
	require.NoError(t, err)
	require.Equal(t, old+"# later\n", string(got.Apply([]byte(text+"# later\n"))))
	_, err = around(diff.Compare([]byte(text), []byte("[clock]\nadded = 1\n# later\nserver = a\n")), back)
	require.ErrorIs(t, err, errTouches)
	_, err = around(diff.Compare([]byte(text), []byte("[clock]\nadded = 2\nserver = a\n")), back)
	require.ErrorIs(t, err, errTouches)
}
