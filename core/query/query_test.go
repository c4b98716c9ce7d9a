package query

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/syntax"
	"frizzel/core/tree"
)

func TestSelect(t *testing.T) {
	for _, c := range []struct {
		syntax     syntax.Syntax
		text, path string
		want       []string
	}{
		{syntax.JSON, `{"b": [{"n": "x", "f": 1}, {"n": "y", "f": 2}]}`, `$.b[?@.n == "y"].f`, []string{"$['b'][1]['f']"}},
		{syntax.JSON, `["match(x)", "ab", "a\nb", "xab", 1]`, `$[?match(@, "a.b|ab")]`, []string{"$[1]"}},
		{syntax.JSON, `["match(x)", "ab", "xab", 1]`, `$[?search(@, 'a[b]')]`, []string{"$[1]", "$[2]"}},
		{syntax.JSON, `["match(x)", "ab"]`, `$[?@ == "match(x)" || match(@, "[")]`, []string{"$[0]"}},
		{syntax.JSON, `{"a": {"c": 1}, "a": {"d": 2}}`, `$.a.*`, []string{"$['a']['c']", "$['a']['d']"}},
		{syntax.JSON, `{"a": {"c": 1}, "a": {"d": 2}}`, `$..d`, []string{"$['a']['d']"}},
		{syntax.YAML, "a: &x {b: 1}\nc: *x\nd:\n  <<: *x\n  e: 2\n", `$..b`, []string{"$['a']['b']"}},
		{syntax.YAML, "a: &x {b: 1}\nc: &y {f: 1, b: 2}\nd:\n  - <<: [*y, *x]\n    e: 2\n  - <<: *x\n", `$.d[?@.f == 1 && @.b == 2]`, []string{"$['d'][0]"}},
		{syntax.YAML, "a: &x {b: 1}\nc: *x\nd:\n  <<: *x\n  e: 2\n", `$.*`, []string{"$['a']", "$['c']", "$['d']"}},
		{syntax.YAML, "a: 1\n---\na: 2\n", `$.a`, []string{"1:$['a']", "2:$['a']"}},
		{syntax.TOML, "[t]\na = 0x1f\n[[l]]\nb = 1\n[[l]]\nb = 2\n", `$.l[?@.b > 1].b`, []string{"$['l'][1]['b']"}},
		{syntax.CSV, "name;home\noak;d3\nash;d4\n", `$[?@.name == "ash"].home`, []string{"$[1]['home']"}},
		{syntax.XML, `<s xmlns:p="u"><p:sign host="a"/><sign host="b">t</sign></s>`, `//sign/@host`, []string{"/s[1]/p:sign[1]/@host", "/s[1]/sign[1]/@host"}},
		{syntax.XML, `<s xmlns:p="u"><p:sign host="a"/><sign host="b">t</sign></s>`, `/s/p:sign`, []string{"/s[1]/p:sign[1]"}},
		{syntax.XML, `<s><i n="1"/><i n="2">x</i><!-- c --></s>`, `/s/i[2] | //comment() | /s/i[2]/text()`, []string{"/s[1]/i[2]", "/s[1]/i[2]/text()[1]", "/s[1]/comment()[1]"}},
	} {
		d, err := tree.Parse(c.syntax, []byte(c.text))
		require.NoError(t, err)
		p, err := Compile(c.path)
		require.NoError(t, err, c.path)
		hits, err := p.Select(d, nil)
		require.NoError(t, err)
		var got []string
		for _, n := range hits.Nodes {
			got = append(got, d.Path(n))
		}
		require.Equal(t, c.want, got, c.path)
	}
	selects := func(syntax syntax.Syntax, text, path string, from []*tree.Node) *Hits {
		d, err := tree.Parse(syntax, []byte(text))
		require.NoError(t, err)
		p, err := Compile(path)
		require.NoError(t, err)
		hits, err := p.Select(d, from)
		require.NoError(t, err)
		return hits
	}
	// What is reached through aliases and merges is said, and a value that holds itself ends.
	hits := selects(syntax.YAML, "a: &x {b: 1}\nc: *x\nd:\n  <<: *x\n  e: 2\n", "$..b", nil)
	require.Len(t, hits.Shielded, 2)
	require.NotEmpty(t, selects(syntax.YAML, "a: &a [1, *a]\n", "$..*", nil).Nodes)
	// A doubled name of a table is its first; of an object each.
	require.Len(t, selects(syntax.CSV, "a,a\n1,2\n", "$[0].a", nil).Nodes, 1)
	require.Len(t, selects(syntax.JSON, `{"a": 1, "a": 2, "a": 3}`, "$.a", nil).Nodes, 3)
	// A value that is selected twice counts once; those of many members are found as soon.
	require.Len(t, selects(syntax.JSON, `[1, 2]`, "$[0, 0, 1, *]", nil).Nodes, 2)
	var many strings.Builder
	for i := range 20000 {
		fmt.Fprintf(&many, `"k%d": {"n": %d},`, i, i)
	}
	require.Len(t, selects(syntax.JSON, "{"+many.String()+`"last": 0}`, "$.*.n", nil).Nodes, 20000)
	require.Len(t, selects(syntax.JSON, "{"+many.String()+`"k1": {"n": 1}, "k1": {"m": 1}, "last": 0}`, "$.*.n", nil).Nodes, 20001)
	require.Len(t, selects(syntax.JSON, "{"+many.String()+`"k1": {"n": 1}, "k1": {"m": 1}, "last": 0}`, "$.*.m", nil).Nodes, 1)
	// What a bomb of aliases would unfold to is known before.
	bomb := "a: &a [x, x, x, x, x, x, x, x, x, x]\n"
	for i := range 12 {
		bomb += fmt.Sprintf("%c: &%c [%s]\n", 'b'+i, 'b'+i, strings.Repeat(fmt.Sprintf("*%c, ", 'a'+i), 10))
	}
	d, err := tree.Parse(syntax.YAML, []byte(bomb))
	require.NoError(t, err)
	p, err := Compile("$..x")
	require.NoError(t, err)
	_, err = p.Select(d, nil)
	require.ErrorIs(t, err, TooLargeError{})
	for _, bad := range []string{"", "$.", "$[", "$.a[?@.b = 1]", "count(//a)", "//a[", "id('x')", "$x", "//a[@b=$x]", "name(/a)", "string(/a)", "/a[1", "//x:"} {
		_, err := Compile(bad)
		require.Error(t, err, bad)
	}
}

