package outline

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

// Each file in testdata is a text in which the part that is looked for is marked: a
// line with » begins it, one with « ends it, one with › closes it. The first line
// says what is looked for.
func TestParts(t *testing.T) {
	files, err := filepath.Glob("testdata/*.txt")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		content, err := os.ReadFile(file)
		require.NoError(t, err)
		for n, c := range strings.Split(string(content), "%%%%%\n") {
			what, marked, _ := strings.Cut(c, "\n")
			text, want := unmarked(marked)
			var got []edit.Span
			tx := New([]byte(text), syntax.None)
			kind, name, _ := strings.Cut(what, " ")
			switch kind {
			case "section":
				got = tx.Sections(false, named(name))
			case "toml":
				got = New([]byte(text), syntax.TOML).Sections(false, named(name))
			case "own":
				got = New([]byte(text), syntax.Markdown).Sections(true, named(name))
			case "rest":
				got = New([]byte(text), syntax.ReST).Sections(false, named(name))
			case "asciidoc":
				got = New([]byte(text), syntax.AsciiDoc).Sections(false, named(name))
			case "heading":
				got = New([]byte(text), syntax.Markdown).Sections(false, named(name))
			case "block", "unclosed":
				i := tx.At(strings.Index(text, name))
				s, ok := tx.Block(i)
				require.Equal(t, kind == "block", ok, "%s, %d: %s", file, n, what)
				if ok {
					got = append(got, s)
				}
			default:
				require.Fail(t, "nothing is looked for", "%s: %q", file, what)
			}
			require.Equal(t, want, shown(text, got), "%s, %d: %s\n%s", file, n, what, text)
		}
	}
}

func named(want string) func([]byte) bool {
	return func(name []byte) bool { return string(name) == want }
}

// unmarked takes the marks out of a text, and returns the lines between them.
func unmarked(marked string) (text string, want []string) {
	var part []string
	inside := false
	var plain strings.Builder
	for line := range strings.Lines(marked) {
		body := strings.TrimSuffix(line, "\n")
		begins := strings.HasPrefix(body, "»")
		body = strings.TrimPrefix(body, "»")
		ends := strings.HasSuffix(body, "«") || strings.HasSuffix(body, "›")
		closes := strings.HasSuffix(body, "›")
		body = strings.TrimSuffix(strings.TrimSuffix(body, "«"), "›")
		if begins {
			inside, part = true, nil
		}
		if inside {
			if closes {
				part = append(part, "›"+body)
			} else {
				part = append(part, body)
			}
		}
		if ends {
			inside = false
			want = append(want, strings.Join(part, "\n"))
		}
		plain.WriteString(body + "\n")
	}
	return plain.String(), want
}

// shown writes spans as unmarked does.
func shown(text string, spans []edit.Span) (out []string) {
	for _, s := range spans {
		part := strings.TrimSuffix(text[s.Start:s.End], "\n")
		if s.Last < s.End {
			part = text[s.Start:s.Last] + "›" + strings.TrimSuffix(text[s.Last:s.End], "\n")
		}
		out = append(out, part)
	}
	return out
}

// The blocks of all lines of a text together are found in time linear in it, whatever the
// text nests and leaves open.
func TestBlocksAreLinear(t *testing.T) {
	const n = 20_000
	nested := func(before, after string) string {
		var b strings.Builder
		for i := range n {
			b.WriteString(strings.Repeat(" ", min(i, 1)*(i%50)) + before + "\n")
		}
		return b.String() + strings.Repeat(after+"\n", n)
	}
	begun := time.Now()
	for _, s := range []syntax.Syntax{syntax.None, syntax.XML, syntax.HTML, syntax.JSON, syntax.TOML, syntax.YAML, syntax.CSS, syntax.Markdown, syntax.ReST, syntax.AsciiDoc} {
		for _, text := range []string{
			nested("a {", "}"), nested("a {", ""), nested("(", "}"), nested("{ (", "}"), nested("<a>", "</a>"), nested("<a>", "</b>"),
			nested("<a/>", "</a>"), nested("<a><b/>", "</b>"), nested("a:", "# comment"), nested("- a", "- b"), nested("a /*", "{"),
			nested("a", ""), nested("} else {", "}"), nested("\"", "{"),
		} {
			tx := New([]byte(text), s)
			for i := range tx.Count() {
				tx.Block(i)
			}
		}
	}
	require.Less(t, time.Since(begun), time.Minute)
}
