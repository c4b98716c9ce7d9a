package program_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/program"
	"frizzel/core/script"
)

// compileText compiles a script that must be right.
func compileText(t testing.TB, text string) *program.Program {
	t.Helper()
	s, problems := script.Parse("test.friz", text)
	require.Empty(t, problems, "%v\n%s", problems, text)
	p, problems := compile.Scripts([]*script.Script{s}, compile.Options{Now: time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)})
	require.NotNil(t, p, "%v\n%s", problems, text)
	return p
}

// generator writes statements and texts of a small world, in which much matches.
type generator struct {
	*rand.Rand
	direct bool // statements are under `directly`
	block  bool // statements are in a block
}

func (g generator) one(of ...string) string { return of[g.IntN(len(of))] }

func (g generator) pattern() string {
	p := g.one(`text "de"`, `word "depot-3"`, `word "ab"`, `text "b"`, `regex 'a+'`, `regex '^\s*#'`, `regex '[a-c]b?'`,
		`regex 'de|depot' whole`, `text "=" `, `regex '^$'`, `regex '\d'`, `word "é"`, `text "{"`)
	if g.IntN(5) == 0 {
		p += g.one(` preceded by text " "`, ` not preceded by text "a"`, ` followed by text "b"`, ` not followed by text "-"`)
	}
	if g.IntN(5) == 0 {
		p += " ignoring case"
	}
	return p
}

// settle writes a settle whose line its pattern finds, at least with some indentation.
func (g generator) settle() string {
	return "settle " + g.one(`text "ab"`, `regex '^ab'`, `regex '^\s*ab\b'`, `text "="`, `regex 'a+'`, `word "ab"`, `regex '^\s+ab'`, `regex 'b|$'`, `text "b" not followed by text "-"`, `word "AB" ignoring case`) +
		` as ` + g.one(`"ab = 1"`, `"ab = 1"`, `"  ab = 1"`, `"ab = 1 # c"`) + g.one("", ` commented by "#"`) + g.one("", ` keeping comment`)
}

// settleLines writes a settle with several lines, or with a place for them.
func (g generator) settleLines() string {
	return "settle " + g.one(`regex '^\s*ab\b'`, `regex 'a+'`, `word "ab"`, `text "="`) + " as" + g.one("\n| ab = 1\n| ab = 2\n", "\n| ab = b\n|   ab =\n", ` "ab = 1" `) +
		g.one("", ` commented by "#"`) + g.one("", "", " added at top", " added below "+g.pattern(), " added above "+g.pattern())
}

func (g generator) sort() string {
	return "sort lines" + g.one("", "", " by number", ` by regex '[b-z].*'`, ` by regex '\d.*' by number`) + g.one("", " descending") + g.one("", " ignoring case")
}

func (g generator) mark() string {
	if g.IntN(5) == 0 {
		return "last line"
	}
	return g.pattern()
}

func (g generator) address() string {
	a := g.one(
		fmt.Sprintf("line %d", 1+g.IntN(8)), fmt.Sprintf("lines %d to %d", 1+g.IntN(3), 3+g.IntN(4)), "lines 3 to last",
		g.one("first", "last")+" line with "+g.pattern(), g.one("first", "last")+" 2 lines with "+g.pattern(),
		g.one("2 lines", "1 line")+g.one(" above ", " below ")+g.pattern(),
		"first line", "last line", "first 2 lines", "last 3 lines",
		"lines with "+g.pattern(), "lines without "+g.pattern(), "lines with "+g.pattern()+" and 1 above and 2 below",
		"lines with "+g.pattern()+" and 1 below", "paragraph with "+g.pattern(),
		"lines from "+g.pattern()+" to "+g.mark(), "lines from "+g.pattern()+" until "+g.mark(),
		"lines between "+g.pattern()+" and "+g.mark(),
	)
	if strings.Contains(a, "paragraph") || strings.Contains(a, "lines from") {
		if g.IntN(3) == 0 {
			a += g.one(" having ", " lacking ") + g.pattern()
		}
	}
	return g.one("on ", "on ", "outside ") + a
}

