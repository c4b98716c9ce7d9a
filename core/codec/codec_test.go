package codec

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
)

// What is appended is read again in the same order; text that is cut, or claims more than
// follows, is invalid, and then every later value is zero.
func TestCodec(t *testing.T) {
	var e Encoder
	e.Int(-5)
	e.Uint(math.MaxUint64)
	e.Bytes([]byte("depot-3"))
	e.String("")
	e.Ints([]int{3, 0, 1 << 40})
	read := func(text []byte) (Decoder, []any) {
		d := Decoder{Text: text}
		return d, []any{d.Int(), d.Uint(), string(d.Bytes()), d.String(), d.Ints(), d.Err, len(d.Text)}
	}
	_, all := read(e.Text)
	require.Equal(t, []any{int64(-5), uint64(math.MaxUint64), "depot-3", "", []int{3, 0, 1 << 40}, nil, 0}, all)
	for n := range e.Text {
		_, all := read(e.Text[:n])
		require.Equal(t, ErrInvalid, all[5], "cut at %d", n)
	}

	var long Encoder
	long.Uint(1 << 40) // a list of a terabyte
	for _, d := range []*Decoder{{Text: long.Text}, {Text: append(long.Text, 1, 2, 3)}} {
		require.Empty(t, d.Ints())
		require.ErrorIs(t, d.Err, ErrInvalid)
		require.Zero(t, d.Uint())
	}
	long = Encoder{}
	long.Uint(maxOffset + 1)
	d := Decoder{Text: long.Text}
	require.Zero(t, d.Offset())
	require.ErrorIs(t, d.Err, ErrInvalid)
}
