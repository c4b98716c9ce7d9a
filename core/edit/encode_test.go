package edit

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/codec"
)

// What is encoded comes back; what is cut, longer or another is not a list, or one that is
// still in order.
func TestEncoding(t *testing.T) {
	text := make([]byte, 60)
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 11))
		l := randomList(r, text, r.IntN(3))
		for i := range l {
			l[i].Rules = [][]int{{0}, {0, 300}, nil}[r.IntN(3)]
		}
		code := l.Encode(nil)
		got, err := Decode(code)
		require.NoError(t, err)
		require.Len(t, got, len(l))
		for i := range l {
			require.Equal(t, string(l[i].New), string(got[i].New))
			require.Equal(t, []int{l[i].Start, l[i].End}, []int{got[i].Start, got[i].End})
			require.True(t, slices.Equal(l[i].Rules, got[i].Rules))
		}
		_, err = Decode(code[:r.IntN(len(code))])
		require.Error(t, err)
		_, err = Decode(append(code, 0))
		require.Error(t, err)
		code[r.IntN(len(code))] ^= 1 << r.IntN(8)
		if wrong, err := Decode(code); err == nil {
			at := 0
			for _, e := range wrong {
				require.True(t, at <= e.Start && e.Start <= e.End)
				at = e.End
			}
		}
	}
	_, err := Decode([]byte("[{}]"))
	require.ErrorIs(t, err, codec.ErrInvalid)
	_, err = Decode([]byte{1, 0xff, 0xff, 0xff, 0xff, 0x0f})
	require.ErrorIs(t, err, codec.ErrInvalid)
}

func BenchmarkEncode(b *testing.B) {
	var l List
	for i := range 100_000 {
		l = append(l, Edit{Start: 70 * i, End: 70*i + 7, New: []byte("depot-4"), Rules: []int{0}})
	}
	for b.Loop() {
		if _, err := Decode(l.Encode(nil)); err != nil {
			b.Fatal(err)
		}
	}
}
