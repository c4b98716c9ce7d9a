package script

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// everything uses each form of the language once, oddly laid out.
const everything = `#!/usr/bin/env -S frizzel apply -r
# the head

frizzel 1
title 'it is "so"'
param a = "x" from env "A" matching regex '\w+' whole about "what"   # behind
param b
  matching word "b"
files "*.ini" 'a/**'
not files "x"
joiners "-."
encoding "iso-8859-1"; syntax "csv without header"
use "other.friz"


rule one "the first" { # comment in the head
replace text "a" preceded by word "b" not followed by regex 'c' ignoring case with
  "{=0 upper plus 1 pad 4 or none}" last in file across lines

  when file has word "x"
  when file changed by zero
  when file lacks regex '^$' whole
  when file changed
  expect at least 3 changes per file
  expect 1 change
  expect at most 2 changes
  # at the end
}
replace
  # hoisted
  | {=a}
  |
  | two
with
  | three
first
replace regex 'x' with "y" occurrences 2 to last
replace regex 'x' with "y" occurrence 2
replace each word ignoring case {
    "a" with "b" # one
    # between
    "b" with
    | a
    # last
}
replace each text from table "t.csv" columns "old" "new" keeping case
remove word "x" first
replace word "x" with "y" keeping case
on lines 3 to last { delete }
on line 3 on first 2 lines insert above "x" unless present
on last line insert below
   | x
unless present
insert at top 'x'
insert at end "x"
in section "s" having text "x" lacking word "y" { rewrite as "z"
  forbid word "q"
  require at most 2 of word "r" per file }
outside block with text "{" comment out with "# "
in paragraph with word "p" uncomment "#"
on lines from text "a" to last line copy above line 3
on lines from text "d" until regex 'b' having text "c" move below first line
on lines between word "a" and word "b" move above first line with text "q" ignoring case
on lines with text "x" and 1 above and 2 below squeeze blank lines to 0
on lines without text "x" trim line ends
settle regex '^a' ignoring case as "b" commented by "#" ";"; settle text "b" as "b" keeping comment; # behind
settle text "a" as "a" continued by "\"
  commented by "#"; ; settle word "w" as "w" continued by indentation keeping comment
in block with text "{" having word "a"
directly delete; in section "s" directly trim line ends
settle section "extra"; on line 3 { delete; squeeze blank lines; }
replace each word { "a" with "b"; "c" with "d" }
at '$.a[?@.b == "{=a}"]' having text "x"
lacking word "y" { at '@.c' { rename to "d"; delete }
  settle value '@.e' as literal
  | [1,
  | 2]
  settle item '@.f' as "x"; } # behind
at "/a/b" settle value '@c' as "{=value-path}"; settle value '$.g'
as "h"
squeeze blank lines
use line endings crlf
use final line ending
use encoding "utf-16le"
forbid text "a"
require word "b"
require 1 of word "c"
example "e" of one { set a = "x"
 file "f.md"
 given "x"
 gives the same }
example {
given
| x
gives "y"
}
# the end
`

// withoutPlaces sets every place in a tree to nothing, so that trees compare by
// what they say.
func withoutPlaces(v reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() && v.Type() != reflect.TypeFor[*Source]() {
			withoutPlaces(v.Elem())
		}
	case reflect.Struct:
		if v.Type() == reflect.TypeFor[Pos]() {
			v.SetZero()
			return
		}
		if v.Type() == reflect.TypeFor[Text]() {
			v.FieldByName("Column").SetZero()
		}
		for i := range v.NumField() {
			withoutPlaces(v.Field(i))
		}
	case reflect.Slice:
		for i := range v.Len() {
			withoutPlaces(v.Index(i))
		}
	}
}

// sameTree checks that what Format prints of a script says the same and stays as
// it is.
func sameTree(t testing.TB, name, text string) {
	s, problems := Parse(name, text)
	require.Empty(t, problems, "%s\n%s", name, problems.Error())
	printed := Format(s)
	again, problems := Parse(name, printed)
	require.Empty(t, problems, "%s\n%s\n%s", name, problems.Error(), printed)
	require.Equal(t, printed, Format(again), name)
	comments(s)
	require.Equal(t, comments(s), comments(again), "%s: comments", name)
	for _, tree := range []*Script{s, again} {
		tree.Source = nil
		withoutPlaces(reflect.ValueOf(tree))
		withoutHeads(reflect.ValueOf(tree))
	}
	require.Equal(t, s, again, "%s\n%s", name, printed)
}

