package pattern

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/word"
)

// world is texts in which much matches: words, joiners, letters of several cases and
// widths, bytes that are not UTF-8, both line endings.
var world = []string{"de", "pot", "depot-3", "DEPOT-3", "-", ".", "_", " ", "3", "30", "é", "É", "K", "k", "ſ", "s", "\xe9", "\n", "\r\n", "駅"}

func randomText(r *rand.Rand, parts int) []byte {
	var b bytes.Buffer
	for range r.IntN(parts) {
		b.WriteString(world[r.IntN(len(world))])
	}
	return b.Bytes()
}

func places(p *Pattern, text []byte) (out [][2]int) {
	p.Find(text, 0, len(text), func(loc []int) bool {
		out = append(out, [2]int{loc[0], loc[1]})
		return true
	})
	return out
}

// In a line, an expression matches where the standard library says, whatever literal
// it is looked for by; across lines too, if line endings are line feeds.
func TestRegexMatchesAsTheStandardLibrary(t *testing.T) {
	expressions := []string{
		`depot-3`, `de(pot)?`, `(?i)depot`, `\d+`, `^`, `$`, `^$`, `^\s*de`, `pot$`, `(de|pot)-`, `[^ ]+`, `\bde`, `de\b`, `x*`,
		`(?:depot|駅)3*`, `\w-\d`, `(\d*-)+\d`, `[^-]-.`, `(?:pot)?-3?\b`, `(?:\W|_)-?[03]?`, `\d(-|_)`, `é`, `s`, `k+`, `(d)(e)(p)?`, `.`, `.*`, `..?`, `(?s).`, `depot.3|3.depot`, `(\w+)-(\w+)`,
		`[a-z] \d`, `([a-z]+ )+3`, `(?:\w+ ){2}\d+$`, `^[^3]+ [0-9]`, // with a frequent byte that they need
	}
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 7))
		expr := expressions[r.IntN(len(expressions))]
		ignore := r.IntN(3) == 0
		flags := ""
		if ignore {
			flags = "(?i)"
		}
		text := randomText(r, 20)
		if r.IntN(4) == 0 { // several blocks of bytes
			text = bytes.Repeat(append(text, "pot  de 3"...), 1+r.IntN(4))
		}
		p, err := Compile(Spec{Kind: Regex, Source: expr, IgnoreCase: ignore})
		require.NoError(t, err)
		var want [][2]int
		re := regexp.MustCompile(flags + "(?:" + expr + ")")
		at := 0
		for _, line := range bytes.SplitAfter(text, []byte("\n")) {
			content := bytes.TrimSuffix(line, []byte("\n"))
			if len(content) < len(line) {
				content = bytes.TrimSuffix(content, []byte("\r"))
			}
			if len(line) > 0 {
				for _, loc := range re.FindAllIndex(content, -1) {
					want = append(want, [2]int{at + loc[0], at + loc[1]})
				}
			}
			at += len(line)
		}
		require.Equal(t, want, places(p, text), "%s in %q", expr, text)
		require.Equal(t, len(want) > 0, p.Has(text, 0, len(text)))

		text = bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n"))
		across, err := Compile(Spec{Kind: Regex, Source: expr + `\n?`, IgnoreCase: ignore, AcrossLines: true})
		require.NoError(t, err)
		want = nil
		for _, loc := range regexp.MustCompile("(?m)"+flags+"(?:"+expr+`\n?)`).FindAllIndex(text, -1) {
			if loc[0] < len(text) || len(text) > 0 && text[len(text)-1] != '\n' {
				want = append(want, [2]int{loc[0], loc[1]})
			}
		}
		require.Equal(t, want, places(across, text), "%s across %q", expr, text)
		windows := bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))
		require.Len(t, places(across, windows), len(want), "%s across %q", expr, windows)
	}
}

// naive finds texts and words by trying every place.
func naive(spec Spec, text string) (out [][2]int) {
	j := word.Joiners(spec.Joiners)
	for at := 0; at < len(text); {
		end := -1
		for e := at + 1; e <= len(text) && end < 0; e++ {
			s := text[at:e]
			if s == spec.Source || spec.IgnoreCase && strings.EqualFold(s, spec.Source) && !strings.ContainsRune(s, '\ufffd') {
				end = e
			}
		}
		if end > 0 && (spec.Kind != Word || j.Whole([]byte(text), at, end)) {
			out = append(out, [2]int{at, end})
			at = end
			continue
		}
		at++
	}
	return out
}

