package script

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// Every form of the table has a line of help and an example, which is a script in the standard layout.
func TestReference(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range Reference() {
		require.NotEmpty(t, c.Uses, c.Name)
		for _, u := range c.Uses {
			require.NotEmpty(t, u.Help, u.Form)
			require.False(t, seen[u.Form] && c.Name != "Texts", "%s stands twice", u.Form)
			seen[u.Form] = true
			s, problems := Parse("example.friz", u.Example)
			require.Empty(t, problems, "%s\n%s", u.Form, problems.Error())
			require.Equal(t, u.Example+"\n", Format(s), u.Form)
			sameTree(t, u.Form, u.Example)
		}
	}
	for _, r := range rows {
		if r.word == "on" || r.word == "in" {
			continue // which addresses have the uses of
		}
		require.NotEmpty(t, r.uses, "%s has no use", r.word)
		for _, u := range r.uses {
			require.Contains(t, strings.Fields(u.Example), r.word, "%s: the example of another form", u.Form)
		}
	}
}

// The words that may come next are those that the parser would take.
func TestComplete(t *testing.T) {
	for text, want := range map[string]string{
		"":                            "replace remove settle delete insert rewrite comment uncomment copy move rename squeeze trim use",
		"settle ":                     "section value item text word regex",
		"settle value '$.a' as ":      "literal",
		"settle text \"a\" as \"b\" ": "commented by,keeping comment,continued by,ignoring case",
		"settle text \"a\" as \"b\" keeping comment ": "commented by,keeping comment,continued by,ignoring case",
		"replace ":                  "each text word regex",
		"replace word \"a\" ":       "ignoring case,with,first,not preceded by,across lines",
		"use ":                      "line final encoding",
		"use line endings ":         "lf crlf",
		"rename ":                   "to",
		"at '$.a' ":                 "having lacking delete",
		"in block with word \"a\" ": "having lacking directly delete preceded by",
		"on ":                       "line lines first last",
		"in ":                       "section block paragraph",
		"outside ":                  "line section paragraph",
		"on lines ":                 "with without from between",
		"on lines from ":            "text word regex",
		"on lines from text \"a\" ": "to until",
		"when file changed ":        "by",
		"expect at ":                "least most",
	} {
		got := Complete(text)
		sep := " "
		if strings.Contains(want, ",") {
			sep = ","
		}
		if strings.Contains(want, "preceded by") && sep == " " {
			want, sep = strings.ReplaceAll(want, " ", ","), ","
			want = strings.ReplaceAll(want, "preceded,by", "preceded by")
		}
		for _, w := range strings.Split(want, sep) {
			require.Contains(t, got, w, "after %q", text)
		}
	}
	require.NotContains(t, Complete("settle "), "replace")
	require.NotContains(t, Complete("on lines from text \"a\" "), "delete")
	require.Equal(t, []string{"section", "block", "paragraph", "file", "directory", "link"}, CompleteAddress("in", ""))
	require.Empty(t, Complete("replace text "))
}

// What is said twice, or contradicts something else, is an error everywhere.
func TestSaidTwice(t *testing.T) {
	for text, reason := range map[string]string{
		`replace word "a" with "b" keeping case keeping case`:              "keeping case is said twice",
		`replace word "a" ignoring case with "b" ignoring case`:            "ignoring case is said twice",
		`replace word "a" ignoring case ignoring case with "b"`:            "ignoring case is said twice",
		`replace word "a" with "b" keeping case ignoring case`:             "contradict each other",
		`replace word "a" ignoring case with "b" keeping case`:             "contradict each other",
		`replace word "a" with "b" first last`:                             "first and last contradict each other",
		`replace word "a" first with "b" first`:                            "first is said twice",
		`replace word "a" with "b" in file`:                                "none are",
		`replace word "a" with "b" first in file in file`:                  "in file is said twice",
		`remove regex "a" across lines across lines`:                       "across lines is said twice",
		`remove regex "a" whole whole`:                                     "whole is said twice",
		`remove word "a" preceded by text "b" preceded by text "b"`:        "this guard is said twice",
		`replace each word ignoring case keeping case { "a" with "b" }`:    "contradict each other",
		`settle text "a" as "a" keeping comment keeping comment`:           "keeping comment is said twice",
		`settle text "a" as "a" continued by "\" continued by indentation`: "how the line is continued is said twice",
		`insert at end "a" unless present unless present`:                  "unless present is said twice",
		`in block with text "a" directly directly delete`:                  "directly is said twice",
		`require 1 of word "a" per file per file`:                          "per file is said twice",
		`param a matching text "a" matching text "b"`:                      "what the value matches is said twice",
	} {
		_, problems := Parse("x.friz", text)
		require.NotEmpty(t, problems, text)
		require.Contains(t, problems[0].Reason, reason, text)
	}
}
