package trailer

import (
	"bytes"
	"fmt"
	"io"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/internal/digest"
)

// Whatever digest a machine wrote, a content is read again under its own name and no other, and
// every flipped bit and every cut is noticed.
func TestTrailer(t *testing.T) {
	body := []byte("host = depot-3\n")
	for _, by := range []digest.Algorithm{digest.SHA256, digest.BLAKE3} {
		short := append(bytes.Clone(body), line("7/journal", body, by)...)
		var long bytes.Buffer
		w := newWriter("7/record", &long, by)
		_, err := w.Write(body)
		require.NoError(t, err)
		require.NoError(t, w.Close())

		cut := func(text []byte) ([]byte, error) { return Cut("7/journal", text) }
		check := func(text []byte) ([]byte, error) {
			in, err := Check("7/record", bytes.NewReader(text), int64(len(text)))
			if err != nil {
				return nil, err
			}
			return io.ReadAll(in)
		}
		for name, c := range map[string]struct {
			text []byte
			read func([]byte) ([]byte, error)
		}{"held": {short, cut}, "in pieces": {long.Bytes(), check}} {
			t.Run(fmt.Sprint(by, " ", name), func(t *testing.T) {
				got, err := c.read(c.text)
				require.NoError(t, err)
				require.Equal(t, body, got)
				for i := range c.text {
					flipped := bytes.Clone(c.text)
					flipped[i] ^= 1 << (i % 8)
					_, err := c.read(flipped)
					require.ErrorIs(t, err, ErrDamaged, "byte %d", i)
					_, err = c.read(c.text[:i])
					require.ErrorIs(t, err, ErrDamaged, "cut at %d", i)
				}
			})
		}
		_, err = Cut("8/journal", short)
		require.ErrorIs(t, err, ErrDamaged)
		_, err = Check("8/record", bytes.NewReader(long.Bytes()), int64(long.Len()))
		require.ErrorIs(t, err, ErrDamaged)
	}
}
