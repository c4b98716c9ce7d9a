package automaton

import (
	"bytes"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"regexp/syntax"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// expression writes a random expression over a small world.
func expression(r *rand.Rand, depth int) string {
	one := func(of ...string) string { return of[r.IntN(len(of))] }
	if depth == 0 || r.IntN(4) == 0 {
		return one("a", "b", "ab", "é", "k", "K", "駅", "[ab]", "[^a]", ".", `\w`, `\W`, `\d`, `\s`, `\pL`, `[^\x00-\x7f]`, "^", "$", `\b`, `\B`, `\A`, `\z`,
			"(?i:k)", "(?i:ab)", "(?i:s)", "", "[0-9]", `\.`, `[\x{FFFD}a]`, `[^a-z]`, "\r", `(?m:^)`, `(?m:$)`)
	}
	sub := func() string { return expression(r, depth-1) }
	switch r.IntN(7) {
	case 0, 1, 2:
		return sub() + sub()
	case 3:
		return "(?:" + sub() + "|" + sub() + ")"
	case 4:
		return "(" + sub() + ")" + one("*", "+", "?", "*?", "+?", "??")
	case 5:
		return "(?:" + sub() + ")" + one("{2}", "{1,3}", "{0,2}?", "{2,}")
	}
	return sub()
}

func someText(r *rand.Rand, most int) []byte {
	var b bytes.Buffer
	for range r.IntN(most) {
		b.WriteString([]string{"a", "b", "ab", "A", "k", "K", "\u212a", "ſ", "é", "駅", "\xff", "\xe2\x82", " ", "7", ".", "_", "\r", "\xef\xbf\xbd"}[r.IntN(18)])
	}
	return b.Bytes()
}

func machineOf(t testing.TB, source string) (*Machine, *regexp.Regexp) {
	tree, err := syntax.Parse(source, syntax.Perl)
	require.NoError(t, err, source)
	return New(tree), regexp.MustCompile(source)
}

// The machine finds what the package regexp finds, if it does, whatever the expression and
// the text: in one line, and in which lines of many.
func TestMachineIsRegexp(t *testing.T) {
	for seed := range uint64(12000) {
		r := rand.New(rand.NewPCG(seed, 5))
		source := expression(r, 4)
		if _, err := syntax.Parse(source, syntax.Perl); err != nil {
			continue
		}
		m, re := machineOf(t, source)
		require.NotNil(t, m, source)
		f := m.Finder()
		for range 4 {
			line := someText(r, 12)
			holdsAgainst(t, f, re, line)
			text := someText(r, 10)
			for range r.IntN(6) {
				text = append(append(text, []string{"\n", "\r\n"}[r.IntN(2)]...), someText(r, 8)...)
			}
			require.Equal(t, linesOf(re, text), foundLines(f, text), "%q in %q", source, text)
		}
		f.Done()
	}
}

func holdsAgainst(t testing.TB, f *Finder, re *regexp.Regexp, line []byte) {
	want := re.FindAllIndex(line, -1)
	got, sure := f.All(line)
	require.True(t, sure)
	flat := []int{}
	for _, loc := range want {
		flat = append(flat, loc...)
	}
	require.Equal(t, flat, append([]int{}, got...), "%q in %q", re, line)
}

// linesOf returns which lines, from 0, hold a match.
func linesOf(re *regexp.Regexp, text []byte) (found []int) {
	for i, line := range bytes.SplitAfter(text, []byte("\n")) {
		if len(line) == 0 {
			break
		}
		if re.Match(bytes.TrimSuffix(bytes.TrimSuffix(line, []byte("\n")), []byte("\r"))) && bytes.HasSuffix(line, []byte("\n")) ||
			!bytes.HasSuffix(line, []byte("\n")) && re.Match(line) {
			found = append(found, i)
		}
	}
	return found
}

func foundLines(f *Finder, text []byte) (found []int) {
	for at := 0; at < len(text); {
		i := f.Line(text, at)
		if i < 0 {
			break
		}
		found = append(found, bytes.Count(text[:i], []byte("\n")))
		n := bytes.IndexByte(text[i:], '\n')
		if n < 0 {
			break
		}
		at = i + n + 1
	}
	return found
}

// A machine whose states are dropped again and again finds the same, until it is given up.
func TestMachineOfManyStates(t *testing.T) {
	m, re := machineOf(t, `(?:a|b)*a(?:a|b){20}c?`)
	r := rand.New(rand.NewPCG(1, 2))
	dropped := 0
	for range 200 {
		line := []byte(strings.Map(func(rune) rune { return rune("aabbb"[r.IntN(5)]) }, strings.Repeat("x", 3000)))
		f := m.Finder()
		if f == nil {
			require.Positive(t, dropped, "given up before anything was dropped")
			return
		}
		before := len(f.ends.states)
		got, sure := f.All(line)
		if len(f.ends.states) < before {
			dropped++
		}
		if sure {
			flat := []int{}
			for _, loc := range re.FindAllIndex(line, -1) {
				flat = append(flat, loc...)
			}
			require.Equal(t, flat, append([]int{}, got...))
		}
		f.Done()
	}
	require.Fail(t, "it was not given up")
}

// The states of a machine take no more memory than they may, however large each is.
func TestMachineIsBounded(t *testing.T) {
	m, _ := machineOf(t, `(?:a|b)*a(?:a|b){400}c`)
	r := rand.New(rand.NewPCG(5, 6))
	f := m.Finder()
	for range 20 {
		line := []byte(strings.Map(func(rune) rune { return rune("ab"[r.IntN(2)]) }, strings.Repeat("x", 500)))
		f.All(line)
		size := 4 * len(f.ends.next)
		for _, s := range f.ends.states {
			size += 8 * len(s.places) // with its key
		}
		require.Less(t, size, maxSize+1<<16)
	}
	require.NotEmpty(t, f.ends.states)
}

// If a machine is given up in the midst of a text, no line that matches is missed, and nothing
// is said to stand behind the last one.
func TestGivenUpWithinText(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	given := 0
	for range 60 {
		m, re := machineOf(t, `(?:(?:a|b)*a(?:a|b){20}c)?$`)
		var text strings.Builder
		for range 1 + r.IntN(40) {
			text.WriteString(strings.Map(func(rune) rune { return rune("aabbb"[r.IntN(5)]) }, strings.Repeat("x", r.IntN(3000))) + "\n")
		}
		f := m.Finder()
		found := foundLines(f, []byte(text.String()))
		require.Subset(t, found, linesOf(re, []byte(text.String())))
		require.Less(t, found[len(found)-1], strings.Count(text.String(), "\n"))
		if f.ends.slow.Load() {
			given++
		}
	}
	require.Positive(t, given)

	m, _ := machineOf(t, `\w+q`)
	f := m.Finder()
	require.Equal(t, -1, f.Line([]byte("a,"), 0)) // it knows where "a" leads, but not what ends there
	f.ends.size, f.ends.read = maxSize+1, 0
	require.Equal(t, -1, f.Line([]byte("a\n"), 0))
	require.True(t, f.ends.slow.Load())
}

// What the package regexp is tested with, the machine finds as well.
func TestMachineOnTheirTests(t *testing.T) {
	root, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	text, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(root)), "src", "regexp", "testdata", "re2-search.txt"))
	if err != nil {
		t.Skip(err)
	}
	var texts []string
	reading, tried := false, 0
	for _, line := range strings.Split(string(text), "\n") {
		switch {
		case line == "strings":
			texts, reading = nil, true
			continue
		case line == "regexps":
			reading = false
			continue
		case !strings.HasPrefix(line, `"`):
			continue
		}
		s, err := strconv.Unquote(line)
		require.NoError(t, err)
		if reading {
			texts = append(texts, s)
			continue
		}
		re, err := regexp.Compile(s)
		if err != nil {
			continue
		}
		m, _ := machineOf(t, s)
		if m == nil {
			continue
		}
		tried++
		f := m.Finder()
		for _, text := range texts {
			if !strings.Contains(text, "\n") {
				holdsAgainst(t, f, re, []byte(text))
			}
		}
		f.Done()
	}
	require.Greater(t, tried, 100)
}

func FuzzMachine(f *testing.F) {
	for _, source := range []string{`\w+@\w+\.\w+`, `^\s*[A-Za-z_]+\s*=\s*\S+$`, `(?i)straße|k`, `(a|ab)(c|bcd)*?`, `\b.\B`, `([a-z]+ ){8}[0-9]+`, `(|a)*b`, `[^\x{FFFD}]`} {
		f.Add(source, "one@depot.example = 192.0.2.1 \u212a\xff\r ab")
	}
	f.Fuzz(func(t *testing.T, source, text string) {
		re, err := regexp.Compile(source)
		if err != nil || strings.Contains(text, "\n") || len(source) > 100 {
			return
		}
		m, _ := machineOf(t, source)
		if finder := m.Finder(); finder != nil {
			if got, sure := finder.All([]byte(text)); sure {
				flat := []int{}
				for _, loc := range re.FindAllStringIndex(text, -1) {
					flat = append(flat, loc...)
				}
				require.Equal(t, flat, append([]int{}, got...))
			}
		}
	})
}
