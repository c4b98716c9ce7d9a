package textfile

import (
	"bytes"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/ianaindex"

	"frizzel/core/lines"
)

// The windows of a file hold its lines, each once and in order, however wide they are, in every
// encoding, whatever bytes stand before a line feed.
func TestWindows(t *testing.T) {
	for name, wide := range letters {
		for seed := range uint64(400) {
			r := rand.New(rand.NewPCG(seed, 28))
			e, err := EncodingNamed(name)
			require.NoError(t, err)
			raw := bytes.Clone(e.mark)
			for range r.IntN(60) {
				var c rune
				switch alphabet := []rune("ab\r" + wide); r.IntN(4) {
				case 0:
					c = '\n'
				case 1:
					if !e.wide && seed%2 == 0 { // half of a character
						raw = append(raw, byte(0x80+r.IntN(128)))
						continue
					}
					fallthrough
				default:
					c = alphabet[r.IntN(len(alphabet))]
				}
				encoded, _ := e.encode([]byte(string(c)))
				raw = append(raw, encoded...)
			}
			whole, err := Decode(raw, Said{Encoding: name})
			require.NoError(t, err)
			form, err := FormOf(raw, int64(len(raw)), Said{Encoding: name})
			require.NoError(t, err)
			w := Windows{Form: form, File: bytes.NewReader(raw), Size: int64(len(raw)), Width: int64(len(e.mark) + 2 + 2*r.IntN(12))}
			var text, back, chunks []byte
			var buffer []byte
			for k := range w.Count() {
				var win Window
				win, buffer, err = w.Read(k, buffer[:0])
				require.NoError(t, err)
				chunks = append(chunks, win.Chunk...)
				if win.File == nil {
					continue
				}
				require.Equal(t, int64(len(back)), win.Offset)
				back, text = append(back, win.Raw...), append(text, win.Text...)
				if len(back) < len(raw) {
					require.True(t, bytes.HasSuffix(win.Text, []byte("\n")), "%s: a window ends in %q", name, win.Text)
				}
			}
			require.Equal(t, raw, slices.Concat(back), "%s, seed %d", name, seed)
			require.Equal(t, raw, slices.Concat(chunks), "%s, seed %d", name, seed)
			require.Equal(t, string(whole.Text), string(text), "%s, seed %d", name, seed)
			ending, err := w.FirstEnding()
			require.NoError(t, err)
			require.Equal(t, lines.FirstEnding(whole.Text), ending, "%s: %q", name, whole.Text)
		}
	}
}

// No encoding that is known takes a line feed into a character with bytes before it, which would
// stand in one window, and its other half in the next.
func TestNoCharacterHoldsALineFeed(t *testing.T) {
	for _, name := range []string{"shift_jis", "euc-jp", "gbk", "gb18030", "big5", "euc-kr", "koi8-r", "ibm037", "windows-1252", "macintosh"} {
		if _, err := ianaindex.IANA.Encoding(name); err != nil {
			continue
		}
		e, err := EncodingNamed(name)
		require.NoError(t, err)
		feed, _ := e.encode([]byte("\n"))
		require.Len(t, feed, 1, name)
		for a := range 256 {
			for b := range 256 {
				for _, start := range [][]byte{{byte(a)}, {byte(a), byte(b)}, {byte(a), 0x30 + byte(b)%10, byte(b)}} {
					raw := append(slices.Clone(start), feed[0], 'x', 'y')
					at := 0
					for at < len(start) {
						_, size := e.step(raw[at:])
						at += size
					}
					require.Equal(t, len(start), at, "%s: % x", name, raw)
				}
			}
		}
	}
}
