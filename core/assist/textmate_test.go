package assist

import (
	"bytes"
	"encoding/json"
	"flag"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"frizzel/core/script"
)

var update = flag.Bool("update", false, "write the grammar into docs/editor")

// An engine colours lines by the part of TextMate grammars that the grammar uses.
type engine struct {
	Patterns   []rule          `json:"patterns"`
	Repository map[string]rule `json:"repository"`
}

func (e *engine) flat(rules []rule) (all []rule) {
	for _, r := range rules {
		if r.Include != "" {
			all = append(all, e.flat(e.Repository[strings.TrimPrefix(r.Include, "#")].Patterns)...)
		} else {
			all = append(all, r)
		}
	}
	return all
}

// colour returns the scope of each byte of a line: that of the innermost rule.
func (e *engine) colour(line string) []string {
	scopes := make([]string, len(line))
	paint := func(from, to int, name string) {
		for i := from; i < to && name != ""; i++ {
			scopes[i] = name
		}
	}
	rules, end, at := e.flat(e.Patterns), (*regexp.Regexp)(nil), 0
	name := ""
	for at <= len(line) {
		var best rule
		var loc []int
		for _, r := range rules {
			source := r.Match + r.Begin
			if at > 0 && strings.HasPrefix(source, "^") {
				continue
			}
			re := regexp.MustCompile(source)
			if m := find(re, line, at); m != nil && (loc == nil || m[0] < loc[0]) {
				best, loc = r, m
			}
		}
		if end != nil {
			if m := find(end, line, at); m != nil && (loc == nil || m[0] <= loc[0]) {
				paint(at, m[1], name)
				rules, end, name, at = e.flat(e.Patterns), nil, "", max(m[1], at+1)
				continue
			}
		}
		if loc == nil {
			break
		}
		if end != nil {
			paint(at, loc[0], name)
		}
		paint(loc[0], loc[1], best.Name)
		for group, c := range best.Captures {
			paint(loc[2*int(group[0]-'0')], loc[2*int(group[0]-'0')+1], c.Name)
		}
		at = loc[1]
		if best.Begin != "" {
			for group, c := range best.BeginCaptures {
				paint(loc[2*int(group[0]-'0')], loc[2*int(group[0]-'0')+1], c.Name)
			}
			rules, end, name = e.flat(best.Patterns), regexp.MustCompile(best.End), best.Name
		}
	}
	return scopes
}

// find returns the first match at or behind an offset, with what is before it in view.
func find(re *regexp.Regexp, line string, at int) []int {
	for _, m := range re.FindAllStringSubmatchIndex(line, -1) {
		if m[0] >= at {
			return m
		}
	}
	if m := re.FindStringSubmatchIndex(line[at:]); m != nil && !strings.HasPrefix(re.String(), `\b`) {
		for i := range m {
			m[i] += at
		}
		return m
	}
	return nil
}

// The grammar in docs/editor is that of the table, and gives each part of every script here the scope of what it is.
func TestTextMate(t *testing.T) {
	text, err := TextMate()
	require.NoError(t, err)
	text = append(text, '\n')
	const path = "../../docs/editor/frizzel.tmLanguage.json"
	if *update {
		require.NoError(t, os.WriteFile(path, text, 0o644))
	}
	kept, err := os.ReadFile(path)
	require.NoError(t, err)
	require.True(t, bytes.Equal(kept, text), "the grammar is not that of the table: go test ./core/assist -update")
	var e engine
	require.NoError(t, json.Unmarshal(text, &e))

	wanted := map[script.LexemeKind][]string{
		script.LexWord:    {"keyword.", "storage.", "entity.name.", "variable.parameter."},
		script.LexString:  {"string.", "variable.other.", "constant.character."},
		script.LexMargin:  {"string.unquoted.", "variable.other.", "constant.character."},
		script.LexComment: {"comment."}, script.LexNumber: {"constant.numeric."}, script.LexPunctuation: {"punctuation."},
	}
	names := regexp.MustCompile(`\b(?:of|by|from table|table) [a-z][a-z0-9-]*$`) // of rules and tables, in whatever colour
	scripts := scriptsBelow(t, "../..")
	require.Greater(t, len(scripts), 50)
	for _, chapter := range script.Reference() {
		for _, use := range chapter.Uses {
			scripts[use.Form] = use.Example
		}
	}
	for name, text := range scripts {
		for line := range strings.SplitSeq(text, "\n") {
			scopes := e.colour(line)
			for _, l := range script.Lexemes(line) {
				if l.Start == l.End || l.Kind == script.LexWord && names.MatchString(line[:l.End]) {
					continue
				}
				ok := false
				for _, want := range wanted[l.Kind] {
					ok = ok || strings.HasPrefix(scopes[l.End-1], want)
				}
				require.True(t, ok, "%s: %q of %q has the scope %q", name, l.Text, line, scopes[l.End-1])
			}
		}
	}
}

// scriptsBelow returns the scripts below a directory that have no mistakes, those within test scripts too.
func scriptsBelow(t *testing.T, dir string) map[string]string {
	all := map[string]string{}
	add := func(name string, text []byte) {
		if _, problems := script.Parse(name, string(text)); len(problems.Errors()) == 0 {
			all[name] = string(text)
		}
	}
	err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if ext := filepath.Ext(path); err != nil || ext != ".friz" && ext != ".txtar" {
			return err
		}
		text, err := os.ReadFile(path)
		if filepath.Ext(path) == ".friz" {
			add(path, text)
			return err
		}
		for _, f := range txtar.Parse(text).Files {
			if filepath.Ext(f.Name) == ".friz" {
				add(path+" "+f.Name, f.Data)
			}
		}
		return err
	})
	require.NoError(t, err)
	return all
}
