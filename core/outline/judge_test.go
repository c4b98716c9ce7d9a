package outline

import (
	"bytes"
	stdjson "encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// between is the first and the last line of something.
type between struct{ first, last int }

// judged returns the lines of a parser's nodes of several lines, as the tree has them: of those that begin
// on one line the outermost, and one that begins on the line that ends another goes on with that.
func judged(nodes []between) []between {
	slices.SortFunc(nodes, func(a, b between) int { return (a.first-b.first)*1_000_000 + b.last - a.last })
	var out []between
	ends := map[int]int{} // by the line that something ends on: which of out it is part of
	for _, n := range nodes {
		if n.first == n.last {
			continue
		}
		k, goesOn := ends[n.first]
		switch {
		case goesOn:
			out[k].last = max(out[k].last, n.last)
		case len(out) > 0 && out[len(out)-1].first == n.first:
			k = len(out) - 1
		default:
			k = len(out)
			out = append(out, n)
		}
		if _, known := ends[n.last]; !known {
			ends[n.last] = k
		}
	}
	return out
}

// blocks returns the blocks of a tree.
func blocks(t *Text) (out []between) {
	for i := range t.Count() {
		if item := t.Item(i); item.Kind == Block && !item.Unclosed {
			out = append(out, between{i, item.To - 1})
		}
	}
	return out
}

func lineOf(text []byte, at int64) int { return bytes.Count(text[:at], []byte("\n")) }

// jsonNodes returns what encoding/json reads.
func jsonNodes(text []byte) (all []between, err error) {
	d := stdjson.NewDecoder(bytes.NewReader(text))
	var open []int
	for {
		token, err := d.Token()
		if errors.Is(err, io.EOF) {
			return all, nil
		}
		if err != nil {
			return nil, err
		}
		line := lineOf(text, d.InputOffset())
		switch token {
		case stdjson.Delim('{'), stdjson.Delim('['):
			open = append(open, line)
		case stdjson.Delim('}'), stdjson.Delim(']'):
			all = append(all, between{open[len(open)-1], line})
			open = open[:len(open)-1]
		}
	}
}

// xmlNodes returns what encoding/xml reads.
func xmlNodes(text []byte) (all []between, err error) {
	d := xml.NewDecoder(bytes.NewReader(text))
	d.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	var open []int
	for {
		before := d.InputOffset()
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			if len(open) > 0 {
				err = io.ErrUnexpectedEOF
			} else {
				err = nil
			}
			return all, err
		}
		if err != nil {
			return nil, err
		}
		switch token.(type) {
		case xml.StartElement:
			open = append(open, lineOf(text, before))
		case xml.EndElement:
			if len(open) == 0 {
				return nil, io.ErrUnexpectedEOF
			}
			all = append(all, between{open[len(open)-1], lineOf(text, d.InputOffset()-1)})
			open = open[:len(open)-1]
		}
	}
}

// tomlNodes returns the values that a parser of TOML reads.
func tomlNodes(text []byte) (all []between, err error) {
	doc, err := tree.Parse(syntax.TOML, text)
	if err != nil {
		return nil, err
	}
	var walk func(n *tree.Node)
	walk = func(n *tree.Node) {
		if n.End > n.Start && bytes.IndexByte([]byte(`{["'`), text[n.Start]) >= 0 && bytes.IndexByte([]byte(`}]"'`), text[n.End-1]) >= 0 && (n.Kind != tree.Object || text[n.Start] == '{') {
			all = append(all, between{lineOf(text, int64(n.Start)), lineOf(text, int64(n.End))})
		}
		for _, m := range n.Members {
			walk(m)
		}
	}
	for _, root := range doc.Roots {
		walk(root)
	}
	return all, nil
}

// A readable text of random structure.
type scribe struct {
	r *rand.Rand
	b strings.Builder
}

func (s *scribe) pick(of ...string) string { return of[s.r.IntN(len(of))] }

