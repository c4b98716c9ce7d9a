package program_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/program"
	"frizzel/core/script"
)

// journal is a made-up log of the railway, about n bytes.
func journal(n int) []byte {
	var b strings.Builder
	for i := 0; b.Len() < n; i++ {
		fmt.Fprintf(&b, "2026-03-%02d 06:%02d signal-box-%d: train FLR-%d passed, host board-%d.fernhollow.example answered in %d ms\n",
			i%28+1, i%60, i%40, i%400, i%20000, i%90)
	}
	return []byte(b.String())
}

func runOver(b *testing.B, source string, o compile.Options, text []byte) {
	s, problems := script.Parse("bench.friz", source)
	require.Empty(b, problems)
	p, problems := compile.Scripts([]*script.Script{s}, o)
	require.NotNil(b, p, problems.Error())
	b.SetBytes(int64(len(text)))
	b.ResetTimer()
	for b.Loop() {
		p.Run(program.Input{Text: text})
	}
}

// A table of 10,000 words costs at most 3 times one word over the same text.
func BenchmarkOneWord(b *testing.B) {
	runOver(b, `replace word "board-7" with "board-70000"`, compile.Options{}, journal(4<<20))
}

func BenchmarkTableOf10000Words(b *testing.B) {
	var rows strings.Builder
	for i := range 10000 {
		fmt.Fprintf(&rows, "kiosk-%d,kiosk-%d\n", i, 70000+i)
	}
	load := func(string) ([]byte, error) { return []byte(rows.String()), nil }
	runOver(b, `replace each word from table "hosts.csv"`, compile.Options{Load: load}, journal(4<<20))
}

// Words of which each line holds one, so that what is found counts as well.
func BenchmarkOneWordEachLine(b *testing.B) {
	runOver(b, `replace word "fernhollow" with "millbrook"`, compile.Options{}, journal(4<<20))
}

func BenchmarkTableOf10000WordsEachLine(b *testing.B) {
	var rows strings.Builder
	for i := range 10000 {
		fmt.Fprintf(&rows, "board-%d,board-%d\n", 2*i, 70000+i)
	}
	load := func(string) ([]byte, error) { return []byte(rows.String()), nil }
	runOver(b, `replace each word from table "hosts.csv"`, compile.Options{Load: load}, journal(4<<20))
}

func BenchmarkRegexWithLiteral(b *testing.B) {
	runOver(b, `replace regex 'kiosk-(\d+)' with "kiosk {=1}"`, compile.Options{}, journal(4<<20))
}

func BenchmarkRegexWithoutLiteral(b *testing.B) {
	runOver(b, `replace regex '[xyz]\d+' with "x"`, compile.Options{}, journal(1<<20))
}

func BenchmarkIgnoringCase(b *testing.B) {
	runOver(b, `replace word "KIOSK" with "kiosk" ignoring case`, compile.Options{}, journal(4<<20))
}

func BenchmarkAbsentRules2000(b *testing.B) {
	var source strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&source, "replace word \"kiosk-%d\" with \"kiosk-x\"\n", i)
	}
	runOver(b, source.String(), compile.Options{}, journal(64<<10))
}

// Checking a script of 2,000 rules stays under 100 ms.
func BenchmarkCheck2000Rules(b *testing.B) {
	var source strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&source, "rule r%d {\n    in section \"clock\" {\n        replace regex 'depot-%d(\\d)' with \"depot-{=1}\" keeping case\n    }\n}\n", i, i)
	}
	for b.Loop() {
		s, problems := script.Parse("bench.friz", source.String())
		require.Empty(b, problems)
		p, _ := compile.Scripts([]*script.Script{s}, compile.Options{})
		require.NotNil(b, p)
	}
}

// However many spans an address selects, and however they lie, what acts there takes time
// in proportion to the text.
func TestManySpans(t *testing.T) {
	const n = 60_000
	flat := "{\n" + strings.Repeat("a {\n  b = 1\n}\n", n) + "}\n"
	var indented strings.Builder
	for i := range n {
		fmt.Fprintf(&indented, "%sa:\n", strings.Repeat(" ", i%40))
	}
	begun := time.Now()
	for _, source := range []string{
		"in block with text \"{\" directly { on lines with text \"b\" insert below \"c\" unless present }",
		"in block with text \"a\" directly { in block with text \"a\" replace text \"b\" with \"c\" }",
		"in block with text \"{\" directly { outside lines with text \"b\" comment out with \"#\"; in paragraph with text \"a\" trim line ends }",
		"on lines with text \"b\" { outside block with text \"z\" insert below \"x\" unless present }",
		"on lines with text \"a\" and 1 below { in block with text \"a\" settle text \"d\" as \"d\" }",
		"on lines with text \"a\" { move below last line; replace text \"a\" with \"b\" }",
		"outside block with text \"a\" { on first line rewrite as \"x\" }",
	} {
		p := compileText(t, source)
		for _, text := range []string{flat, indented.String(), strings.Repeat("a {\n", n)} {
			p.Run(program.Input{Text: []byte(text)})
		}
		t.Log(time.Since(begun), source)
	}
	require.Less(t, time.Since(begun), time.Minute)
}
