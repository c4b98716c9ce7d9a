package diff

import (
	"bytes"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
)

// Comparing two texts gives edits that make one the other, and that touch no line
// that both have in common at their ends.
func TestCompare(t *testing.T) {
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 11))
		random := func() string {
			var b strings.Builder
			for range r.IntN(10) {
				b.WriteString([]string{"a\n", "b\n", "c\r\n", "\n", "d"}[r.IntN(5)])
			}
			return b.String()
		}
		old, fresh := random(), random()
		edits := Compare([]byte(old), []byte(fresh))
		require.Equal(t, fresh, string(edits.Apply([]byte(old))), "seed %d", seed)
		if old == fresh {
			require.Empty(t, edits)
		}
	}
}

// A text that comes in windows gives the hunks that it gives as a whole, wherever the windows
// end, whichever are left out since nothing changes near them, and in pieces if it is
// wanted so. A piece is looked at when the next one is made, as it may be.
func TestWalk(t *testing.T) {
	defer func(n, m int) { streamed, longBlock = n, m }(streamed, longBlock)
	for seed := range uint64(6000) {
		r := rand.New(rand.NewPCG(seed, 27))
		var text []byte
		var starts []int
		for range r.IntN(60) {
			starts = append(starts, len(text))
			text = append(text, []string{"a\n", "bb\n", "c\r\n", "\n"}[r.IntN(4)]...)
		}
		text = append(text, "d"[r.IntN(2):]...)
		var edits edit.List
		for at := r.IntN(20); at < len(text); at += 1 + r.IntN(20+int(seed%4)*60) {
			end := min(at+r.IntN(4), len(text))
			edits = append(edits, edit.Edit{Start: at, End: end, New: []byte([]string{"", "x", "y\n", "a\n"}[r.IntN(4)]), Rules: []int{r.IntN(2)}})
			at = end
		}
		if seed%5 == 0 {
			edits = append(edits, edit.Edit{Start: len(text), End: len(text), New: []byte("z\n")})
		}
		edits = edits.Changing(text)
		context := r.IntN(4)
		longBlock = 1 + r.IntN(8)
		want := string(Unified(nil, "n", Hunks(text, edits, context), nil))
		var got []Hunk
		var open []Line
		var passed *Hunk
		ends := false
		look := func() {
			if passed == nil {
				return
			}
			for _, l := range passed.Lines {
				open = append(open, Line{Op: l.Op, Text: []byte(string(l.Text))})
			}
			if ends {
				whole := *passed
				whole.Lines, open = open, nil
				got = append(got, whole)
			}
			passed = nil
		}
		w := Walk{Context: context, Most: r.IntN(3) * 5, Plain: seed%3 == 0, Hunk: func(h *Hunk, done bool) error {
			look()
			passed, ends = h, done
			return nil
		}}
		lines, rest, buffer := 0, edits, make([]byte, 0, len(text))
		for from, to := 0, 0; from < len(text) || to == 0 && len(rest) > 0; from = to {
			for to = len(text); len(starts) > 0; {
				to, starts = starts[0], starts[1:]
				if to > from && r.IntN(3) == 0 && !slices.ContainsFunc(rest, func(e edit.Edit) bool { return e.Start < to && e.End > to }) {
					break
				}
				to = len(text)
			}
			win := Window{Text: append(buffer[:0], text[from:to]...), Line: lines}
			for len(rest) > 0 && (rest[0].Start < to || to == len(text)) {
				e := rest[0]
				e.Start, e.End, rest = e.Start-from, e.End-from, rest[1:]
				e.New = bytes.Clone(e.New)
				win.Edits = append(win.Edits, e)
			}
			parts := []Window{win}
			if seed%2 == 0 {
				parts = Near(win, context)
			}
			for _, part := range parts {
				require.NoError(t, w.Add(part))
				look()
				for _, e := range part.Edits { // which may be another window's by then
					copy(e.New, "????")
				}
			}
			lines += strings.Count(string(win.Text), "\n")
		}
		require.NoError(t, w.End())
		look()
		streamed = 1 + r.IntN(20)
		windows := Stream(func() (io.ReadCloser, error) { return io.NopCloser(iotest.OneByteReader(bytes.NewReader(text))), nil }, edits)
		var all edit.List
		at := 0
		require.NoError(t, windows(func(win Window) error {
			for _, e := range win.Edits {
				e.Start, e.End = e.Start+at, e.End+at
				all = append(all, e)
			}
			at += len(win.Text)
			return nil
		}))
		require.Equal(t, edits.Apply(text), all.Apply(text))
		require.Equal(t, want, string(Unified(nil, "n", got, nil)), "seed %d: %q %v", seed, text, edits)
		for i, h := range Hunks(text, edits, context) {
			require.Equal(t, h.Rules, got[i].Rules)
		}
	}
}

// Hunks keep what they must: context on both sides, what lies near in one hunk, the
// words that stand out.
func TestHunks(t *testing.T) {
	text := []byte("1\n2\n3\nhost = depot-3\n5\n6\n7\n8\n9\nserver = 192.0.2.30\n11")
	at := func(s string) int { return strings.Index(string(text), s) }
	edits := edit.List{
		{Start: at("depot-3"), End: at("depot-3") + 7, New: []byte("depot-4"), Rules: []int{2}},
		{Start: at("server"), End: at("\n11"), New: []byte("server = 192.0.2.40"), Rules: []int{0}},
		{Start: len(text), End: len(text), New: []byte("\n12"), Rules: []int{1}},
	}
	hunks := Hunks(text, edits, 1)
	require.Len(t, hunks, 2)
	got := string(Unified(nil, "conf/a b.ini", hunks, nil))
	require.Equal(t, "--- a/conf/a b.ini\t\n+++ b/conf/a b.ini\t\n@@ -3,3 +3,3 @@\n 3\n-host = depot-3\n+host = depot-4\n 5\n"+
		"@@ -9,3 +9,4 @@\n 9\n-server = 192.0.2.30\n-11\n\\ No newline at end of file\n"+
		"+server = 192.0.2.40\n+11\n+12\n\\ No newline at end of file\n", got)
	require.Equal(t, []int{2}, hunks[0].Rules)
	require.Equal(t, []int{0, 1}, hunks[1].Rules)
	word := func(l Line) string { return string(l.Text[l.Marks[0][0]:l.Marks[0][1]]) }
	require.Equal(t, "depot-3", word(hunks[0].Lines[1]))
	require.Equal(t, "192.0.2.40", word(hunks[1].Lines[3]))
	require.Len(t, Hunks(text, edits, 3), 1)
	for name, want := range map[string]string{"a": "a", "a b": "a b\t", "a\"b": `"a\"b"`, "n\nl\tt": `"n\nl\tt"`, "é": `"\303\251"`} {
		require.Equal(t, want, Name(name))
	}
}