func (s *scribe) json(depth int) {
	space := func() { s.b.WriteString(s.pick("", " ", "\n", "\n  ", "\n\t\n")) }
	switch n := s.r.IntN(3 + depth); {
	case n < 2 || depth == 0:
		s.b.WriteString(s.pick("1", `"x}"`, `"\"{"`, "null", `"[ // no"`))
	default:
		open, close := "[", "]"
		if n%2 == 0 {
			open, close = "{", "}"
		}
		s.b.WriteString(open)
		space()
		for i := range s.r.IntN(4) {
			if i > 0 {
				s.b.WriteString(",")
				space()
			}
			if open == "{" {
				fmt.Fprintf(&s.b, `"%s": `, s.pick("a{", "b]", "c"))
			}
			s.json(depth - 1)
			space()
		}
		s.b.WriteString(close)
	}
}

func (s *scribe) xml(depth int) {
	name := s.pick("source", "a", "b:c", "link")
	fmt.Fprintf(&s.b, "<%s%s", name, s.pick("", "\n  p='>'", ` q="a>"`, ` r="/"`))
	if s.r.IntN(4) == 0 {
		s.b.WriteString(s.pick("/>", "\n/>"))
		return
	}
	s.b.WriteString(">")
	for range s.r.IntN(4) {
		s.b.WriteString(s.pick("", "\n", " { \n", "\n<!-- <a>\n -->", "<![CDATA[ </a>\n]]>", "<?x <a>\n?>", "\n# (\n"))
		if depth > 0 {
			s.xml(depth - 1)
		}
	}
	fmt.Fprintf(&s.b, "%s</%s%s>", s.pick("", "\n"), name, s.pick("", " ", "\n"))
}

func (s *scribe) toml() {
	var value func(depth int)
	value = func(depth int) {
		switch n := s.r.IntN(5); {
		case n == 0 && depth > 0:
			s.b.WriteString("[" + s.pick("", "\n", " # ]\n"))
			for range s.r.IntN(3) {
				value(depth - 1)
				s.b.WriteString("," + s.pick("", "\n", " # '\n", "\n\n"))
			}
			s.b.WriteString("]")
		case n == 1 && depth > 0:
			s.b.WriteString("{x = ")
			value(depth - 1)
			s.b.WriteString("}")
		default:
			s.b.WriteString(s.pick("1", `"a#]"`, `'C:\'`, "\"\"\"\n[x]\n\\\"\"\"\"", "'''a\n\"\"\"'''", `"\\"`, "true"))
		}
	}
	for i := range s.r.IntN(6) {
		if s.r.IntN(3) == 0 {
			fmt.Fprintf(&s.b, s.pick("[t%d]\n", "[[t%d]] # x\n", "\n# c\n[t%d]\n"), i)
		}
		fmt.Fprintf(&s.b, "k%d = ", i)
		value(2)
		s.b.WriteString(s.pick("\n", " # [\n", "\n\n"))
	}
}

var judges = map[syntax.Syntax]func([]byte) ([]between, error){syntax.JSON: jsonNodes, syntax.XML: xmlNodes, syntax.TOML: tomlNodes}

// The blocks of a text are what real parsers read, of random texts.
func TestBlocksAreAParsersNodes(t *testing.T) {
	for seed := range uint64(1500) {
		for s, judge := range judges {
			w := &scribe{r: rand.New(rand.NewPCG(seed, uint64(s)))}
			switch s {
			case syntax.JSON:
				w.json(4)
			case syntax.XML:
				w.xml(3)
			default:
				w.toml()
			}
			text := []byte(w.b.String())
			want, err := judge(text)
			if s == syntax.TOML && err != nil {
				continue
			}
			require.NoError(t, err, "%s", text)
			require.Equal(t, judged(want), blocks(New(text, s)), "%s, seed %d:\n%s", s, seed, text)
		}
	}
}

