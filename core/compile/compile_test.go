package compile

import (
	"errors"
	"io/fs"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/program"
	"frizzel/core/script"
)

// files are the scripts and tables that the scripts of these tests name.
var files = map[string]string{
	"host.friz":  "param gateway = \"192.0.2.40\"\nrule host { replace word \"depot-3\" with \"{=gateway}\" }",
	"round.friz": "use \"round.friz\"",
	"wrong.friz": "replace word",
	"rows.csv":   "depot-3,depot-4\ndepot-5,depot-6\n",
	"twice.csv":  "depot-3,depot-4\ndepot-3,depot-6\n",
}

func read(name string) ([]byte, error) {
	if text, ok := files[name]; ok {
		return []byte(text), nil
	}
	return nil, &fs.PathError{Op: "open", Path: name, Err: errors.New("no such file or directory")}
}

func scriptsOf(t *testing.T, text string, o Options) (*program.Program, script.Problems) {
	s, problems := script.Parse("test.friz", text)
	require.Empty(t, problems, text)
	o.Load = read
	return Scripts([]*script.Script{s}, o)
}

// Every mistake is found, at its place, and every likely one is warned of. What has neither compiles in silence.
func TestProblems(t *testing.T) {
	for text, want := range map[string]string{
		`replace regex "depot-(3" with "x"`:                                 "1:16: error: a ( is never closed",
		`replace regex '(\d+)' with "{=2}"`:                                 "1:29: error: there is no group 2",
		`replace word "depot-3" with "{=1}"`:                                "1:30: error: there is no group 1: the pattern has no groups",
		`replace text "{=gateway}" with "x"`:                                "1:15: error: {=gateway} names nothing",
		"param gateway\nreplace text \"a\" with \"{=gateway}\"":             "1:1: error: the parameter gateway has no value",
		"param port = \"x\" matching regex '\\d+'\nremove text \"{=port}\"": `1:1: error: the parameter port is "x", which does not match`,
		"param a = \"1\"\nparam a = \"2\"\nremove text \"{=a}\"":            `2:1: error: the name "a" is taken by another parameter`,
		"rule a { trim line ends }\nrule a { trim line ends }":              `2:1: error: the name "a" is taken by another rule`,
		"use \"host.friz\"\nrule host { trim line ends }":                   `2:1: error: the name "host" is taken by another rule`,
		`use "missing.friz"`:                                                "1:5: error: open missing.friz",
		`use "round.friz"`:                                                  "1:5: error: round.friz uses itself",
		`use "wrong.friz"`:                                                  "wrong.friz:1:13: error: expected what to match",
		`replace each word from table "missing.csv"`:                        "error: open missing.csv",
		`replace each word from table "twice.csv"`:                          "twice",
		"encoding \"utf-9\"\ntrim line ends":                                `1:10: error: `,
		"syntax \"prose\"\ntrim line ends":                                  `1:8: error: there is no syntax "prose"`,
		"files \"[a\"\ntrim line ends":                                      `1:7: error: "[a"`,
		`at "$.boards[" { delete }`:                                         "1:4: error: this is not a JSONPath",
		`at "$.boards" { at "/a/b" { delete } }`:                            "1:20: error: a path under another one",
		`replace regex "192.0.2.1" with "x"`:                                "1:19: warning: this dot matches any character",
		`replace regex 'x*' with "y"`:                                       "1:15: warning: this pattern matches the empty text",
		`replace regex '(a)' with "$1"`:                                     "1:26: warning: $1 is plain text here",
		`replace text "a" with "aa"`:                                        "1:23: warning: the pattern matches its own replacement",
		`insert at end "x"`:                                                 "1:1: warning: each run inserts these lines once more",
		"insert at top \"x\" unless present\non line 3 { trim line ends }":  "2:1: warning: the line numbers here are those after",
		"param a = \"1\"\ntrim line ends":                                   "1:1: warning: the parameter a is never used",
		"# nothing":                                                         "1:1: warning: this script holds no rule",
		`use "host.friz"`:                                                   "",
		`replace each word from table "rows.csv"`:                           "",
		"rule a { on line 3 { trim line ends } }":                           "",
	} {
		p, problems := scriptsOf(t, text, Options{})
		if want == "" {
			require.Empty(t, problems, text)
			continue
		}
		require.NotEmpty(t, problems, text)
		require.Contains(t, problems.Error(), want, text)
		require.Equal(t, len(problems.Errors()) > 0, p == nil, text)
	}
}

// A value that is given wins over a shared one, that over the environment, and that over the default. A used
// script runs where it is used, once, and the last rows of a table win nothing.
func TestPrograms(t *testing.T) {
	const text = "param host = \"default\" from env \"HOST\"\nuse \"host.friz\"\nuse \"host.friz\"\nreplace each word from table \"rows.csv\"\nreplace text \"{=host}\" with \"found\""
	given := map[string]string{"host": "given"}
	env := func(name string) (string, bool) { return "environment", name == "HOST" }
	for _, c := range []struct {
		o    Options
		host string
	}{
		{Options{}, "default"}, {Options{Env: env}, "environment"}, {Options{Env: env, Shared: map[string]string{"host": "shared"}}, "shared"},
		{Options{Env: env, Shared: map[string]string{"host": "shared"}, Values: given}, "given"},
	} {
		p, problems := scriptsOf(t, text, c.o)
		require.Empty(t, problems)
		in := []byte("depot-3 depot-5 default environment shared given\n")
		want := strings.NewReplacer("depot-3", "192.0.2.40", "depot-5", "depot-6", c.host, "found").Replace(string(in))
		require.Equal(t, want, string(p.Run(program.Input{Text: in}).Edits.Apply(in)))
	}
	_, problems := scriptsOf(t, text, Options{Values: map[string]string{"hots": "x"}})
	require.Contains(t, problems.Error(), "hots")
	_, problems = scriptsOf(t, "param host\nremove text \"{=host}\"", Options{Lenient: true})
	require.Empty(t, problems)
}

// Examples fail where the rules do not do what they say, and say so as a diff.
func TestExamples(t *testing.T) {
	const text = "rule host { replace word \"depot-3\" with \"depot-4\" }\nexample of host { given \"depot-3\" gives \"depot-4\" }\nexample { given \"depot-30\" gives \"depot-40\" }"
	s, problems := script.Parse("test.friz", text)
	require.Empty(t, problems)
	results, problems := Examples(s, Options{})
	require.Empty(t, problems)
	require.Len(t, results, 2)
}

// Every form of the language compiles, and every statement acts.
func TestEveryForm(t *testing.T) {
	o := Options{Lenient: true, Load: func(name string) ([]byte, error) {
		if strings.HasSuffix(name, ".csv") {
			return []byte("old,new\ndepot-3,depot-4\n"), nil
		}
		return []byte("trim line ends\n"), nil
	}}
	for _, chapter := range script.Reference() {
		for _, u := range chapter.Uses {
			s, problems := script.Parse("test.friz", u.Example)
			require.Empty(t, problems, u.Form)
			p, problems := Scripts([]*script.Script{s}, o)
			require.NotNil(t, p, "%s\n%s", u.Form, problems.Error())
			actions := 0
			for _, r := range p.Rules {
				actions += len(r.Body)
			}
			if chapter.Name == "Statements" {
				require.NotZero(t, actions, "%s does nothing", u.Form)
			}
		}
	}
}
