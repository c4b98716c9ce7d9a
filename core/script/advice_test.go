package script

import (
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write the advice into testdata")

// What people write before they know the language is answered with the form that it has, filled in with what they
// wrote; that form is a right script.
func TestNaturalAttempts(t *testing.T) {
	const file = "testdata/attempts.txt"
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	var out strings.Builder
	attempts := 0
	for line := range strings.Lines(string(text)) {
		attempt := strings.TrimSuffix(line, "\n")
		if strings.HasPrefix(attempt, " ") {
			continue
		}
		attempts++
		_, problems := Parse("x.friz", attempt+"\n")
		require.NotEmpty(t, problems, attempt)
		form, ok := strings.CutPrefix(problems[0].Remedy, "write: ")
		form = strings.TrimSuffix(form, otherKinds)
		require.True(t, ok, "%s\n%s", attempt, problems)
		_, problems = Parse("x.friz", form+"\n")
		require.Empty(t, problems, "%s\n%s", attempt, form)
		out.WriteString(attempt + "\n    " + form + "\n")
	}
	require.GreaterOrEqual(t, attempts, 80)
	for _, attempt := range []string{ // what would be no right form
		"rule x {\n    when file has text \"a\" ignorin case\n}", "in section \"a\" remve word \"b\"", "on first line wiht word \"a\" delete",
	} {
		_, problems := Parse("x.friz", attempt)
		require.NotEmpty(t, problems)
		require.NotContains(t, problems[0].Remedy, "write:", attempt)
	}
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(out.String()), 0o644))
	}
	require.Equal(t, string(text), out.String())
}
