package textfile

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
)

// What each encoding can hold besides ASCII.
var letters = map[string]string{
	"utf-8": "é→駅😀", "utf-8-bom": "é→駅😀", "utf-16le": "é→駅😀", "utf-16be": "é→駅😀",
	"utf-16le-bom": "é→駅😀", "utf-16be-bom": "é→駅😀", "iso-8859-1": "éÄß", "windows-1252": "é€–",
	"koi8-r": "депо", "shift_jis": "駅前ア", "gbk": "车站", "euc-kr": "기차역", "ibm437": "é░",
}

// Edits of the text become edits of the bytes that change nothing else, whatever
// the encoding, and the bytes then read as the edited text.
func TestEditsOfBytes(t *testing.T) {
	for name, wide := range letters {
		e, err := EncodingNamed(name)
		require.NoError(t, err)
		for seed := range uint64(300) {
			r := rand.New(rand.NewPCG(seed, 4))
			alphabet := append([]rune("ab \n"), []rune(wide)...)
			random := func(n int) string {
				var b strings.Builder
				for range r.IntN(n) {
					if c := alphabet[r.IntN(len(alphabet))]; c == '\n' && r.IntN(2) == 0 {
						b.WriteString("\r\n")
					} else {
						b.WriteRune(c)
					}
				}
				return b.String()
			}
			text := "depot " + random(40)
			body, bad := e.encode([]byte(text))
			require.Negative(t, bad)
			raw := append([]byte(string(e.mark)), body...)
			f, err := Decode(raw, Said{Encoding: name})
			require.NoError(t, err)
			require.Equal(t, text, string(f.Text), name)
			require.Equal(t, name, f.Encoding())

			var edits edit.List
			runes := []rune(text)
			for at := 0; at < len(runes); {
				from := at + r.IntN(8)
				to := from + r.IntN(4)
				if to > len(runes) {
					break
				}
				edits = append(edits, edit.Edit{Start: len(string(runes[:from])), End: len(string(runes[:to])), New: []byte(random(4))})
				at = to
			}
			edits = edits.Changing(f.Text)
			inBytes, err := f.Encode(edits, "")
			require.NoError(t, err)
			want, _ := e.encode(edits.Apply(f.Text))
			require.Equal(t, string(e.mark)+string(want), string(inBytes.Apply(raw)), "%s, seed %d", name, seed)
			require.Len(t, inBytes, len(edits))
		}
	}
}

func TestTellingEncodings(t *testing.T) {
	for raw, want := range map[string]string{
		"plain":                           "utf-8",
		"":                                "utf-8",
		"caf\xe9 depot-3":                 "utf-8",
		"\xef\xbb\xbfx":                   "utf-8-bom",
		"\xff\xfed\x00e\x00":              "utf-16le-bom",
		"\xfe\xff\x00d\x00e":              "utf-16be-bom",
		"d\x00e\x00p\x00o\x00t\x00\n\x00": "utf-16le",
		"\x00d\x00e\x00p\x00o\x00t":       "utf-16be",
		"depot-3\x00\x01\x02":             "binary",
		"\xff\xfe\x00\x00d\x00\x00\x00":   "binary",
		"d\x00\x01\x00":                   "binary",
	} {
		f, err := Decode([]byte(raw), Said{})
		if want == "binary" {
			require.ErrorIs(t, err, ErrBinary, "%q", raw)
			continue
		}
		require.NoError(t, err)
		require.Equal(t, want, f.Encoding(), "%q", raw)
		require.Equal(t, raw, string(f.Raw))
	}
}

// A text that the encoding cannot hold is refused with its place; a file whose bytes
// above 127 are all invalid takes no new ones; another encoding takes the whole file
// along.
func TestWhatCannotBeWritten(t *testing.T) {
	put := func(raw, name, fresh, to string) (string, error) {
		f, err := Decode([]byte(raw), Said{Encoding: name})
		require.NoError(t, err)
		at := strings.Index(string(f.Text), "depot")
		edits, err := f.Encode(edit.List{{Start: at, End: at + 5, New: []byte(fresh)}}, to)
		return string(edits.Apply(f.Raw)), err
	}
	_, err := put("a\ndepot\n", "iso-8859-1", "→", "")
	require.EqualError(t, err, "line 2: iso-8859-1 has no character '→'")
	_, err = put("caf\xe9\ndepot\n", "", "dépôt", "")
	require.ErrorContains(t, err, "line 2: 'é' cannot be written: the file has bytes that are not UTF-8")
	got, err := put("caf\xe9\ndepot\n", "", "yard", "")
	require.NoError(t, err)
	require.Equal(t, "caf\xe9\nyard\n", got)
	_, err = put("café \xe9\ndepot\n", "", "dépôt", "") // which looks like UTF-8
	require.ErrorContains(t, err, "line 2: 'é' cannot be written")
	got, err = put("caf\xe9 depot", "iso-8859-1", "dépôt", "utf-8")
	require.NoError(t, err)
	require.Equal(t, "café dépôt", got)
	got, err = put("café depot", "", "x", "utf-8-bom")
	require.NoError(t, err)
	require.Equal(t, "\xef\xbb\xbfcafé x", got)
	_, err = put("caf\xe9 depot", "", "x", "utf-16le")
	require.Error(t, err)
	for _, name := range []string{"klingon", "iso-2022-jp", "utf-7"} {
		_, err := EncodingNamed(name)
		require.Error(t, err, name)
	}
}
