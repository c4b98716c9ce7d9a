package assist

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/script"
)

// However a document is edited, it is the one that its whole text would be read as.
func TestEdited(t *testing.T) {
	pieces := []string{"\n", "rule a {\n", "}\n", "\r\n", "replace word \"x\" with \"{=host}\"\n", "é", "param host = \"y\"", "{", "\"", "| margin\n", "# c\n", "", "\ufeff"}
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 3))
		d := Read("a.friz", "")
		for range 1 + r.IntN(12) {
			start := r.IntN(len(d.Text) + 1)
			end := start + r.IntN(len(d.Text)-start+1)
			fresh := ""
			for range r.IntN(4) {
				fresh += pieces[r.IntN(len(pieces))]
			}
			want := Read("a.friz", d.Text[:start]+fresh+d.Text[end:])
			d = d.Edited(start, end, fresh)
			require.Equal(t, want.Text, d.Text)
			require.Equal(t, want.starts, d.starts, "seed %d: %q", seed, d.Text)
			require.Equal(t, want.Names(), d.Names())
		}
		for offset := range len(d.Text) + 1 { // whatever is asked anywhere
			d.Complete(offset, none)
			d.Hover(offset, none)
			d.NameAt(offset)
		}
	}
}

func none(string) *Document { return nil }

// Each word of a script is offered where it stands, by what is before it.
func TestCompleteOffersWhatIsWritten(t *testing.T) {
	scripts := scriptsBelow(t, "../..")
	for _, chapter := range script.Reference() {
		for _, use := range chapter.Uses {
			scripts[use.Form] = use.Example
		}
	}
	asked, missing := 0, []string(nil)
	for name, text := range scripts {
		d := Read(name, text)
		for n, l := range d.lines {
			c := l.read()
			for i, word := range c.lexemes {
				named := slices.ContainsFunc(c.names, func(n Name) bool { return n.Start == word.Start })
				if word.Kind != script.LexWord || i > 0 && c.lexemes[i-1].Kind == script.LexPunctuation && c.lexemes[i-1].Text == ";" || named {
					continue
				}
				items, from := d.Complete(d.starts[n]+word.Start, none)
				require.Equal(t, d.starts[n]+word.Start, from)
				ok := slices.ContainsFunc(items, func(item Item) bool { return item.Label == word.Text || strings.HasPrefix(item.Label, word.Text+" ") })
				together := word.Text
				for j := i - 1; !ok && j >= 0 && c.lexemes[j].Kind == script.LexWord; j-- { // offered with the words before it, as in file
					together = c.lexemes[j].Text + " " + together
					items, _ = d.Complete(d.starts[n]+c.lexemes[j].Start, none)
					ok = slices.ContainsFunc(items, func(item Item) bool { return strings.HasPrefix(item.Label+" ", together+" ") })
				}
				if !ok {
					missing = append(missing, fmt.Sprintf("%s: %q in %q", name, word.Text, l.text))
				}
				asked++
			}
		}
	}
	require.Greater(t, asked, 1000)
	require.Empty(t, missing)
}
