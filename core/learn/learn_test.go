package learn

import (
	"bytes"
	"flag"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/lines"
	"frizzel/core/script"
)

var (
	corpus = flag.String("corpus", "../../demo/files", "the directory of files to edit")
	rounds = flag.Int("rounds", 2000, "how many random edits are learned")
)

// textsOf returns the texts below a directory.
func textsOf(t *testing.T, dir string) map[string][]byte {
	all := map[string][]byte{}
	_ = filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || filepath.Ext(path) == ".friz" {
			return nil
		}
		text, err := os.ReadFile(path)
		if err == nil && len(text) > 80 && len(text) < 40_000 && invalid(text) < 0 && bytes.Count(text, []byte("\n")) > 3 {
			all[path] = text
		}
		return nil
	})
	require.NotEmpty(t, all)
	return all
}

var wordOf = regexp.MustCompile(`[A-Za-z][A-Za-z0-9_-]{3,}`)

// An act is one thing that a person does to a text. It returns nil if the text has no place for it.
type act struct {
	name string
	do   func(r *rand.Rand, text []byte) []byte
}

func rowsOf(text []byte) (rows []string) {
	return strings.SplitAfter(strings.TrimSuffix(string(text), ""), "\n")
}

func pick[T any](r *rand.Rand, all []T) T { return all[r.IntN(len(all))] }

var acts = []act{
	{"rename", func(r *rand.Rand, text []byte) []byte {
		words := wordOf.FindAllString(string(text), -1)
		if len(words) == 0 {
			return nil
		}
		w := pick(r, words)
		return regexp.MustCompile(`(^|[^\pL\pN_])`+regexp.QuoteMeta(w)+`($|[^\pL\pN_])`).ReplaceAll(
			regexp.MustCompile(`(^|[^\pL\pN_])`+regexp.QuoteMeta(w)+`($|[^\pL\pN_])`).ReplaceAll(text, []byte("${1}yard-9${2}")), []byte("${1}yard-9${2}"))
	}},
	{"swap", func(r *rand.Rand, text []byte) []byte {
		words := wordOf.FindAllString(string(text), -1)
		if len(words) < 2 {
			return nil
		}
		a, b := pick(r, words), pick(r, words)
		if a == b {
			return nil
		}
		return wordOf.ReplaceAllFunc(text, func(w []byte) []byte {
			switch string(w) {
			case a:
				return []byte(b)
			case b:
				return []byte(a)
			}
			return w
		})
	}},
	{"value", func(r *rand.Rand, text []byte) []byte {
		rows := rowsOf(text)
		var at []int
		for i, row := range rows {
			if regexp.MustCompile(`^\s*[A-Za-z_.-]+\s*[=:]\s*[^\s{\["&|>]`).MatchString(row) {
				at = append(at, i)
			}
		}
		if len(at) == 0 {
			return nil
		}
		i := pick(r, at)
		m := regexp.MustCompile(`^(\s*[A-Za-z_.-]+\s*[=:]\s*)([^\r\n]*)`).FindStringSubmatch(rows[i])
		rows[i] = m[1] + fmt.Sprint("new", r.IntN(100)) + rows[i][len(m[0]):]
		return []byte(strings.Join(rows, ""))
	}},
	{"add", func(r *rand.Rand, text []byte) []byte {
		rows := rowsOf(text)
		i := r.IntN(len(rows))
		return []byte(strings.Join(slices.Insert(rows, i, "added = "+fmt.Sprint(r.IntN(9))+ending(text)), ""))
	}},
	{"remove", func(r *rand.Rand, text []byte) []byte {
		rows := rowsOf(text)
		i := r.IntN(len(rows))
		return []byte(strings.Join(slices.Delete(rows, i, min(i+1+r.IntN(3), len(rows))), ""))
	}},
	{"move", func(r *rand.Rand, text []byte) []byte {
		rows := rowsOf(text)
		i := r.IntN(len(rows) - 1)
		row := rows[i]
		if !strings.HasSuffix(row, "\n") {
			return nil
		}
		rows = slices.Delete(rows, i, i+1)
		return []byte(strings.Join(slices.Insert(rows, r.IntN(len(rows)), row), ""))
	}},
	{"comment", func(r *rand.Rand, text []byte) []byte {
		rows := rowsOf(text)
		i := r.IntN(len(rows))
		if strings.TrimSpace(rows[i]) == "" {
			return nil
		}
		rows[i] = "# " + rows[i]
		return []byte(strings.Join(rows, ""))
	}},
	{"spaces", func(r *rand.Rand, text []byte) []byte {
		if r.IntN(2) == 0 {
			return regexp.MustCompile(`[ \t]+(\r?\n)`).ReplaceAll(append(text, "  \n"...), []byte("$1"))
		}
		return regexp.MustCompile(`\n{2,}`).ReplaceAll(text, []byte("\n\n"))
	}},
	{"endings", func(r *rand.Rand, text []byte) []byte {
		if r.IntN(2) == 0 && lines.FirstEnding(text) == "\n" {
			return bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))
		}
		return append(bytes.TrimRight(text, "\r\n"), ending(text)...)
	}},
	{"path", func(r *rand.Rand, text []byte) []byte { // a value between quotes or tags
		at := regexp.MustCompile(`: "([^"\\\n]{3,})"|="([^"\n<&]{3,})"|>([^<>&\n]{3,})</`).FindAllSubmatchIndex(text, -1)
		if len(at) == 0 {
			return nil
		}
		m := pick(r, at)
		for g := 2; g < len(m); g += 2 {
			if m[g] >= 0 {
				return slices.Concat(text[:m[g]], []byte("other value"), text[m[g+1]:])
			}
		}
		return nil
	}},
	{"words", func(r *rand.Rand, text []byte) []byte { // in a line
		rows := rowsOf(text)
		i := r.IntN(len(rows))
		words := wordOf.FindAllStringIndex(rows[i], -1)
		if len(words) == 0 {
			return nil
		}
		w := pick(r, words)
		rows[i] = rows[i][:w[0]] + "other" + rows[i][w[1]:]
		return []byte(strings.Join(rows, ""))
	}},
}