func (g generator) statement(addressed, last bool) string {
	all := []string{
		"replace " + g.pattern() + ` with "` + g.one("x", "depot-3", "", "~{=0}~", "{=count}", "{=line} b") + `"` + g.one("", "", " first", " last", " occurrence 2", " occurrences 2 to 3", " first in file", " last in file", " occurrences 2 to last in file"),
		`replace word "depot-3" with "ab" keeping case`,
		"remove " + g.pattern(),
		"insert " + g.one("above", "below", "below") + g.one(` "ab"`, ` "x {"`, "\n| ab\n|\n") + g.one("", " unless present"),
		`comment out with "# "`, `uncomment "#"`, "squeeze blank lines", "trim line ends",
	}
	if !g.direct {
		all = append(all, g.settle(), g.settle(), g.sort(), "drop repeated lines")
		if !g.block {
			all = append(all, g.settleLines())
		}
	}
	if !g.direct && addressed {
		all = append(all, "rewrite as "+g.one(`"new"`, "\n| one\n|   two\n", "\n| one\n|\n"))
	}
	if last {
		all = append(all, "squeeze blank lines to 0")
	}
	if !addressed {
		all = append(all, `insert at top "ab" unless present`, `insert at end "new"`, "use line endings lf", "use line endings crlf", "use final line ending")
	} else {
		if !g.direct {
			all = append(all, g.one("copy", "move")+g.one(" above", " below")+
				g.one(" first line", " last line", " line 3", " first line with "+g.pattern(), " last line with "+g.pattern()))
		}
		if last {
			all = append(all, "delete", "delete")
		}
	}
	return g.one(all...)
}

// under writes statements under an address. The model has no spans without lines,
// which only `between` selects, so there it gets statements that do nothing to them.
func (g generator) under() string {
	a := g.address()
	if strings.Contains(a, "between") {
		return a + " {\nremove " + g.pattern() + "\ntrim line ends\n" + g.one("delete", `comment out with "# "`) + "\n}"
	}
	switch g.IntN(3) {
	case 0:
		return a + " " + g.statement(true, true)
	case 1:
		return fmt.Sprintf("%s {\n%s\n%s\n}", a, g.statement(true, false), g.statement(true, true))
	}
	return fmt.Sprintf("%s {\n%s\n}", a, g.under())
}

func (g generator) script() string {
	var b strings.Builder
	for range 1 + g.IntN(2) {
		if g.IntN(4) == 0 {
			b.WriteString(g.statement(false, true) + "\n")
		} else {
			b.WriteString(g.under() + "\n")
		}
	}
	return b.String()
}

func (g generator) text() string {
	var b strings.Builder
	for range g.IntN(9) {
		b.WriteString(g.one("", "", "  ", "\t"))
		for range g.IntN(4) {
			b.WriteString(g.one("depot-3", "Depot-3", "DEPOT-3", "ab", "b", "#", "# ", " ", "=", "{", "}", "é", "a-b", "7", "aab "))
		}
		b.WriteString(g.one("\n", "\n", "\r\n"))
	}
	return b.String() + g.lastLine()
}

// lastLine is one that has no ending, and that no statement leaves empty, as which it would
// be no line.
func (g generator) lastLine() string {
	return g.one("", "", "depot-3 zz", "ab zz", "  zz {", "zz = # ab")
}

