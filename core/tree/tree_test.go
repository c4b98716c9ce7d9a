package tree

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

var samples = map[syntax.Syntax][]string{
	syntax.JSON: {`{"a": 1, "b": [true, null, "x\u00e9\"\n"], "c": {"d": -1.10e3, "a": ""}}`,
		"{\n  // note\n  \"a\": \"b\", /* c */\n  \"list\": [\n    1, // one\n    2,\n  ],\n}\n", `[]`, `"x"`, "{\"a\": {}, \"b\": [ ], \"a\": \"😀\\ud83d\\ude00\"}\r\n"},
	syntax.YAML: {"a: 1\nb:\n  - x\n  - 'it''s'\n  - \"q\\tq\"\n  -\nc: {d: e, f: [1, ~, yes]}\n",
		"# top\nserver: &s\n  host: depot-3 # here\n  port: 0123\n  note: |\n    first\n      deeper\n\n    last\n  fold: >-\n    one\n    two\n\n    three\nother: *s\nmerged:\n  <<: *s\n  x: plain\n    goes on\n",
		"---\na: b\n---\n- c\n- d: !!str 1\n  e: \"x\n    y\"\n...\n", "- - a\n  - b: c\n    d:\n-\n- \"\"\n", "keep: |+\n  a\n\n\nnext: |2-\n   b\nk: v\r\n", "? a\n: b\n", "plain", "a: 2020-01-01\nb: on\nc: ''\n\"d e\": x\n"},
	syntax.TOML: {"a = 1\nb.c = \"x\\n\"\n# note\n[t.u] # c\nk = [1, 2, # x\n {z = 1, y.w = 2}]\n[[arr]]\nq = '''\nab'''\n[[arr]]\nd = 2020-01-01T00:00:00Z\n[t]\nz = \"\"\"a \\\n   b\nc\"\"\"\ne = 'lit'\n", "x = true\r\ny = \"é\\u00e9\"\r\n", ""},
	syntax.XML: {"<?xml version=\"1.0\"?>\n<!-- c -->\n<a x='1' y=\"&lt;2&quot;\">\n  <b>t &amp; u</b>\n  <c/>\n  <d><![CDATA[raw <x>]]></d>\n  <e>one<!-- i -->two</e>\n</a>\n",
		"<!DOCTYPE p [<!ENTITY line \"Fernhollow\">]>\n<p:q xmlns:p=\"u\"><p:r p:s=\"&line; 1\">&line;&#233;\r\n</p:r>mixed <i>x</i></p:q>"},
	syntax.CSV:     {"name,home\noak,depot-3\n\"a \"\"b\"\"\",\"x\ny\"\nshort\n", "a;b;c\r\n1;\"2;3\";\r\n", "x\ty\n1\t2\n"},
	syntax.BareCSV: {"a,b\nc,\"d\"\n"},
}

func scalars(n *Node, found []*Node) []*Node {
	if !n.HasMembers() && n.Kind != Alias && n.Kind != Instruction && !(n.Kind == Characters && n.Parent.Parent == nil) {
		found = append(found, n)
	}
	for _, m := range n.Members {
		found = scalars(m, found)
	}
	return found
}

// Values that become other texts are those texts in what is written, and nothing else changes.
func TestWrite(t *testing.T) {
	segments := []string{"depot-3", " ", "", "x", "\n", "'", "\"", "\\", "#", ": ", "- ", "é", "{", "]", ",", "&", "<", "]]>", "--", "1", "yes", "~", "\t", "\n\n", "  ", "😀", ";", "|", "null", "\r"}
	refused, tried := map[syntax.Syntax]int{}, map[syntax.Syntax]int{}
	for syntax, texts := range samples {
		for _, text := range texts {
			d, err := Parse(syntax, []byte(text))
			require.NoError(t, err, text)
			for _, root := range d.Roots {
				for _, n := range scalars(root, nil) {
					v := d.Show(n)
					for seed := range uint64(300) {
						r := rand.New(rand.NewPCG(seed, 1))
						var edits edit.List
						for at := 0; at <= len(v.Text) && len(edits) < 3; {
							start := at + r.IntN(len(v.Text)-at+1)
							end := start + r.IntN(len(v.Text)-start+1)
							for start > 0 && start < len(v.Text) && v.Text[start]&0xc0 == 0x80 {
								start--
							}
							for end < len(v.Text) && v.Text[end]&0xc0 == 0x80 {
								end++
							}
							fresh := ""
							for range r.IntN(4) {
								fresh += segments[r.IntN(len(segments))]
							}
							edits = append(edits, edit.Edit{Start: start, End: end, New: []byte(fresh)})
							at = end + 1
							if r.IntN(2) == 0 {
								break
							}
						}
						checkWrite(t, d, n, v, edits, refused, tried)
					}
				}
			}
		}
	}
	for s, n := range tried {
		require.LessOrEqual(t, refused[s]*100, n, "%v: %d of %d are refused", s, refused[s], n)
	}
}

