package tree

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// layouts are more texts whose members come and go.
var layouts = map[syntax.Syntax][]string{
	syntax.JSON: {"{\n\t\"a\": 1,\n\t\"b\": [\n\t\t\"x\",\n\t\t\"y\"\n\t],\n\t\"c\": {}\n}\n", `{"a":1,"b":2,"c":[1,2,3]}`, "[\n  {\"n\": \"x\"}, // first\n  {\"n\": \"y\"} // last\n]\n", "{\n  // only a comment\n}\n"},
	syntax.YAML: {"boards:\n  - name: p1\n    host: depot-3\n  # about p2\n  - name: p2\n    host: depot-4 # here\nlist:\n- a\n- b\nempty:\nmap: {}\nflow: {a: 1, b: 2}\nseq: [x, y, ]\n",
		"a:\n  b:\n    c: 1\n\n    # end\n  d: |\n    text\n\ne: f", "- - a\n  - b\n- c: d\n", "x:\n    - 1\n    - 2\n"},
	syntax.TOML: {"# top\na = 1 # one\nb = \"x\"\n\n# about t\n[t]\nc = 1\n  [t.u]\n  d = [\n    1, # x\n    2,\n  ]\n\n[v]\n[[l]]\nn = 'x'\n[[l]]\nn = 'y'\n[w]\nq.r = 1\nq.s = { z = 1, y = 2 }\n", "[only]\n", "[a.b]\nc = 1\n"},
	syntax.XML:  {"<a>\n  <b n=\"1\" m='2'>x</b>\n  <!-- about c -->\n  <c/>\n  <d></d>\n</a>\n", "<a><b/><c>t</c></a>", "<r x=\"1\"\n   y=\"2\"/>"},
	syntax.CSV:  {"name,home,note\noak,depot-3,x\nash,depot-4\n", "a;b\n1;2\n3;4"},
}

// odd are texts with expressions of templates, comments in flow style, pairs, and names without values.
var odd = map[syntax.Syntax][]string{
	syntax.JSON: {"{\n  \"a\": {{ x }},\n  {% if y %}\n  \"b\": \"c {{ z }}\",\n  {% endif %}\n  \"d\": [1, 2]\n}\n"},
	syntax.YAML: {"{{- if .x }}\nkind: {{ .y }}\nspec:\n  {{- with .z }}\n  a: 1\n  {{- end }}\n  list:\n    - name: {{ .n }}-b\n      text: |\n        {{ .t }}\n        u\n    - {c: d}\n{{- end }}\n",
		"a: {x: 1, # one\n  y: [p: q, r], # two\n  z}\nb: [\n  1, # first\n  2 # last\n]\nset: {m, n}\n? k\n: v\n? w\n"},
	syntax.TOML: {"a = {{ x }}\n{% if y %}\nb = \"c {{ z }}\"\n{% endif %}\n[[t]]\nn = 1 # one\n\n# two\n[[t]]\nn = 2\n[t.u]\nv = [ 1, # a\n  2 ]\n"},
	syntax.XML:  {"<a {{ x }}>\n  {% if y < z %}\n  <b id=\"{{ i }}\">c {{ d }}</b>\n  {% endif %}\n  <!-- e -->\n  <e/>\n</a>\n"},
}

func every(n *Node, found []*Node) []*Node {
	found = append(found, n)
	for _, m := range n.Members {
		found = every(m, found)
	}
	return found
}

// tally counts what was tried, and what of it was refused: at once, or when it was proven.
type tally struct{ tried, refused, wrong map[syntax.Syntax]int }

func newTally() *tally {
	return &tally{map[syntax.Syntax]int{}, map[syntax.Syntax]int{}, map[syntax.Syntax]int{}}
}

