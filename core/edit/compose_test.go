package edit

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// randomList makes edits that a statement could make: ordered, apart, some of
// them insertions, deletions or the writing of what is there.
func randomList(r *rand.Rand, text []byte, rule int) List {
	var l List
	for at := 0; at <= len(text); {
		start := at + r.IntN(5)
		end := start + r.IntN(4)
		if end > len(text) {
			break
		}
		fresh := make([]byte, r.IntN(4))
		for i := range fresh {
			fresh[i] = "ab\n"[r.IntN(3)]
		}
		l = append(l, Edit{Start: start, End: end, New: fresh, Rules: []int{rule}})
		at = end
	}
	return l
}

func TestComposingIsApplyingInARow(t *testing.T) {
	for seed := range uint64(20000) {
		r := rand.New(rand.NewPCG(seed, 1))
		text := make([]byte, r.IntN(20))
		for i := range text {
			text[i] = "ab\n"[r.IntN(3)]
		}
		var all List
		now := text
		for rule := range 1 + r.IntN(4) {
			next := randomList(r, now, rule).Changing(now)
			all = Compose(text, now, all, next)
			now = next.Apply(now)
		}
		require.Equal(t, string(now), string(all.Apply(text)), "seed %d", seed)
		require.Equal(t, string(text), string(all.Invert(text).Apply(now)), "seed %d", seed)
		for i, e := range all {
			require.False(t, string(text[e.Start:e.End]) == string(e.New), "seed %d: an edit changes nothing", seed)
			require.NotEmpty(t, e.Rules)
			require.True(t, i == 0 || all[i-1].End <= e.Start, "seed %d: edits overlap", seed)
		}
	}
}

func TestSpansFollowEdits(t *testing.T) {
	// [ and ] stand for a span's edges, { } [ ] never being part of the text.
	for _, c := range []struct {
		text, want string
		edit       Edit
	}{
		{"a\n[b\n]c\n", "a\n[xb\n]c\n", Edit{Start: 2, End: 2, New: []byte("x")}},
		{"a\n[b\n]c\n", "a\nx\n[b\n]c\n", Edit{Start: 2, End: 2, New: []byte("x\n"), Side: Outside}},
		{"a\n[b\n]c\n", "a\n[b\n]x\nc\n", Edit{Start: 4, End: 4, New: []byte("x\n"), Side: Outside}},
		{"a\n[b\n]c\n", "a\n[b\nx\n]c\n", Edit{Start: 4, End: 4, New: []byte("x\n"), Side: Behind}},
		{"a\n[b\n]c\n", "a\n[b\n]xc\n", Edit{Start: 4, End: 4, New: []byte("x")}},
		{"a\n[b\n]c\n", "a\n[b\nx\n]c\n", Edit{Start: 3, End: 3, New: []byte("\nx")}},
		{"a\n[b]", "a\n[bx]", Edit{Start: 3, End: 3, New: []byte("x")}},
		{"a\n[b]", "a\n[b\n]x", Edit{Start: 3, End: 3, New: []byte("\nx"), Side: Outside}},
		{"a\n[b\n]c\n", "a\n[]c\n", Edit{Start: 2, End: 4}},
		{"a\n[]c\n", "a\n[x\n]c\n", Edit{Start: 2, End: 2, New: []byte("x\n")}},
		{"a\n[b\n]c\n", "[b\n]c\n", Edit{Start: 0, End: 2}},
	} {
		text, span := unmark(c.text)
		l := List{c.edit}
		got := l.Follow([]Span{span}, text)[0]
		require.Equal(t, c.want, mark(l.Apply(text), got), "%q with %+v", c.text, c.edit)
	}
}

func unmark(s string) (text []byte, span Span) {
	for _, c := range []byte(s) {
		switch c {
		case '[':
			span.Start = len(text)
		case ']':
			span.End, span.Last = len(text), len(text)
		default:
			text = append(text, c)
		}
	}
	return text, span
}

func mark(text []byte, s Span) string {
	return string(text[:s.Start]) + "[" + string(text[s.Start:s.End]) + "]" + string(text[s.End:])
}

func BenchmarkCompose(b *testing.B) {
	text := make([]byte, 1<<20)
	var first, second List
	for i := 0; i+20 < len(text); i += 20 {
		first = append(first, Edit{Start: i, End: i + 7, New: []byte("depot-44"), Rules: []int{0}})
	}
	middle := first.Apply(text)
	for i := 3; i+30 < len(middle); i += 30 {
		second = append(second, Edit{Start: i, End: i + 9, New: []byte("depot"), Rules: []int{1}})
	}
	b.ResetTimer()
	for b.Loop() {
		Compose(text, middle, first, second)
	}
}
