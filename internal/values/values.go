// Package values reads files that give parameters their values: TOML, YAML or JSON,
// names and single values, nothing nested.
package values

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/BurntSushi/toml"
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

func readTOML(text []byte) (map[string]string, error) {
	var table map[string]any
	if _, err := toml.Decode(string(text), &table); err != nil {
		return nil, err
	}
	return singles(table)
}

func readJSON(text []byte) (map[string]string, error) {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var table map[string]any
	if err := d.Decode(&table); err != nil {
		return nil, err
	}
	return singles(table)
}

// singles writes values as text; what holds several values is an error.
func singles(table map[string]any) (map[string]string, error) {
	values := map[string]string{}
	for name, v := range table {
		switch v.(type) {
		case map[string]any, []any, []map[string]any, nil:
			return nil, fmt.Errorf("%s is no single value", name)
		}
		values[name] = fmt.Sprint(v)
	}
	return values, nil
}

// readYAML takes scalars as they are written, so that 007 stays 007.
func readYAML(text []byte) (map[string]string, error) {
	var table map[string]yaml.Node
	if err := yaml.Unmarshal(text, &table); err != nil {
		return nil, err
	}
	values := map[string]string{}
	for name, n := range table {
		if n.Kind != yaml.ScalarNode || n.Tag == "!!null" {
			return nil, fmt.Errorf("line %d: %s is no single value", n.Line, name)
		}
		values[name] = n.Value
	}
	return values, nil
}