// comments returns all comments of a tree in some order that does not depend on
// which node they hang on.
func comments(s *Script) map[string]int {
	found := map[string]int{}
	for line := range strings.Lines(Format(s)) {
		if _, c, ok := strings.Cut(line, "#"); ok {
			found[strings.TrimSpace(c)]++
		}
	}
	return found
}

// withoutHeads drops comments, which may move from the head of a block into it.
func withoutHeads(v reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			withoutHeads(v.Elem())
		}
	case reflect.Struct:
		for i := range v.NumField() {
			switch name := v.Type().Field(i).Name; {
			case name == "Above" && v.Field(i).Kind() == reflect.Slice, name == "After", name == "End" && v.Field(i).Kind() == reflect.Slice:
				v.Field(i).SetZero()
			default:
				withoutHeads(v.Field(i))
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			withoutHeads(v.Index(i))
		}
	}
}

func TestFormatKeepsTheTree(t *testing.T) {
	sameTree(t, "everything", everything)
	root := filepath.Join("..", "..")
	require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err == nil && filepath.Ext(path) == ".friz" {
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			sameTree(t, path, string(text))
			s, _ := Parse(path, string(text))
			require.Equal(t, string(text), Format(s), "%s is not laid out the standard way", path)
		}
		return err
	}))
}

// Whatever comes in, parsing ends, its problems lie within the text, and what
// parses prints and parses again.
func FuzzParse(f *testing.F) {
	f.Add(everything)
	for line := range strings.Lines(everything) {
		f.Add(line)
	}
	f.Add(strings.Repeat("rule x {\n", 300))
	f.Add(strings.Repeat("on line 1 ", 300) + "delete")
	f.Add("replace text \"{=\" with 'a")
	f.Add("\xff")
	f.Fuzz(func(t *testing.T, text string) {
		s, problems := Parse("fuzz.friz", text)
		lines := strings.Count(text, "\n") + 1
		for _, p := range problems {
			require.True(t, p.Pos.Line >= 1 && p.Pos.Line <= lines && p.Pos.Column >= 1, "%+v", p)
			require.NotEmpty(t, p.Reason)
			_ = p.String()
		}
		if len(problems) == 0 {
			printed := Format(s)
			again, problems := Parse("fuzz.friz", printed)
			require.Empty(t, problems, "%q\n%s", printed, problems.Error())
			require.Equal(t, printed, Format(again))
		}
	})
}

// A statement on one line is the same statement: its texts are as they were, and what is said around it is left out.
func TestOneLine(t *testing.T) {
	s, problems := Parse("a.friz", "# above\nin section \"k\" { # head\n    # inner\n    replace text \"a  b\" with \"# c\" # behind\n    # end\n}\n")
	require.Empty(t, problems.Errors())
	require.Equal(t, `in section "k" { replace text "a  b" with "# c" }`, OneLine(s.Items[0]))
	for _, chapter := range Reference() {
		for _, use := range chapter.Uses {
			s, problems := Parse("a.friz", use.Example)
			require.Empty(t, problems.Errors(), use.Example)
			for _, n := range s.Items {
				line := OneLine(n)
				require.NotContains(t, line, "\n")
				if again, problems := Parse("a.friz", line); len(problems.Errors()) == 0 && !strings.Contains(use.Example, "#") {
					require.Equal(t, Format(&Script{Items: []Node{n}}), Format(again), use.Example)
				}
			}
		}
	}
}

func TestNearest(t *testing.T) {
	for word, want := range map[string]string{"replase": "replace", "worrd": "word", "delte": "delete", "xyz": "", "on": "on"} {
		require.Equal(t, want, Nearest(word, slices.Concat(words(anywhere), patternKinds)), word)
	}
}

func BenchmarkParse(b *testing.B) {
	var text strings.Builder
	for i := range 2000 {
		fmt.Fprintf(&text, "rule r%d {\n    in section \"clock\" {\n        replace word \"depot-%d\" with \"depot-4\" keeping case\n    }\n}\n", i, i)
	}
	for b.Loop() {
		Parse("bench.friz", text.String())
	}
}
