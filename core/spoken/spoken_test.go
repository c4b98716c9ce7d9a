package spoken

import (
	"regexp/syntax"
	"testing"

	"github.com/stretchr/testify/require"
)

func TestRegex(t *testing.T) {
	for expression, want := range map[string]string{
		`^server\s*=`:              "the start of the line, then “server”, then white space any number of times, or not at all, then “=”",
		`depot-(\d+)`:              "“depot-”, then group 1: a digit once or more",
		`(?i)ntp|chrony`:           "“ntp” in any case, or “chrony” in any case",
		`(?P<key>\w+)=("[^"]*")?$`: "group 1 (key): a letter, a digit or _ once or more, then “=”, then perhaps group 2: (“\"”, then any character but “\"” any number of times, or not at all, then “\"”), then the end of the line",
		`a{2,4}?.`:                 "“a” 2 to 4 times, as few as possible, then any character",
		`[^\s,]+ x{3}\b`:           "any character but white space, “,” once or more, then \" \", then “x” 3 times, then the edge of a word",
	} {
		said, err := Regex(expression)
		require.NoError(t, err)
		require.Equal(t, want, said, expression)
	}
	_, err := Regex(`(`)
	require.Error(t, err)
}

// Every expression that parses has words for each of its parts.
func FuzzRegex(f *testing.F) {
	for _, s := range []string{`a|b`, `(?:x?)*`, `[[:alpha:]]`, `\pN{2,}`, `\Q.\E`, `(?m)^$`, `\B.`} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, expression string) {
		if _, err := syntax.Parse(expression, syntax.Perl); err != nil {
			return
		}
		said, err := Regex(expression)
		require.NoError(t, err)
		require.NotEmpty(t, said)
	})
}