// Whatever a person does to a file, the rules that are learned do it, to the last byte, have no mistakes, and name no line by
// its number if its content tells it.
func TestLearned(t *testing.T) {
	texts := textsOf(t, *corpus)
	var names []string
	for name := range texts {
		names = append(names, name)
	}
	slices.Sort(names)
	hows, refused := map[string][3]int{}, map[string]int{}
	total, renamed := 0, 0
	for round := range *rounds {
		r := rand.New(rand.NewPCG(uint64(round), 32))
		name := pick(r, names)
		old := texts[name]
		fresh, did := old, []string{}
		for range 1 + r.IntN(3) {
			a := pick(r, acts)
			if next := a.do(r, slices.Clone(fresh)); next != nil && !bytes.Equal(next, fresh) {
				fresh, did = next, append(did, a.name)
			}
		}
		if len(did) == 0 {
			continue
		}
		total++
		kind := strings.Join(did, "+")
		if len(did) > 1 {
			kind = "several"
		}
		learned, err := Rules([]Pair{{Name: name, Old: old, New: fresh}})
		if err != nil {
			refused[kind]++
			if !strings.Contains(err.Error(), "this would not be") {
				t.Logf("round %d, %s, %v: %v\n%s", round, name, did, err, shown(old, fresh))
			}
			continue
		}
		text := learned.Script()
		s, problems := script.Parse("learned.friz", text)
		require.Empty(t, problems.Errors(), text)
		p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
		require.Empty(t, problems.Errors(), text)
		edits, ok := run(p, name, old)
		require.True(t, ok)
		require.Equal(t, string(fresh), string(edits.Apply(old)), "round %d, %s: %v\n%s", round, name, did, text)
		if kind == "rename" && strings.Contains(text, "yard-9") && bytes.Count(fresh, []byte("yard-9")) > 1 && learned.Joiners == "" {
			m := regexp.MustCompile(`replace word "([^"]+)" with "yard-9"`).FindStringSubmatch(text)
			if m != nil {
				other := "a " + m[1] + " b\n"
				edits, _ := run(p, "other.txt", []byte(other))
				require.Equal(t, "a yard-9 b\n", string(edits.Apply([]byte(other))), "a word that was renamed is renamed in other files")
				renamed++
			}
		}
		worst := General
		for _, s := range learned.Statements {
			worst = max(worst, s.How)
		}
		count := hows[kind]
		count[worst]++
		hows[kind] = count
		if worst == ByNumber && testing.Verbose() {
			t.Logf("round %d, %s: %v\n%s", round, name, did, text)
		}
	}
	require.Positive(t, renamed)
	t.Logf("of %d edits: general, by lines, by number: %v; refused: %v", total, hows, refused)
}

// One script serves several pairs, to the last byte of each, and leaves a file alone that nobody edited.
func TestSeveralPairs(t *testing.T) {
	texts := textsOf(t, *corpus)
	var names []string
	for name := range texts {
		names = append(names, name)
	}
	slices.Sort(names)
	learned := 0
	for round := range 40 {
		r := rand.New(rand.NewPCG(uint64(round), 33))
		var pairs []Pair
		for i, name := range pick(r, [][]int{{0, 1}, {0, 1, 2}, {0, 1, 2, 3}}) {
			p := Pair{Name: fmt.Sprint(i, "/", filepath.Base(names[(name+round)%len(names)])), Old: texts[names[(name+round)%len(names)]]}
			p.New = bytes.ReplaceAll(p.Old, []byte("depot-3"), []byte("depot-4"))
			if r.IntN(3) == 0 {
				if next := pick(r, acts).do(r, slices.Clone(p.New)); next != nil {
					p.New = next
				}
			}
			if i == 2 {
				p.New = p.Old
			}
			pairs = append(pairs, p)
		}
		rules, err := Rules(pairs)
		if err != nil {
			continue
		}
		s, problems := script.Parse("learned.friz", rules.Script())
		require.Empty(t, problems.Errors(), rules.Script())
		p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
		require.NotNil(t, p, problems.Error())
		for _, pair := range pairs {
			edits, ok := run(p, pair.Name, pair.Old)
			require.True(t, ok)
			require.Equal(t, string(pair.New), string(edits.Apply(pair.Old)), "round %d, %s\n%s", round, pair.Name, rules.Script())
		}
		learned++
	}
	require.Greater(t, learned, 20)
}

// shown returns the differences of two texts for a message.
func shown(old, fresh []byte) string {
	var b strings.Builder
	for _, e := range diff.Compare(old, fresh) {
		fmt.Fprintf(&b, "%q -> %q\n", old[e.Start:e.End], e.New)
	}
	return b.String()
}
