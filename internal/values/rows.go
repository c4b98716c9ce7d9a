package values

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
	"go.yaml.in/yaml/v3"

	"frizzel/core/tree"
)

// Row is one of many sets of values.
type Row struct {
	Number int // from 1, a header not counted
	Values map[string]string
}

// ReadRows returns the rows in a file's text; its name tells the format. Every row has the
// same columns: the error names all that miss one.
func ReadRows(name string, text []byte) ([]Row, error) {
	var tables []map[string]string
	var err error
	switch ext := strings.ToLower(filepath.Ext(name)); ext {
	case ".csv":
		tables, err = rowsOfCSV(text)
	case ".toml":
		tables, err = rowsOfTOML(text)
	case ".yaml", ".yml":
		tables, err = rowsOfYAML(text)
	case ".json":
		tables, err = rowsOfJSON(text)
	default:
		return nil, fmt.Errorf("rows are read from .csv, .toml, .yaml, .yml or .json files, not %q", ext)
	}
	if err != nil {
		return nil, err
	}
	return numbered(tables)
}

// numbered makes rows of tables that all have the same columns.
func numbered(tables []map[string]string) ([]Row, error) {
	columns := map[string]bool{}
	for _, t := range tables {
		for name := range t {
			columns[name] = true
		}
	}
	var rows []Row
	var lacking []error
	for i, t := range tables {
		for _, name := range slices.Sorted(maps.Keys(columns)) {
			if _, ok := t[name]; !ok {
				lacking = append(lacking, fmt.Errorf("row %d has no %s", i+1, name))
			}
		}
		rows = append(rows, Row{i + 1, t})
	}
	if len(lacking) > 0 {
		return nil, errors.Join(lacking...)
	}
	if len(rows) == 0 {
		return nil, errors.New("there are no rows")
	}
	return rows, nil
}

// ReadEach returns the rows of columns that are written as name=a,b,c. All columns must have the same number of
// values.
func ReadEach(columns []string) ([]Row, error) {
	var tables []map[string]string
	for i, c := range columns {
		name, list, ok := strings.Cut(c, "=")
		if !ok || name == "" || list == "" {
			return nil, fmt.Errorf("%q is not NAME=VALUE,VALUE", c)
		}
		values := strings.Split(list, ",")
		if i == 0 {
			tables = make([]map[string]string, len(values))
			for k := range tables {
				tables[k] = map[string]string{}
			}
		}
		if len(values) != len(tables) {
			return nil, fmt.Errorf("%s has another number of values, %d, than those before it, %d", name, len(values), len(tables))
		}
		for k, v := range values {
			if _, twice := tables[k][name]; twice {
				return nil, fmt.Errorf("%s is given twice", name)
			}
			tables[k][name] = v
		}
	}
	return numbered(tables)
}

// rowsOfCSV takes the first record for the columns' names.
func rowsOfCSV(text []byte) ([]map[string]string, error) {
	records, err := tree.CSVReader(text).ReadAll()
	if err != nil {
		return nil, err
	}
	if len(records) == 0 {
		return nil, errors.New("there is no header with the columns' names")
	}
	header := records[0]
	for i, name := range header {
		if name == "" || slices.Contains(header[:i], name) {
			return nil, fmt.Errorf("the header's column %d has no name of its own", i+1)
		}
	}
	var tables []map[string]string
	for i, rec := range records[1:] {
		if len(rec) > len(header) {
			return nil, fmt.Errorf("row %d has %d columns, and the header %d", i+1, len(rec), len(header))
		}
		t := map[string]string{}
		for k, v := range rec {
			t[header[k]] = v
		}
		tables = append(tables, t)
	}
	return tables, nil
}

// rowsOfTOML takes the tables of the one array of tables.
func rowsOfTOML(text []byte) ([]map[string]string, error) {
	var tables []map[string]string
	of := ""
	p := unstable.Parser{}
	p.Reset(text)
	for p.NextExpression() {
		e := p.Expression()
		if e.Kind == unstable.Comment {
			continue
		}
		name, parts, line := tomlKey(&p, e)
		switch {
		case e.Kind == unstable.ArrayTable && parts == 1 && (of == "" || of == name):
			of = name
			tables = append(tables, map[string]string{})
			continue
		case e.Kind != unstable.KeyValue || parts != 1 || len(tables) == 0:
			return nil, fmt.Errorf("line %d: rows are tables such as [[row]], all of one name, with names and single values", line)
		}
		v := e.Value()
		if v.Kind == unstable.Array || v.Kind == unstable.InlineTable {
			return nil, notSingle(line, name)
		}
		row := tables[len(tables)-1]
		if _, twice := row[name]; twice {
			return nil, fmt.Errorf("line %d: %s is given twice", line, name)
		}
		row[name] = string(v.Data)
	}
	return tables, TOMLProblem(text, p.Error())
}

// tomlKey returns an expression's key, the number of its parts, and its line.
func tomlKey(p *unstable.Parser, e *unstable.Node) (name string, parts, line int) {
	for key := e.Key(); key.Next(); parts++ {
		if parts == 0 {
			name = string(key.Node().Data)
			line = p.Shape(key.Node().Raw).Start.Line
		}
	}
	return name, parts, line
}

func rowsOfJSON(text []byte) ([]map[string]string, error) {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var list []map[string]any
	if err := d.Decode(&list); err != nil {
		return nil, problem(text, err, `rows are a list of objects, such as [{"name": "platform"}]`)
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, errors.New("there is more behind the rows")
	}
	var tables []map[string]string
	for i, object := range list {
		t, err := single(object)
		if err != nil {
			return nil, fmt.Errorf("row %d: %w", i+1, err)
		}
		tables = append(tables, t)
	}
	return tables, nil
}

func rowsOfYAML(text []byte) ([]map[string]string, error) {
	var list []map[string]yaml.Node
	if err := yaml.Unmarshal(text, &list); err != nil {
		return nil, problem(text, err, "rows are a list of mappings, such as - name: platform, each name once")
	}
	var tables []map[string]string
	for i, mapping := range list {
		t, err := scalars(mapping)
		if err != nil {
			return nil, fmt.Errorf("row %d: %w", i+1, err)
		}
		tables = append(tables, t)
	}
	return tables, nil
}
