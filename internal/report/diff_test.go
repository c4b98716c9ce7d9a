package report

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"frizzel/core/compile"
	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/pattern"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// changed returns a text of 24 lines, and edits that change line 3, insert below line 5, and remove line 20.
func changed() ([]byte, edit.List) {
	var text bytes.Buffer
	var starts []int
	for i := range 24 {
		starts = append(starts, text.Len())
		fmt.Fprintf(&text, "kiosk %d = depot-3\n", i+1)
	}
	return text.Bytes(), edit.List{
		{Start: starts[3] - 2, End: starts[3] - 1, New: []byte("4"), Rules: []int{0}},
		{Start: starts[5], End: starts[5], New: []byte("\x1b[2Jtoken = s3cret\n"), Rules: []int{1}},
		{Start: starts[19], End: starts[20], Rules: []int{0}},
	}
}

func shown(t *testing.T, p Printer) string {
	var out bytes.Buffer
	p.Out, p.Rules = &out, []string{"host", "token"}
	text, edits := changed()
	require.NoError(t, p.Diff("kiosks.conf", diff.Whole(text, edits)))
	return out.String()
}

// In a pipe a diff is the bytes themselves; at a terminal nothing in it drives the terminal. What is hidden is
// shown in neither, in changed lines and around them.
func TestDiff(t *testing.T) {
	require.Equal(t, `--- a/kiosks.conf
+++ b/kiosks.conf
@@ -2,5 +2,6 @@ host, token
 kiosk 2 = depot-3
-kiosk 3 = depot-3
+kiosk 3 = depot-4
 kiosk 4 = depot-3
 kiosk 5 = depot-3
+`+"\x1b[2J"+`token = s3cret
 kiosk 6 = depot-3
@@ -19,3 +20,2 @@ host
 kiosk 19 = depot-3
-kiosk 20 = depot-3
 kiosk 21 = depot-3
`, shown(t, Printer{Context: 1}))
	drawn := shown(t, Printer{Context: 1, Terminal: true, Width: 80})
	require.NotContains(t, drawn, "\x1b")
	require.Contains(t, drawn, "token = s3cret")
	var hidden []*pattern.Pattern
	for _, expr := range []string{`regex 's3\w+'`, `text "kiosk 2 "`, `text "kiosk 20"`} {
		p, problems := compile.Pattern("hide", expr)
		require.Empty(t, problems)
		hidden = append(hidden, p)
	}
	for _, terminal := range []bool{false, true} {
		masked := shown(t, Printer{Context: 3, Terminal: terminal, Width: 80, Hidden: hidden})
		for _, secret := range []string{"s3", "kiosk 2 ", "kiosk 20"} {
			require.NotContains(t, masked, secret)
		}
		require.Equal(t, 3, strings.Count(masked, mask), masked)
	}
}

// A hunk that is too long to be held is written as it comes, the same as one that is held.
func TestLongHunk(t *testing.T) {
	var text, want bytes.Buffer
	var edits edit.List
	const n = 3*longHunk + 5
	fmt.Fprintf(&want, "--- a/long\n+++ b/long\n@@ -1,%d +1,%d @@\n", n, n)
	for range n {
		edits = append(edits, edit.Edit{Start: text.Len(), End: text.Len() + 1, New: []byte("b")})
		text.WriteString("a\n")
	}
	want.WriteString(strings.Repeat("-a\n", n) + strings.Repeat("+b\n", n))
	var out bytes.Buffer
	p := Printer{Out: &out, Context: 3}
	require.NoError(t, p.Diff("long", diff.Whole(text.Bytes(), edits)))
	removed, added := 0, 0
	for line := range strings.Lines(out.String()) {
		switch line {
		case "-a\n":
			removed++
		case "+b\n":
			added++
		default:
			require.Contains(t, want.String(), line)
		}
	}
	require.Equal(t, []int{n, n}, []int{removed, added})
}

// Files within documents are named if they are few, and counted if not.
func TestOpaque(t *testing.T) {
	for n, want := range map[int]string{2: "note: b.odt: not looked into: macros\n", 3: "note: 3 embedded files and programs within 3 documents are not searched; --verbose names them\n"} {
		var errs bytes.Buffer
		s := &run.Summary{}
		for i := range n {
			s.Notes = append(s.Notes, run.FileNote{Path: string(rune('a'+i)) + ".odt", Note: program.Note{Rule: -1, Text: "not looked into: macros", Unchanged: &[]program.Unchanged{{Place: "macros"}}}})
		}
		p := Printer{Err: &errs}
		p.notes(s)
		require.Contains(t, errs.String(), want)
	}
}

// A summary counts files, changes and what was left out, names the rules, and says what found nothing.
func TestSummary(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"a.ini": "depot-3 depot-3\n", "b.ini": "depot-3\n", "c.ini": "nothing\n", "font.bin": "\x00\x01"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	s, problems := script.Parse("test.friz", "rule host \"Host names\" { replace word \"depot-3\" with \"depot-4\" }\nrule none { in section \"clock\" { trim line ends } }")
	require.Empty(t, problems)
	compiled, problems := compile.Scripts([]*script.Script{s}, compile.Options{})
	require.NotNil(t, compiled, problems.Error())
	plan := &run.Plan{Program: compiled, Selection: selection.Selection{Paths: []string{dir}}}
	summary, err := plan.Do(t.Context(), func(*run.Result) (bool, error) { return true, nil })
	require.NoError(t, err)
	var errs bytes.Buffer
	p := Printer{Err: &errs, Rules: []string{"host", "none"}}
	p.Summary(summary, "would change")
	for _, want := range []string{"3 files read, 2 would change: 3 changes\n", "host", "left out: 1 binary", "this address selects nothing in any file"} {
		require.Contains(t, errs.String(), want)
	}
}