// parts writes a text of sections and blocks, and parts' addresses.
func (g *generator) parts() (text, address string) {
	var b strings.Builder
	for range g.IntN(12) {
		b.WriteString(g.one("[clock]", "[log]", "depot-3 {", "  listen {", "}", "  }", "} ab {", "", "  ab", "    b = 1", "ab", "{", "<a>", "</a>", "  <a>depot-3</a>", "<a><a>", "  # ab", "\tab {", "    }", "ab { } b # {"))
		b.WriteString(g.one("\n", "\n", "\r\n"))
	}
	address = g.one("in ", "in ", "outside ") + g.one(`section "clock"`, `block with word "depot-3"`, `block with text "ab"`, `block with text "<"`, `block with text "listen"`)
	if g.IntN(3) == 0 {
		address += g.one(" having ", " lacking ") + g.pattern()
	}
	g.block = strings.HasPrefix(address, "in block")
	if strings.Contains(address, "block") && g.IntN(2) == 0 {
		address += " directly"
		g.direct = true
	}
	if g.IntN(3) == 0 {
		address = g.address() + " " + address
	}
	b.WriteString(g.lastLine())
	return b.String(), address
}

// Every address and statement does what the model does.
func TestEngineIsTheModel(t *testing.T) {
	for seed := range seeds(20000) {
		g := generator{Rand: rand.New(rand.NewPCG(seed, 3))}
		source, text := g.script(), ""
		if seed%4 == 0 {
			text, source = g.parts()
			source += " {\n" + g.statement(true, false) + "\n" + g.one("", "on lines with "+g.pattern()+" ") + g.statement(true, true) + "\n}"
		}
		if strings.Contains(source, "between") && seed%4 == 0 {
			continue // the model has no spans without lines
		}
		s, _ := script.Parse("test.friz", "joiners \"-\"\n"+source)
		p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
		if p == nil { // the one thing that the generator does not see to
			require.Contains(t, problems.Errors().Error(), "its own pattern does not match")
			continue
		}
		for range 3 {
			if seed%4 != 0 {
				text = g.text()
			}
			m := newModel(text, "-")
			m.run(s.Items)
			res := p.Run(program.Input{Text: []byte(text), File: program.File{Path: "f.txt"}})
			got := string(res.Edits.Apply([]byte(text)))
			require.Equal(t, m.failed, len(res.Failures) > 0, "seed %d\n%s\non %q", seed, source, text)
			if m.failed || m.emptied {
				continue
			}
			require.Equal(t, m.String(), got, "seed %d\n%s\non %q", seed, source, text)
			windowed(t, g, p, text, res, source)
			if p.LineByLine(program.File{}) {
				streamed := piecewise(g, p, text)
				if strings.Contains(source, "delete") && !m.ended {
					// A line that is emptied after it became the last one is gone without its
					// ending; a stream has passed that on.
					got, streamed = strings.TrimRight(got, "\r\n"), strings.TrimRight(streamed, "\r\n")
				}
				require.Equal(t, got, streamed, "seed %d, as a stream\n%s\non %q", seed, source, text)
			}
		}
	}
}

// touching joins edits that touch: a window sees those on both sides of its beginning apart.
func touching(all edit.List) (out edit.List) {
	for _, e := range all {
		if n := len(out); n > 0 && out[n-1].End == e.Start {
			out[n-1].End, out[n-1].New = e.End, append(out[n-1].New[:len(out[n-1].New):len(out[n-1].New)], e.New...)
			continue
		}
		out = append(out, edit.Edit{Start: e.Start, End: e.End, New: append([]byte{}, e.New...)})
	}
	return out
}

