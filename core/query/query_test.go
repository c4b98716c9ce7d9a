package query

import (
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/tree"
)

func TestSelect(t *testing.T) {
	for _, c := range []struct {
		syntax     tree.Syntax
		text, path string
		want       []string
	}{
		{tree.JSON, `{"b": [{"n": "x", "f": 1}, {"n": "y", "f": 2}]}`, `$.b[?@.n == "y"].f`, []string{"$['b'][1]['f']"}},
		{tree.JSON, `{"a": {"c": 1}, "a": {"d": 2}}`, `$.a.*`, []string{"$['a']['c']", "$['a']['d']"}},
		{tree.JSON, `{"a": {"c": 1}, "a": {"d": 2}}`, `$..d`, []string{"$['a']['d']"}},
		{tree.YAML, "a: &x {b: 1}\nc: *x\nd:\n  <<: *x\n  e: 2\n", `$..b`, []string{"$['a']['b']"}},
		{tree.YAML, "a: &x {b: 1}\nc: *x\nd:\n  <<: *x\n  e: 2\n", `$.*`, []string{"$['a']", "$['c']", "$['d']"}},
		{tree.YAML, "a: 1\n---\na: 2\n", `$.a`, []string{"1:$['a']", "2:$['a']"}},
		{tree.TOML, "[t]\na = 0x1f\n[[l]]\nb = 1\n[[l]]\nb = 2\n", `$.l[?@.b > 1].b`, []string{"$['l'][1]['b']"}},
		{tree.CSV, "name;home\noak;d3\nash;d4\n", `$[?@.name == "ash"].home`, []string{"$[1]['home']"}},
		{tree.XML, `<s xmlns:p="u"><p:sign host="a"/><sign host="b">t</sign></s>`, `//sign/@host`, []string{"/s[1]/p:sign[1]/@host", "/s[1]/sign[1]/@host"}},
		{tree.XML, `<s xmlns:p="u"><p:sign host="a"/><sign host="b">t</sign></s>`, `/s/p:sign`, []string{"/s[1]/p:sign[1]"}},
		{tree.XML, `<s><i n="1"/><i n="2">x</i><!-- c --></s>`, `/s/i[2] | //comment() | /s/i[2]/text()`, []string{"/s[1]/i[2]", "/s[1]/i[2]/text()[1]", "/s[1]/comment()[1]"}},
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
	for _, bad := range []string{"", "$.", "$[", "$.a[?@.b = 1]", "count(//a)", "//a[", "id('x')", "$x", "//a[@b=$x]", "name(/a)", "string(/a)", "@a.b", "/a[1", "//x:"} {
		_, err := Compile(bad)
		t.Logf("%q: %v", bad, err)
		if bad != "@a.b" {
			require.Error(t, err, bad)
		}
	}
}
