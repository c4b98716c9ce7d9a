package word

import (
	"regexp"
	"testing"
	"unicode"

	"github.com/stretchr/testify/require"
)

func TestJoiners(t *testing.T) {
	for _, c := range []struct {
		joiners, text, word string
		whole               bool
	}{
		{"", "depot-3 depot-30", "depot-3", true},
		{"-", "old-depot-3", "depot-3", false},
		{"-.", "depot-3.example", "depot-3", false},
		{"-.", "at depot-3.", "depot-3", true},
		{"-.", "-depot-3-", "depot-3", true},
		{"", "édepot-3", "depot-3", false},
		{"", "depot-3\u0301", "depot-3", false},
		{"", "\xe9depot-3\xff", "depot-3", true},
		{"\ufffd", "a\xffdepot-3", "depot-3", true},
	} {
		at := regexp.MustCompile(c.word).FindStringIndex(c.text)
		require.Equal(t, c.whole, Joiners(c.joiners).Whole([]byte(c.text), at[0], at[1]), "%q in %q", c.joiners, c.text)
	}
}

// Two characters fold to one where the standard library's expressions take one for the
// other.
func TestFold(t *testing.T) {
	for r := rune(1); r < 0x2100; r++ {
		for _, f := range []rune{unicode.ToUpper(r), unicode.ToLower(r), unicode.SimpleFold(r)} {
			same := regexp.MustCompile(`(?i)^` + regexp.QuoteMeta(string(r)) + `$`).MatchString(string(f))
			require.Equal(t, same, Fold(r) == Fold(f), "%q and %q", r, f)
		}
		if r < 0xd800 {
			require.Equal(t, len(Variants(r)) > 1, HasCase(string(r)), "%q", r)
		}
	}
}