// sound checks that the items of a text are each in one parent, in order, and apart.
func sound(t *testing.T, name string, text []byte, s syntax.Syntax) {
	tx := New(text, s)
	for i := range tx.Count() {
		item := tx.Item(i)
		if item.To <= i || item.To > tx.Count() || item.Parent >= i {
			require.Fail(t, "no item", "%s: line %d: %+v", name, i+1, item)
		}
		if up := item.Parent; up >= 0 {
			outer := tx.Item(up)
			if outer.To < item.To || outer.Kind != Block && outer.Kind != Section || outer.Unclosed {
				require.Fail(t, "not within", "%s: line %d: %+v in %+v", name, i+1, item, outer)
			}
		}
		inside := item.Parent // what is right above is in the same parent, or its last line, or within that
		if i > 0 && inside != i-1 {
			up := i - 1
			for up >= 0 && up != inside {
				if end := tx.Item(up).To; up != i-1 && end > i {
					require.Fail(t, "overlap", "%s: line %d lies in the item of line %d, and is not part of it", name, i+1, up+1)
				}
				up = tx.Item(up).Parent
			}
			require.Equal(t, inside, up, "%s: line %d", name, i+1)
		}
	}
}

// Any text is read, in each dialect, into items that lie within each other: random ones, and real ones.
func TestTreesAreSound(t *testing.T) {
	all := []syntax.Syntax{
		syntax.None, syntax.JSON, syntax.YAML, syntax.TOML, syntax.XML, syntax.HTML, syntax.CSS, syntax.StyleSheet, syntax.Markdown, syntax.ReST, syntax.AsciiDoc,
	}
	pieces := []string{
		"{", "}", "[", "]", "(", ")", "a", "a:", "- ", "  ", "\t", "\n", "\n", "\n", "\r\n", "#", " # ", ";", "//", "/*", "*/", "<!--", "-->", "<a>", "</a>", "<b x='",
		"/>", "'", "\"", "\"\"\"", "`", "\\", "[x]", "[[x]]", "```", "----", "====", "~~~~", "= T", "# T", "|", ">", "&x ", ",", "=", "<![CDATA[", "]]>", "<?", "<!d [", "é", "\xff",
	}
	for seed := range uint64(20_000) {
		r := rand.New(rand.NewPCG(seed, 3))
		var b strings.Builder
		for range r.IntN(40) {
			b.WriteString(pieces[r.IntN(len(pieces))])
		}
		sound(t, fmt.Sprintf("seed %d: %q", seed, b.String()), []byte(b.String()), all[r.IntN(len(all))])
	}
	trees := filepath.SplitList(os.Getenv("FRIZZEL_TREES"))
	if len(trees) == 0 {
		out, err := exec.Command("go", "env", "GOROOT").Output()
		require.NoError(t, err)
		root := strings.TrimSpace(string(out))
		trees = []string{filepath.Join(root, "src", "cmd", "go"), filepath.Join(root, "misc"), filepath.Join(root, "lib")}
	}
	tally := map[string]int{}
	for _, root := range trees {
		_ = filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
			if err != nil || !e.Type().IsRegular() {
				return nil
			}
			text, err := os.ReadFile(path)
			if err != nil || len(text) > 8<<20 || bytes.IndexByte(text, 0) >= 0 {
				return nil
			}
			s := syntax.Of(path)
			sound(t, path, text, s)
			tally["read"]++
			judge := judges[s]
			if judge == nil || !judgeable(text) {
				return nil
			}
			if want, err := judge(text); err == nil {
				tally["judged"]++
				if got := blocks(New(text, s)); !slices.Equal(judged(want), got) {
					tally["differ"]++
					t.Errorf("%s: the parser reads %v, the tree has %v", path, some(judged(want), got), some(got, judged(want)))
				}
			}
			return nil
		})
	}
	t.Log(tally)
	require.NotZero(t, tally["read"])
}

// judgeable leaves out texts whose values stand on the lines below their keys, which are blocks of the keys.
func judgeable(text []byte) bool { return !bytes.Contains(text, []byte(":\n")) }

// some returns the first of those that are not among others.
func some(of, others []between) (out []between) {
	for _, b := range of {
		if !slices.Contains(others, b) && len(out) < 3 {
			out = append(out, b)
		}
	}
	return out
}
