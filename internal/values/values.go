// Package values reads files that give parameters their values: TOML, YAML or JSON,
// names with single values, not nested.
package values

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
	"go.yaml.in/yaml/v3"
)

// Read returns the values in a file's text; its name tells the format.
func Read(name string, text []byte) (map[string]string, error) {
	switch ext := strings.ToLower(filepath.Ext(name)); ext {
	case ".toml":
		return readTOML(text)
	case ".yaml", ".yml":
		return readYAML(text)
	case ".json":
		return readJSON(text)
	default:
		return nil, fmt.Errorf("values are read from .toml, .yaml, .yml or .json files, not %q", ext)
	}
}

// notSingle is the error for a name with several values or without one.
func notSingle(line int, name string) error {
	const most = 60 // characters of a name that a message shows
	if runes := []rune(name); len(runes) > most {
		name = string(runes[:most]) + "…"
	}
	if line == 0 {
		return fmt.Errorf("%s is not a single value", name)
	}
	return fmt.Errorf("line %d: %s is not a single value", line, name)
}

// readTOML reads expression by expression, so that nested values use no memory.
func readTOML(text []byte) (map[string]string, error) {
	values := map[string]string{}
	p := unstable.Parser{}
	p.Reset(text)
	for p.NextExpression() {
		e := p.Expression()
		if e.Kind == unstable.Comment {
			continue
		}
		name, parts, line := tomlKey(&p, e)
		if e.Kind != unstable.KeyValue || parts != 1 {
			return nil, notSingle(line, name)
		}
		switch v := e.Value(); v.Kind {
		case unstable.Array, unstable.InlineTable:
			return nil, notSingle(line, name)
		default:
			if _, ok := values[name]; ok {
				return nil, fmt.Errorf("line %d: %s is given twice", line, name)
			}
			values[name] = string(v.Data)
		}
	}
	return values, TOMLProblem(text, p.Error())
}

func readJSON(text []byte) (map[string]string, error) {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var table map[string]any
	if err := d.Decode(&table); err != nil {
		return nil, problem(text, err, `values are an object, such as {"host": "depot-3"}`)
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, errors.New("there is more behind the values")
	}
	return single(table)
}

// single returns an object's values, each of which must be a scalar.
func single(object map[string]any) (map[string]string, error) {
	values := map[string]string{}
	for name, v := range object {
		switch v.(type) {
		case map[string]any, []any, nil:
			return nil, notSingle(0, name)
		}
		values[name] = fmt.Sprint(v)
	}
	return values, nil
}

// readYAML takes scalars as they are written, so that 007 stays 007.
func readYAML(text []byte) (map[string]string, error) {
	var table map[string]yaml.Node
	if err := yaml.Unmarshal(text, &table); err != nil {
		return nil, problem(text, err, "values are a mapping, such as host: depot-3, each name once")
	}
	return scalars(table)
}

func scalars(mapping map[string]yaml.Node) (map[string]string, error) {
	values := map[string]string{}
	for name, n := range mapping {
		if n.Kind != yaml.ScalarNode || n.Tag == "!!null" {
			return nil, notSingle(n.Line, name)
		}
		values[name] = n.Value
	}
	return values, nil
}
