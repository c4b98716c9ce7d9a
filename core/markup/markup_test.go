package markup

import (
	"encoding/xml"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Tokens of random texts are those of encoding/xml: their bounds, their kinds, their names and attributes.
func TestNext(t *testing.T) {
	parts := []string{"<a>", "</a >", "<b:c/>", `<d e="1>" f='"'/>`, "<!-- > -->", "<![CDATA[<x>]]>", "<?pi x?>", "<!DOCTYPE a>", "depot-3", "\n", "<g\n h = \"2\"\t>"}
	for seed := range uint64(2000) {
		r := rand.New(rand.NewPCG(seed, 9))
		var b strings.Builder
		for range r.IntN(12) {
			b.WriteString(parts[r.IntN(len(parts))])
		}
		text := []byte(b.String())
		dec := xml.NewDecoder(strings.NewReader(string(text)))
		for at := 0; at < len(text); {
			tok, missing := Next(text, at)
			require.Empty(t, missing)
			other, err := dec.RawToken()
			require.NoError(t, err, "%q", text)
			require.Equal(t, int(dec.InputOffset()), tok.End, "%q at %d", text, at)
			switch o := other.(type) {
			case xml.StartElement:
				require.Equal(t, Start, tok.Kind)
				var want, got []string
				for _, a := range o.Attr {
					want = append(want, a.Name.Local+"="+a.Value)
				}
				for all := AttributesOf(text, tok); all.Next(); {
					got = append(got, fmt.Sprintf("%s=%s", all.Bytes(all.Name), all.Bytes(all.Value)))
				}
				require.Equal(t, want, got, "%q", text)
				require.True(t, strings.HasSuffix(string(text[at+1:tok.NameEnd]), o.Name.Local))
				if tok.Empty {
					_, err = dec.RawToken() // its end
					require.NoError(t, err)
				}
			case xml.EndElement:
				require.Equal(t, End, tok.Kind)
				require.Equal(t, o.Name.Local, string(text[at+2:tok.NameEnd]))
			case xml.Comment:
				require.Equal(t, Comment, tok.Kind)
			case xml.ProcInst:
				require.Equal(t, Instruction, tok.Kind)
			case xml.Directive:
				require.Equal(t, Declaration, tok.Kind)
			case xml.CharData:
				require.Contains(t, []Kind{Text, CDATA}, tok.Kind)
			}
			at = tok.End
		}
		for cut := range text { // what is never closed is said to be, and nothing reads beyond the text
			for at := 0; at < cut; {
				tok, missing := Next(text[:cut], at)
				if missing != "" {
					require.Equal(t, byte('<'), text[at])
					break
				}
				at = tok.End
			}
		}
	}
}
