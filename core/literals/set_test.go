package literals_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/literals"
	"frizzel/core/pattern"
)

type hit struct{ start, end, which int }

// slow asks, at each place from left to right, which of the literals stands there as a
// pattern of its own says, and takes the longest.
func slow(t *testing.T, spec literals.Spec, text []byte) (hits []hit) {
	starts := map[int]hit{}
	for i, l := range spec.Literals {
		kind := pattern.Text
		if spec.Word {
			kind = pattern.Word
		}
		p, err := pattern.Compile(pattern.Spec{Kind: kind, Source: l, IgnoreCase: spec.IgnoreCase, Joiners: spec.Joiners})
		require.NoError(t, err)
		for at := range text { // from every place anew, since hits of one literal hide none of another
			if start, end, ok := p.First(text, at, len(text), at); ok && start == at && end > starts[at].end {
				starts[at] = hit{start, end, i}
			}
		}
	}
	for at := 0; at < len(text); at++ {
		if h, ok := starts[at]; ok {
			hits = append(hits, h)
			at = h.end - 1
		}
	}
	return hits
}

// A set finds, from left to right, the longest of its literals that is accepted.
func TestSetFindsTheLongest(t *testing.T) {
	all := []string{"depot-3", "depot", "depot-30", "de", "pot", "3", "30", "駅", "é", "kiosk", "s", "potdepot"}
	world := []string{"de", "pot", "depot-3", "DEPOT-3", "-", ".", "_", " ", "3", "30", "é", "É", "K", "k", "ſ", "s", "\xe9", "\n", "\r\n", "駅"}
	long := []string{"depot-3", "depot", "depot-30", "pot", "駅", "kiosk", "potdepot", "-de", "3 30", "pot.30"} // a window may be as long
	plain := []string{"depot", "pot", "kiosk", "potdepot", "dede"}                                             // as most words are
	var many []string                                                                                          // which stand nowhere
	for i := range 5000 {
		many = append(many, fmt.Sprintf("zz%d", i+100))
	}
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 9))
		all := all
		switch {
		case seed%4 == 0:
			all = plain
		case seed%2 == 0:
			all = long
		}
		r.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		spec := literals.Spec{Literals: all[:1+r.IntN(len(all))], Word: r.IntN(2) == 0, IgnoreCase: r.IntN(2) == 0, Joiners: "-"}
		var b bytes.Buffer
		for range r.IntN(40) {
			b.WriteString(world[r.IntN(len(world))])
		}
		text := b.Bytes()
		var got []hit
		with := spec
		switch seed % 20 {
		case 0:
			with.Literals = slices.Concat(spec.Literals, many)
		case 10:
			for n := range 100 { // lengths
				with.Literals = append(slices.Clip(with.Literals), strings.Repeat("z", 10+n))
			}
		}
		literals.New(with).Find(text, 0, len(text), func(start, end, which int) bool {
			got = append(got, hit{start, end, which})
			return true
		})
		require.Equal(t, slow(t, spec, text), got, "%+v in %q", spec, text)
	}
}

// A literal of any length is only as deep as the memory that it takes.
func TestLongLiteral(t *testing.T) {
	long := strings.Repeat("depot", 1<<20)
	set := literals.New(literals.Spec{Literals: []string{long}, IgnoreCase: true})
	found := 0
	set.Find([]byte("x"+strings.ToUpper(long)), 0, 1+len(long), func(start, end, which int) bool {
		found++
		return true
	})
	require.Equal(t, 1, found)
}