func TestLiteralsMatchEverywhere(t *testing.T) {
	for seed := range uint64(4000) {
		r := rand.New(rand.NewPCG(seed, 8))
		spec := Spec{
			Kind: []Kind{Text, Word}[r.IntN(2)], IgnoreCase: r.IntN(2) == 0, Joiners: []string{"", "-", "-."}[r.IntN(3)],
			Source: []string{"depot-3", "de", "3", "k", "s", "É", "pot", "駅", "-", "depot"}[r.IntN(10)],
		}
		p, err := Compile(spec)
		require.NoError(t, err)
		text := randomText(r, 25)
		require.Equal(t, naive(spec, string(text)), places(p, text), "%+v in %q", spec, text)
	}
}

// What stands beside a match decides, also at a line's ends and for expressions that
// look at them.
func TestGuards(t *testing.T) {
	for _, c := range []struct {
		guard Guard
		text  string
		want  string // the lines' numbers in which x is accepted
	}{
		{Guard{Preceded: true, Kind: Text, Source: "a"}, "ax\nbx\nx", "1"},
		{Guard{Preceded: true, Not: true, Kind: Text, Source: "a"}, "ax\nbx\nx", "2 3"},
		{Guard{Kind: Text, Source: "a"}, "xa\nxb\nx\na", "1"},
		{Guard{Not: true, Kind: Text, Source: "a"}, "xa\nxb\nx\na", "2 3"},
		{Guard{Preceded: true, Kind: Regex, Source: `^\s*`}, "x\n  x\nax\n a x", "1 2"},
		{Guard{Kind: Regex, Source: `\s*$`}, "x\nx  \r\nxa\nx\r\n", "1 2 4"},
		{Guard{Preceded: true, Kind: Regex, Source: `\d{2}`}, "12x\n1x\n123x", "1 3"},
		{Guard{Kind: Regex, Source: `\b`}, "x\nxa\nx-", "1 3"},
		{Guard{Preceded: true, Kind: Word, Source: "a"}, "a x\nax\n-a-x", ""},
		{Guard{Kind: Regex, Source: `[^a]*z`}, "xbbz\nxabz\nx\nz", "1"},
	} {
		p, err := Compile(Spec{Kind: Text, Source: "x", Guards: []Guard{c.guard}})
		require.NoError(t, err)
		var lines []string
		p.Find([]byte(c.text), 0, len(c.text), func(loc []int) bool {
			lines = append(lines, fmt.Sprint(strings.Count(c.text[:loc[0]], "\n")+1))
			return true
		})
		require.Equal(t, c.want, strings.Join(lines, " "), "%+v in %q", c.guard, c.text)
	}
}

// An invalid byte is a character that a dot matches, and a class that excludes others, and
// never the one that stands for what cannot be read.
func TestInvalidBytes(t *testing.T) {
	const text = "a\xffb \ufffd c\xfe\xfd"
	for source, want := range map[string][]string{
		`\x{FFFD}`: {"\ufffd"}, "\ufffd": {"\ufffd"}, `[\x{FFFD}b]`: {"b", "\ufffd"}, `a.b`: {"a\xffb"}, `c[^x]+`: {"c\xfe\xfd"},
		`[\x{FF00}-\x{FFFF}] .`: {"\ufffd c"}, `b|\x{FFFD}`: {"b", "\ufffd"}, `\S+`: {"a\xffb", "\ufffd", "c\xfe\xfd"},
	} {
		p, err := Compile(Spec{Kind: Regex, Source: source})
		require.NoError(t, err)
		var got []string
		p.Find([]byte(text), 0, len(text), func(loc []int) bool {
			got = append(got, text[loc[0]:loc[1]])
			return true
		})
		require.Equal(t, want, got, source)
	}
	p, err := Compile(Spec{Kind: Text, Source: "b", Guards: []Guard{{Not: true, Preceded: true, Kind: Regex, Source: `\x{FFFD}`}}})
	require.NoError(t, err)
	require.True(t, p.Has([]byte(text), 0, len(text)))
}

// The last line of a margin block is there, even if it is empty.
func TestLinesThatEndInAnEmptyOne(t *testing.T) {
	p, err := Compile(Spec{Kind: Lines, Source: "a\n"})
	require.NoError(t, err)
	for text, want := range map[string]bool{"x\na\n": false, "a\n\n": true, "a\r\n\r\nb": true, "a": false, "ba\n\n": false, "a\nb\n": false} {
		require.Equal(t, want, p.Has([]byte(text), 0, len(text)), "%q", text)
	}
}
