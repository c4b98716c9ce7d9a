package program_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// texts are files of each syntax in which the same rules find something.
var valueTexts = map[string]string{
	"a.yaml": "# top\nhost: 'depot-3' # one\nlist:\n  - depot-3\n  - {host: \"a \\\"depot-3\\\" b\", n: 30}\n  - ''\ntext: |\n  in depot-3\n    and depot-3\n\n  end\nfold: >-\n  one depot-3\n  two\nplain: goes on\n  with depot-3\nback: &b depot-3\nagain: *b\n",
	"a.json": "{\r\n  \"host\": \"depot-3\", \"list\": [\"depot-3\", {\"host\": \"a \\\"depot-3\\\" \\u0062\"}, \"\", 30],\r\n  \"text\": \"in depot-3\\n  and depot-3\\n\"\r\n}\r\n",
	"a.toml": "host = 'depot-3' # one\nlist = [\"depot-3\", '']\ntext = \"\"\"\nin depot-3 \\\n  and depot-3\nend\"\"\"\n[t]\nhost = \"a \\\"depot-3\\\"\"\n",
	"a.xml":  "<r>\n  <host n='depot-3'>depot-3 &amp; depot-3</host>\n  <list><i>depot-3</i><i/></list>\n  <text><![CDATA[in depot-3 <b>]]></text>\n</r>\n",
	"a.csv":  "host;list;text\ndepot-3;\"a; \"\"depot-3\"\"\";\nx;depot-3;\"in\ndepot-3\"\n",
}

var valueRules = []string{
	`at 'EACH' replace word "depot-3" with 'depot-4 & "<{=count}>"'`,
	`at 'EACH' { replace text "depot" with "b: # é"; replace text "é" with "e" }`,
	`at 'EACH' on lines with word "depot-3" { insert above "above"; insert below "below" }`,
	`at 'EACH' rewrite as "one {=count}"`,
	`at 'EACH' { on lines with regex "^$" rewrite as "was empty"; trim line ends }`,
	`at 'EACH' on lines with word "depot-3" { replace text "depot-3" with "yes" first; delete }`,
	`at 'EACH' replace text "o" with "" last`,
	`at 'EACH' on lines without text "x" comment out with "# "`,
	`at 'SOME' delete`,
	`at 'SOME' rename to "called"`,
	`at 'SOME' { replace text "depot" with "x"; rename to "new name" }`,
	`at 'SOME' having text "depot" delete`,
}

// each and some are paths for the values of a file.
func valuePaths(file string) (each, some string) {
	switch {
	case strings.HasSuffix(file, ".xml"):
		return "//*[not(*)] | //@*", "/r/list"
	case strings.HasSuffix(file, ".csv"):
		return "$[*][*]", "$[0].host"
	}
	return "$..*", "$['host', 'text']"
}

// What a person takes of the changes of values is what is written, whatever that is; what nobody
// asks about is the same as what is taken whole; and nothing changes that was left.
func TestValuesAreAskedAbout(t *testing.T) {
	for file, text := range valueTexts {
		each, some := valuePaths(file)
		for _, rule := range valueRules {
			if strings.Contains(rule, "rename") && strings.HasSuffix(file, ".xml") {
				rule = strings.ReplaceAll(rule, "new name", "new")
			}
			rule = strings.NewReplacer("'EACH'", "`"+each+"`", "'SOME'", "`"+some+"`").Replace(rule)
			p := compiledRule(t, rule)
			in := program.Input{Text: []byte(text), File: program.File{Path: file}}
			whole := p.Run(in)
			if len(whole.Failures) > 0 {
				t.Logf("%s: %s: %v", file, rule, whole.Failures)
				continue
			}
			require.Empty(t, whole.Unreadable)
			require.Empty(t, whole.Broken, "%s: %s", file, rule)
			after := string(whole.Edits.Apply(in.Text))
			require.NotEqual(t, text, after, "%s: %s", file, rule)

			keys := map[program.Key]bool{}
			asked := 0
			in.Decide = func(c program.Proposal) program.Answer {
				require.False(t, keys[c.Key], "%s: %s: asked twice about %v", file, rule, c.Key)
				keys[c.Key] = true
				require.True(t, c.Edits.Fits(len(c.Text)))
				require.NotEqual(t, string(c.Text), string(c.Edits.Apply(c.Text)), "%s: %s", file, rule)
				asked++
				return program.Answer{}
			}
			taken := p.Run(in)
			require.Equal(t, after, string(taken.Edits.Apply(in.Text)), "%s: %s", file, rule)
			require.Equal(t, whole.Changes, taken.Changes, "%s: %s", file, rule)
			require.Equal(t, asked, taken.All(), "%s: %s", file, rule)

			in.Decide = func(program.Proposal) program.Answer { return program.Answer{Leave: true} }
			require.Empty(t, p.Run(in).Edits)

			// One change alone is one that reads as a text of the syntax, too.
			for n := range asked {
				i := 0
				var one program.Proposal
				in.Decide = func(c program.Proposal) program.Answer {
					i++
					if i-1 == n {
						one = c
						one.Edits = slices.Clone(c.Edits)
					}
					return program.Answer{Leave: i-1 != n}
				}
				alone := p.Run(in)
				if one.Text == nil { // what it follows from was left
					continue
				}
				if string(one.Text) == text && len(alone.Failures) == 0 && !strings.Contains(rule, "on lines") { // where the last line has an ending or none once all is known
					require.Equal(t, string(one.Edits.Apply(one.Text)), string(alone.Edits.Apply(in.Text)), "%s: %s: change %d", file, rule, n)
				}
				if one.Value != nil && string(one.Text) == text {
					fresh := []byte("x\"y' & <é> # 1")
					i = 0
					in.Decide = func(program.Proposal) program.Answer {
						i++
						if i-1 == n {
							return program.Answer{New: fresh}
						}
						return program.Answer{Leave: true}
					}
					other := p.Run(in)
					shown := one.Value.Write(fresh)
					if len(other.Failures) == 0 && !strings.Contains(rule, "on lines") && !strings.Contains(rule, "rewrite") {
						require.Equal(t, string(shown.Apply(one.Text)), string(other.Edits.Apply(in.Text)), "%s: %s: change %d", file, rule, n)
					}
				}
				_, err := tree.Parse(syntax.Of(file), alone.Edits.Apply(in.Text))
				require.NoError(t, err, "%s: %s", file, rule)
			}
		}
	}
}

// What is found in values stands where it is said to stand.
func TestValuesAreFound(t *testing.T) {
	for file, text := range valueTexts {
		each, _ := valuePaths(file)
		found, made := compiledRule(t, "at `"+each+"` forbid word \"depot-3\"").Find(program.Input{Text: []byte(text), File: program.File{Path: file}})
		require.Equal(t, strings.Count(text, "depot-3"), len(found), file)
		require.Empty(t, made.Unreadable)
		for _, m := range found {
			require.Equal(t, "depot-3", text[m.Start:m.End], file)
			require.Equal(t, "depot-3", string(m.Value[m.Groups[0]:m.Groups[1]]))
			require.NotEmpty(t, m.ValuePath())
		}
	}
}

// compiledRule compiles a rule that may have warnings.
func compiledRule(t *testing.T, text string) *program.Program {
	s, problems := script.Parse("test.friz", text)
	require.Empty(t, problems, "%v", text)
	p, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
	require.NotNil(t, p, "%v\n%s", problems, text)
	return p
}