// checkWrite counts what is refused, and holds what is not against what it should be.
func checkWrite(t *testing.T, d *Document, n *Node, v *Value, edits edit.List, refused, tried map[syntax.Syntax]int) {
	want := string(edits.Apply(v.Text))
	tried[d.Syntax]++
	out, kind, err := d.Write(v, edits)
	if err != nil {
		refused[d.Syntax]++
		return
	}
	fresh := out.Apply(d.Text)
	_, _, err = d.Prove(fresh, Changes{n: {Text: &want, Kind: kind}})
	require.NoError(t, err, "%v %s %q -> %q\n%s\n=>\n%s", d.Syntax, d.Path(n), v.Text, want, d.Text, fresh)
	if want != string(v.Text) { // which was not to be
		_, _, err = d.Prove(fresh, nil)
		require.Error(t, err, "%v %s %q -> %q", d.Syntax, d.Path(n), v.Text, want)
	}
	for _, e := range out {
		require.True(t, n.Start <= e.Start && e.End <= n.End, "%v %s: an edit lies outside", d.Syntax, d.Path(n))
	}
}

// What reads otherwise than before is noticed, however it is written.
func TestProveNotices(t *testing.T) {
	for _, c := range []struct {
		syntax        syntax.Syntax
		before, after string
	}{
		{syntax.YAML, "a: &x 1\n", "a: &y 1\n"},
		{syntax.YAML, "a: 1\n", "a: !!int 1\n"},
		{syntax.YAML, "a: &x 1\nb: *x\n", "a: &x 1\nb: 1\n"},
		{syntax.YAML, "a: yes\n", "a: 'yes'\n"},
		{syntax.YAML, "a: ~\n", "a:\n"},
		{syntax.YAML, "a: 1\n---\nb: 1\n", "a: 1\n"},
		{syntax.YAML, "a: {b: 1, c: 2}\n", "a: {c: 2, b: 1}\n"},
		{syntax.JSON, `{"a": 1}`, `{"a": 1,}`},
		{syntax.JSON, `{"a": 1}`, "{\"a\": 1} // note"},
		{syntax.JSON, `[1.10]`, `[1.1]`},
		{syntax.TOML, "a = 1\n", "a = 0x1\n"},
		{syntax.TOML, "a.b = 1\n", "a.b = 1\na.c = 2\n"},
		{syntax.XML, "<a b='1'>x</a>", "<a b='1'> x</a>"},
		{syntax.XML, "<a><b/><!-- c --></a>", "<a><b/><!-- d --></a>"},
		{syntax.XML, "<?p q?><a/>", "<?p r?><a/>"},
		{syntax.CSV, "a,b\n1,2\n", "a,b\n1,2,\n"},
		{syntax.CSV, "a,b\n1,2\n", "a,c\n1,2\n"},
	} {
		d, err := Parse(c.syntax, []byte(c.before))
		require.NoError(t, err)
		_, _, err = d.Prove([]byte(c.after), nil)
		require.Error(t, err, "%s", c.after)
		_, _, err = d.Prove([]byte(c.before), nil)
		require.NoError(t, err)
	}
}

// A log of JSON, a value a line, is not held to be JSON.
func TestMayBe(t *testing.T) {
	for head, may := range map[string]bool{
		"{\"a\": 1}\n{\"a\": 2}\n": false, "1 2": false, "{\"a\": 1}\n": true, "{\"a\": 1} // note\n": true, "[1, 2": true, "": true, "no": true,
	} {
		require.Equal(t, may, MayBe(syntax.JSON, []byte(head)), "%q", head)
	}
	require.True(t, MayBe(syntax.YAML, []byte("a: 1\n---\nb: 2\n")))
}