// prove holds what edits make of a document against the changes, and returns it, nil if it is
// refused.
func (y *tally) prove(t *testing.T, d *Document, what string, edits edit.List, changes Changes, err error) *Document {
	y.tried[d.Syntax]++
	if err != nil {
		y.refused[d.Syntax]++
		return nil
	}
	require.True(t, edits.Fits(len(d.Text)), what)
	fresh := edits.Apply(d.Text)
	made, _, err := d.Prove(fresh, changes)
	if err != nil {
		y.wrong[d.Syntax]++
		if testing.Verbose() {
			t.Logf("%v %s: %v\n%s\n=>\n%s", d.Syntax, what, err, d.Text, fresh)
		}
		return nil
	}
	if ordered := d.Syntax != syntax.TOML || !strings.HasPrefix(what, "move"); len(edits) > 0 && ordered { // of tables it counts nothing
		_, _, err = d.Prove(fresh, nil)
		require.Error(t, err, "%v %s: nothing was to change\n%s\n=>\n%s", d.Syntax, what, d.Text, fresh)
	}
	return made
}

// end holds the refusals of what was proven against what is expected: names that prefixes and
// aliases refer to, and no more than one in twenty.
func (y *tally) end(t *testing.T) {
	for s, n := range y.tried {
		t.Logf("%v: of %d, %d refused at once and %d when proven", s, n, y.refused[s], y.wrong[s])
		require.LessOrEqual(t, y.wrong[s]*100, 7*n, "%v", s)
	}
}

func documents(t *testing.T, each func(d *Document)) {
	for _, of := range []map[syntax.Syntax][]string{samples, layouts, odd} {
		for syntax, texts := range of {
			for _, text := range texts {
				for _, text := range []string{text, strings.ReplaceAll(strings.ReplaceAll(text, "\r", ""), "\n", "\r\n")} {
					d, err := Parse(syntax, []byte(text))
					require.NoError(t, err, text)
					each(d)
				}
			}
		}
	}
}

// Members that are taken away are gone, and nothing else.
func TestDelete(t *testing.T) {
	y := newTally()
	documents(t, func(d *Document) {
		for _, root := range d.Roots {
			for _, p := range every(root, nil) {
				for mask := 1; mask < 1<<min(len(p.Members), 5); mask++ {
					var some []*Node
					for i, m := range p.Members {
						if mask>>i&1 == 1 && m.Kind != Characters && m.Kind != Instruction {
							some = append(some, m)
						}
					}
					if len(some) > 0 {
						edits, changes, err := d.Delete(some)
						y.prove(t, d, fmt.Sprint("delete ", d.Path(some[0]), len(some)), edits, changes, err)
					}
				}
			}
		}
	})
	y.end(t)
}

// Members that move are where they were to go, with their comments, and nothing else changes.
func TestMove(t *testing.T) {
	y := newTally()
	documents(t, func(d *Document) {
		for _, root := range d.Roots {
			for _, p := range every(root, nil) {
				r := rand.New(rand.NewPCG(uint64(p.Start), 5))
				for range min(2*len(p.Members), 8) {
					n := p.Members[r.IntN(len(p.Members))]
					place := Place{Top: r.IntN(3) == 0}
					if other := p.Members[r.IntN(len(p.Members))]; r.IntN(2) == 0 && p.Kind != Array {
						place = Place{Below: r.IntN(2) == 0, Near: []Step{{Name: other.Name}}}
					} else if r.IntN(2) == 0 && p.Kind == Array {
						place = Place{Below: r.IntN(2) == 0, Near: []Step{{Numbered: true, Index: other.Index()}}}
					}
					edits, changes, err := d.Move([]*Node{n}, place)
					y.prove(t, d, fmt.Sprintf("move %s %+v", d.Path(n), place), edits, changes, err)
				}
			}
		}
	})
	y.end(t)
}

func TestRename(t *testing.T) {
	y := newTally()
	documents(t, func(d *Document) {
		for _, root := range d.Roots {
			for _, n := range every(root, nil) {
				for _, name := range []string{"other", "two words", "it's", "1", "yes", "a.b", "é"} {
					if n.Key < n.KeyEnd {
						edits, changes, err := d.Rename(n, name)
						y.prove(t, d, fmt.Sprint("rename ", d.Path(n), " ", name), edits, changes, err)
					}
				}
			}
		}
	})
	y.end(t)
}