// A place is names and indexes, or steps of which each is one; anything else may be several.
func TestPlaces(t *testing.T) {
	for source, want := range map[string][]tree.Step{
		`$.a["b c"][3]`:             {{Name: "a"}, {Name: "b c"}, {Index: 3, Numbered: true}},
		`@`:                         nil,
		`@.x`:                       {{Name: "x"}},
		`/a/p:b[@c="d"][@e='f']/@g`: {{Name: "a"}, {Name: "p:b", With: []tree.Test{{Steps: []tree.Step{{Name: "c", Attribute: true}}, Text: "d", Kind: tree.String}, {Steps: []tree.Step{{Name: "e", Attribute: true}}, Text: "f", Kind: tree.String}}}, {Name: "g", Attribute: true}},
		`@g`:                        {{Name: "g", Attribute: true}},
		`b/c`:                       {{Name: "b"}, {Name: "c"}},
	} {
		p, err := CompileTarget(source, false)
		require.NoError(t, err, source)
		require.Equal(t, want, p.Steps, source)
	}
	for _, bad := range []string{"$", "$..a", "$[*]", "$[-1]", "$[0, 1]", "$[?@.a]", "$[?@.a > 1]", "$[?@.a == 1 || @.b == 1]", "$[*].a.b", "$.a[*]", "$[1:2]", "/a//b", "//a", "/a/*", "/a[1]", "/a/text()", "/a/@b/c", "/a[@b]", "/child::a"} {
		_, err := CompileTarget(bad, false)
		require.Error(t, err, bad)
	}
}