// windowed holds what a program makes of a text window by window, wherever those end, against
// what it makes of the whole.
func windowed(t *testing.T, g generator, p *program.Program, text string, whole *program.Result, source string) {
	file := program.File{Path: "f.txt"}
	how := p.Windowing(file, nil)
	if how.Order == program.NoWindows || text == "" {
		return
	}
	ways[how]++
	made := p.NewResult()
	var edits edit.List
	var cuts []int
	w := program.Window{Ending: lines.FirstEnding([]byte(text))}
	for at, end := 0, 0; at < len(text); at = end {
		for end = at; end < len(text); {
			end = lines.Next([]byte(text), end, len(text))
			if w.More = end < len(text); w.More && g.IntN(3) > 0 {
				continue
			}
			in := program.Input{File: file, Window: &w, Text: []byte(text[at:end])}
			if how.Order == program.InOrder {
				in.Before = made.Counters
			}
			res := p.Run(in)
			if n := res.Whole(in.Text); n == 0 && w.More {
				continue
			} else if n < len(in.Text) {
				in.Text, end = in.Text[:n], at+n
				res = p.Run(in)
			}
			if !w.More && how.Takes && lines.Ending(in.Text) == "" && len(res.Edits.Apply(in.Text)) == 0 {
				return // the line before loses its ending
			}
			for _, e := range res.Edits {
				e.Start, e.End = e.Start+at, e.End+at
				edits = append(edits, e)
			}
			made.Add(res, 0)
			cuts = append(cuts, end)
			if how.Order == program.InOrder {
				w.Lines, w.Bytes = w.Lines+lines.Count(in.Text), end
			}
			break
		}
	}
	say := fmt.Sprintf("%s\non %q, in windows that end at %v", source, text, cuts)
	require.Equal(t, string(whole.Edits.Apply([]byte(text))), string(edits.Apply([]byte(text))), say)
	require.Equal(t, touching(whole.Edits), touching(edits), say)
	require.Equal(t, whole.Changes, made.Changes, say)
	tally, inWindows := p.NewTally(), p.NewTally()
	tally.Add("f.txt", whole)
	inWindows.Add("f.txt", made)
	require.ElementsMatch(t, tally.Unmet(), inWindows.Unmet(), say)
	require.Equal(t, tally.Idle(), inWindows.Idle(), say)
	require.Equal(t, len(whole.Notes), len(made.Notes), say)
}

// Paragraphs, ranges and neighbours that go on behind a window are what they are in the whole text.
func TestWhatGoesOnOverWindows(t *testing.T) {
	clear(ways)
	for seed := range seeds(6000) {
		g := generator{Rand: rand.New(rand.NewPCG(seed, 47))}
		var b strings.Builder
		for range g.IntN(40) {
			b.WriteString(g.one("", "", "  ", "\t", "    "))
			b.WriteString(g.one("[a]", "ab {", "}", "<a>", "</a>", "# ab", "", "", "", "ab", "b", "a", "{"))
			b.WriteString("\n")
		}
		address := func() string {
			a := g.one(`in paragraph with text "{"`, `in paragraph with text "a"`, `on lines from text "{" to text "}"`, `on lines from text "<a" until text "<"`, `on lines between text "[" and text "b"`)
			return a + g.one(" ", " ", ` having text "b" `, ` lacking text "<" `)
		}
		direct := address()
		source := direct + g.one("", address(), address()) + "{\nreplace text \"b\" with \"" + g.one("{=count}", "}", "", "(") + "\"\n" +
			g.one("comment out with \"#\"", "delete", "replace text \"a\" with \"/* {\"", "insert below \"}\"") + "\n}\n"
		source += g.one("", address()+"replace text \"<\" with \"[\"", address()+"forbid text \"a\"")
		s, problems := script.Parse("test.friz", source)
		require.Empty(t, problems, source)
		p, problems := compile.Scripts([]*script.Script{s}, compile.Options{Lenient: true})
		require.NotNil(t, p, "%v\n%s", problems, source)
		text := b.String()
		windowed(t, g, p, text, p.Run(program.Input{Text: []byte(text), File: program.File{Path: "f.txt"}}), source)
	}
	require.Greater(t, ways[program.Windowing{Order: program.InOrder, Parts: true}], 1000, "%v", ways)
}

// ways counts the ways in which programs were run over windows.
var ways = map[program.Windowing]int{}

