package program_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/program"
)

// become runs a script over a text.
func become(t *testing.T, source, text string) string {
	res := compileText(t, source).Run(program.Input{Text: []byte(text), File: program.File{Path: "conf/clock.ini"}})
	require.Empty(t, res.Failures)
	return string(res.Edits.Apply([]byte(text)))
}

func TestFilters(t *testing.T) {
	for filters, want := range map[string]map[string]string{
		"upper":               {"é-ab\xff": "É-AB\xff"},
		"lower":               {"ÉAB": "éab"},
		"capital":             {"depot three": "Depot three", "": ""},
		"trim upper":          {"  a ": "A"},
		"digits":              {"FLR-101b2": "1012"},
		"plus 1":              {"0099": "0100", "9": "10", "-1": "0", "99999999999999999999": "100000000000000000000"},
		"minus 2":             {"1": "-1", "010": "008"},
		"pad 4":               {"7": "0007", "-7": "-007", "12345": "12345"},
		"digits or none":      {"ab": "none", "a1": "1"},
		"digits plus 1 pad 3": {"x9": "010"},
		"times 2":             {"21": "42", "007": "014", "1.50": "3.00", "-3": "-6", "0": "0"},
		"times 1.5":           {"3": "5", "5": "8", "-3": "-5", "1.5": "2.3", "0.1": "0.2", "-0.0": "0.0", "99999999999999999999": "149999999999999999999"},
		"times -0.1":          {"4": "0", "5": "-1"},
		"at least 30":         {"5": "30", "30": "30", "030": "030", "29.9": "30", "31": "31"},
		"at most 1.5":         {"1.50": "1.50", "2": "1.5", "-7": "-7"},
		"plus 1 at most 5":    {"3": "4", "5": "5"},
	} {
		for in, out := range want {
			require.Equal(t, "<"+out+">", become(t, fmt.Sprintf("replace regex '<([^>]*)>' with \"<{=1 %s}>\"", filters), "<"+in+">"), filters)
		}
	}
	res := compileText(t, `replace regex '\w+' with "{=0 plus 1}"`).Run(program.Input{Text: []byte("7\nseven\n")})
	require.Equal(t, []program.Note{{Rule: 0, Line: 2, Text: `plus 1: "seven" is not a whole number`}}, res.Failures)
	res = compileText(t, `replace regex '\w+' with "{=0 times 2}"`).Run(program.Input{Text: []byte("7\nseven\n")})
	require.Equal(t, []program.Note{{Rule: 0, Line: 2, Text: `times 2: "seven" is not a number`}}, res.Failures)
}

func TestPlaceholders(t *testing.T) {
	require.Equal(t, "a\tb\nc {= 2026-03-01 20260301 conf/clock.ini clock.ini", become(t,
		`replace text "x" with "a{=tab}b{=newline}c {== {=today} {=today digits} {=file} {=filename}"`, "x"))
	require.Equal(t, "1:1 2:1\r\n3:2\r\n", become(t, `replace text "x" with "{=count}:{=line}"`, "x x\r\nx\r\n"))
	require.Equal(t, "1 2\n3\n\n1\n2\n", become(t, `in paragraph with regex '.' replace text "x" with "{=count-here}"`, "x x\nx\n\nx\nx\n"))
	require.Equal(t, "a1 a2\nb\na1\n", become(t, `on lines with text "a" replace text "a" with "a{=count-here}"`, "a a\nb\na\n"))
	require.Equal(t, "1 2\n3", become(t, `replace text "x" with "{=count-here}"`, "x x\nx"))
	require.Equal(t, "b=a\r\nd=c", become(t, `replace regex '(?<key>\w)=(\w)' with "{=2}={=key}"`, "a=b\r\nc=d"))
	require.Equal(t, "y.y", become(t, "param p = \"a+\"\nreplace regex '{=p}b' with \"y\"", "a+b.a+b"))
	require.Equal(t, "aab", become(t, "param p = \"a+\"\nreplace regex '^{=p}b' with \"y\"", "aab"))
	// What a rule writes as a line break is the file's own.
	require.Equal(t, "a\r\nb\r\nc\r\n", become(t, "replace text \"-\" with\n    | \n    | b\n", "a-\r\nc\r\n"))
}

func TestKeepingCase(t *testing.T) {
	for in, want := range map[string]string{
		"gage": "gauge", "Gage": "Gauge", "GAGE": "GAUGE", "gAGE": "gauge", "GaGe": "gauge",
	} {
		require.Equal(t, want, become(t, `replace word "gage" with "gauge" keeping case`, in))
	}
	require.Equal(t, "(Yard)", become(t, `replace word "depot" with "(yard)" keeping case`, "Depot"))
	require.Equal(t, "ÉTÉ", become(t, `replace word "ab" with "été" keeping case`, "AB"))
}

// Spans between marks may hold no line; what acts there acts at that place.
func TestNoLineBetweenMarks(t *testing.T) {
	const text = "BEGIN\nEND\n"
	for statement, want := range map[string]string{
		`settle word "x" as "x = 1"`:                              "BEGIN\nx = 1\nEND\n",
		`rewrite as "new"`:                                        "BEGIN\nnew\nEND\n",
		`insert below "new"`:                                      "BEGIN\nnew\nEND\n",
		`insert above "END" unless present`:                       "BEGIN\nEND\nEND\n",
		"{\nrewrite as \"a b\"\nreplace text \"a\" with \"c\"\n}": "BEGIN\nc b\nEND\n",
		"delete": text,
	} {
		require.Equal(t, want, become(t, `on lines between word "BEGIN" and word "END" `+statement, text), statement)
	}
}

// An answer leaves a change out for all rules after it, and for no other change.
func TestAnswers(t *testing.T) {
	p := compileText(t, "replace word \"a\" with \"{=count}\" \nreplace text \"1\" with \"one\"\nreplace text \"x\" with \"y\" first in file")
	var keys []program.Key
	run := func(left map[program.Key]program.Answer) string {
		keys = nil
		text := []byte("a a x\na x\n")
		res := p.Run(program.Input{Text: text, Decide: func(c program.Proposal) program.Answer {
			keys = append(keys, c.Key)
			return left[c.Key]
		}})
		return string(res.Edits.Apply(text))
	}
	require.Equal(t, "one 2 y\n3 x\n", run(nil))
	all := keys
	require.Len(t, all, 5)
	require.Equal(t, "a one y\n2 x\n", run(map[program.Key]program.Answer{all[0]: {Leave: true}}), "what is left is not counted")
	require.Equal(t, "one 2 x\n3 x\n", run(map[program.Key]program.Answer{all[4]: {Leave: true}}), "no later match becomes the first")
	require.Equal(t, "1 2 y\n3 x\n", run(map[program.Key]program.Answer{all[3]: {Leave: true}}))
	require.Equal(t, "one B y\n3 x\n", run(map[program.Key]program.Answer{all[1]: {New: []byte("B")}}))
	require.Equal(t, all, keys, "keys outlive other answers")
}