// What is settled is there, and to settle it again changes nothing.
func TestSettle(t *testing.T) {
	y := newTally()
	texts := []string{"depot-4", "8415", "yes", "", "two\nlines\n", "two\n\nlines", "it's \"so\"", "a: b # c", " x ", "08", "2001-02-30"}
	literals := map[syntax.Syntax][]string{syntax.JSON: {"1", "[1, {\"a\": null}]", "true"}, syntax.YAML: {"1", "[a, {b: c}]", "~", "yes"}, syntax.TOML: {"1", "[1, { a = 2 }]", "1979-05-27"}}
	documents(t, func(d *Document) {
		for i, root := range d.Roots {
			for _, n := range every(root, nil) {
				if n.Kind == Characters || n.Kind == Instruction {
					continue
				}
				r := rand.New(rand.NewPCG(uint64(n.Start), 3))
				for range 12 {
					fresh := Fresh{Text: texts[r.IntN(len(texts))]}
					if l := literals[d.Syntax]; l != nil && r.IntN(3) == 0 {
						fresh = Fresh{Text: l[r.IntN(len(l))], Literal: true}
					}
					var steps []Step
					name := []string{"new", "home", "note", "a b", "host"}[r.IntN(5)]
					switch {
					case d.Syntax == syntax.XML && n.Kind == Element && n.Parent != nil:
						if name == "a b" {
							name = "x"
						}
						steps = append(steps, Step{Name: name, Attribute: r.IntN(2) == 0})
						if !steps[0].Attribute && r.IntN(2) == 0 {
							steps[0].With = []Test{{Steps: []Step{{Name: "name", Attribute: true}}, Text: "q & \"r\"", Kind: String}}
							steps = append(steps, Step{Name: "deep"})
						}
					case r.IntN(4) == 0:
					case n.Kind == Object || n.Kind == Null:
						steps = append(steps, Step{Name: name})
						if r.IntN(2) == 0 && d.Syntax != syntax.CSV {
							steps = append(steps, Step{Name: "deep"})
						}
					case n.Kind == Array:
						steps = append(steps, Step{Index: r.IntN(3), Numbered: true})
					}
					if n.Kind == Array && r.IntN(2) == 0 && d.Syntax != syntax.CSV {
						steps = []Step{{Item: true, With: []Test{{Steps: []Step{{Name: "name"}}, Text: "elm", Kind: String}}}, {Name: "port"}}
					}
					if r.IntN(3) == 0 && len(n.Members) > 0 {
						fresh.Place = Place{Top: r.IntN(2) == 0, Below: r.IntN(2) == 0, Near: []Step{{Name: n.Members[r.IntN(len(n.Members))].Name}}}
					}
					item := r.IntN(4) == 0
					settle := func(d *Document, n *Node) (edit.List, Changes, error) {
						if item {
							return d.SettleItem(n, steps, fresh, true)
						}
						return d.Settle(n, steps, fresh, true)
					}
					what := fmt.Sprintf("settle item=%v %s %+v as %+v", item, d.Path(n), steps, fresh)
					edits, changes, err := settle(d, n)
					made := y.prove(t, d, what, edits, changes, err)
					if made == nil || n.Parent == nil && n.Kind == Null {
						continue
					}
					again, _, err := settle(made, corresponding(n, made.Roots[i]))
					require.NoError(t, err, what)
					require.Empty(t, again, "%s\n%s\n=>\n%s", what, d.Text, made.Text)
				}
			}
		}
	})
	y.end(t)
}

// corresponding returns the node at the same place in another tree.
func corresponding(n, root *Node) *Node {
	if n.Parent == nil {
		return root
	}
	i := n.Index()
	p := corresponding(n.Parent, root)
	if i >= len(p.Members) {
		return p
	}
	return p.Members[i]
}