// piecewise runs a program over a text that comes in pieces of whole lines.
func piecewise(g generator, p *program.Program, text string) string {
	s := p.Stream(program.File{Path: "f.txt"})
	var out, piece strings.Builder
	flush := func() {
		if lines := []byte(piece.String()); len(lines) > 0 {
			out.Write(s.Out(s.Lines(lines).Edits.Apply(lines)))
			piece.Reset()
		}
	}
	for _, line := range strings.SplitAfter(text, "\n") {
		piece.WriteString(line)
		if g.IntN(2) == 0 {
			flush()
		}
	}
	flush()
	return out.String() + string(s.End())
}

// A last line without an ending is a line like any other: what is matched at its end is
// on it, and what is put behind it begins a line.
func TestLastLineWithoutEnding(t *testing.T) {
	for _, c := range []struct{ rules, text, want string }{
		{`settle regex 'a*' as "x"`, "b", "x"},
		{`settle regex '\b' as "x"`, "a\nb", "x"},
		{`settle regex 'b|$' as "x"`, "a\r\nb", "x"},
		{`replace regex 'x*' with "-" last`, "ab", "ab-"},
		{`replace regex 'x*' with "-" first`, "ab", "-ab"},
		{`replace regex '$' with "-" occurrence 1`, "a\nb", "a-\nb-"},
		{"in section \"x\" {\n insert below \"A\"\n settle text \"c\" as \"c\"\n}", "[x]", "[x]\nc\nA"},
		{"on line 1 {\n copy below last line\n replace text \"s\" with \"t\"\n}", "s", "t\ns"},
		{"on last line {\n insert below \"X\"\n delete\n}", "a\r\nb", "a\r\nX"},
		{"in section \"c\" {\n insert below \"#end\"\n settle regex '^a=' as \"a=1\"\n}", "[c]\nb=2", "[c]\nb=2\na=1\n#end"},
	} {
		p := compileText(t, c.rules+"\n")
		got := p.Run(program.Input{Text: []byte(c.text)}).Edits.Apply([]byte(c.text))
		require.Equal(t, c.want, string(got), "%s on %q", c.rules, c.text)
	}
}

// seeds returns how many random cases are tried: n, or that many times n if FRIZZEL_SEEDS says so.
func seeds(n int) uint64 {
	if times, err := strconv.Atoi(os.Getenv("FRIZZEL_SEEDS")); err == nil {
		n *= times
	}
	return uint64(n)
}

// Several rules at once do what each of them does by itself, one after the other: a text that rules out all of them at the
// start may be written by one of them, or be the meaning of a value that is written otherwise.
func TestRulesTogether(t *testing.T) {
	g := generator{Rand: rand.New(rand.NewPCG(5, seeds(300)))}
	words := []string{"depot", "depot-3", "pot-30", "kiosk", "gate", "yard"}
	for range seeds(300) {
		rules := make([]string, 3+g.IntN(4))
		for i := range rules {
			rules[i] = fmt.Sprintf("replace %s %q with %q", g.one("text", "word"), g.one(words...), g.one(words...))
			switch g.IntN(5) {
			case 0:
				rules[i] = fmt.Sprintf("replace regex 'si\\w+' with %q", g.one(words...))
			case 1:
				rules[i] = "at '$..*' { " + rules[i] + " }"
			}
		}
		text := `{"a": "` + g.one("signal box", "si", "depo\\u0074 3", "yard", "the depot-30") + `", "b": "` + g.one("x", "kiosk", "po\\u0074-30") + "\"}\n"
		run := func(text, source string) (string, int) {
			made := compileText(t, source).Run(program.Input{Text: []byte(text), File: program.File{Path: "a.json", Rel: "a.json"}})
			found := 0
			for _, n := range made.Found {
				found += n
			}
			return string(made.Edits.Apply([]byte(text))), found
		}
		all := strings.Join(rules, "\n")
		together, found := run(text, all)
		now, sum := text, 0
		for _, r := range rules {
			var n int
			now, n = run(now, r)
			sum += n
		}
		require.Equal(t, now, together, "%s\n%s", text, all)
		require.Equal(t, sum, found, "%s\n%s", text, all)
	}
}
