package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"
)

func eventSchema(t *testing.T) *jsonschema.Schema {
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	c.AssertContent()
	schema, err := c.Compile("../../docs/events.schema.json")
	require.NoError(t, err)
	return schema
}

// Each event has an example in the schema, which is one.
func TestEventExamples(t *testing.T) {
	text, err := os.ReadFile("../../docs/events.schema.json")
	require.NoError(t, err)
	var schema struct {
		OneOf []map[string]string
		Defs  map[string]struct{ Examples []map[string]any } `json:"$defs"`
	}
	require.NoError(t, json.Unmarshal(text, &schema))
	valid := eventSchema(t)
	for _, one := range schema.OneOf {
		name := filepath.Base(one["$ref"])
		require.NotEmpty(t, schema.Defs[name].Examples, name)
		for _, example := range schema.Defs[name].Examples {
			require.Equal(t, name, example["event"])
			require.NoError(t, valid.Validate(example), name)
		}
	}
}

// Every event of every command is what the schema says: the first names the version, the
// last sums up.
func TestEvents(t *testing.T) {
	watchSources()
	schema := eventSchema(t)
	dir, _ := numbered(t, 0)
	for name, text := range map[string]string{
		"conf/a.ini": "[clock]\nhost = depot-3\n", "conf/b.bin": "\x00\x01", "conf/\xff.ini": "depot-3\n",
		"move.friz": "rule host {\n    replace word \"depot-3\" with \"depot-4\"\n    expect 9 changes\n}\nexample \"e\" { given \"x\"; gives \"x\" }\nexample { given \"x\"; gives \"y\" }\n",
		"bad.friz":  "replace worrd \"a\" with \"b\"\nparam x\n", "none.txt": "nothing\n", "plain.friz": "replace word \"depot-3\" with \"depot-4\"\n",
		"tree/depot-3.d/depot-3.conf": "host = depot-3\n", "tree/depot-3\xff/a": "x\n",
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	require.NoError(t, os.Symlink("depot-3.d", filepath.Join(dir, "tree/depot-3")))
	sheet, err := os.ReadFile("../../demo/files/office/inventory.xlsx")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "inventory.xlsx"), sheet, 0o644))
	seen := map[string]bool{}
	for _, args := range []string{
		"find --word depot-3 conf", "find -r plain.friz conf", "find --word nowhere conf",
		"find --text COUNTIF inventory.xlsx", "preview --word board-9 --with board-8 inventory.xlsx",
		"preview -r plain.friz conf", "preview -r move.friz conf", "preview -r plain.friz --seal kept conf/a.ini",
		"explain -r plain.friz", "explain -r plain.friz conf/a.ini", "explain -r move.friz conf", "explain -r plain.friz none.txt", "preview --sealed kept", "check .", "check bad.friz", "history",
		"find --also-names --word depot-3 tree", "preview --also-names --word depot-3 --with depot-4 --seal names tree", "preview --sealed names",
		"explain --also-names --word depot-3 --with depot-4 tree", "apply --yes --sealed names", "history", "undo --yes",
		"apply --yes -r move.friz conf", "apply --yes -r plain.friz --note notice conf", "apply --yes -r plain.friz conf",
		"undo --yes", "apply --yes --sealed kept", "history", "history --of conf/a.ini",
		"undo --yes", "apply --yes --hold 1h -r plain.friz conf", "history", "damage", "history",
	} {
		words := strings.Fields(args)
		if args == "damage" {
			records, err := filepath.Glob(filepath.Join(filepath.Dir(dir), "state", "runs", "*-1", "record"))
			require.NoError(t, err)
			require.Len(t, records, 1)
			require.NoError(t, os.WriteFile(records[0], []byte("{}"), 0o600))
			continue
		}
		if words[0] != "undo" {
			words = append(words, "--format", "json")
		}
		stdout, stderr, _ := frizzel(t, dir, words...)
		if words[0] == "undo" {
			continue
		}
		lines := strings.Split(strings.TrimSuffix(stdout, "\n"), "\n")
		require.Contains(t, lines[0], `{"event":"begin","version":1,"command":"`+words[0]+`"}`, "%s\n%s", args, stderr)
		last := map[string]string{"check": "checked", "history": "history"}[words[0]]
		if last == "" {
			last = "summary"
		}
		require.Contains(t, lines[len(lines)-1], `{"event":"`+last+`",`, args)
		for i, line := range lines {
			event, err := jsonschema.UnmarshalJSON(strings.NewReader(line))
			require.NoError(t, err, "%s: %s", args, line)
			require.NoError(t, schema.Validate(event), "%s: %s", args, line)
			kind := event.(map[string]any)["event"].(string)
			seen[kind] = true
			if state := event.(map[string]any)["state"]; state != nil {
				seen[state.(string)] = true
				require.Equal(t, state == "held", strings.Contains(line, `"held_until":"20`), line)
			}
			require.Equal(t, i == 0, kind == "begin", args)
			require.Equal(t, i == len(lines)-1, kind == last, args)
		}
	}
	_, _, _ = frizzel(t, dir, "undo", "--yes") // which ends the guard of the hold
	for _, kind := range []string{"statement", "step", "why", "match", "file", "link", "directory", "skip", "unchanged", "problem", "script_problem", "example", "run", "damaged", "done", "held", "taken_back"} {
		require.True(t, seen[kind], kind)
	}
}
