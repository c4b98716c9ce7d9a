package compile

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/tree"
	"frizzel/core/word"
)

// A row is two texts of a table, and their place for messages.
type row struct {
	old, beside string
	pos         script.Pos
	record      int // 1-based, in a CSV file; 0 in a script
}

// where begins a message about the row of a table at path.
func (r row) where(path string) string {
	if r.record == 0 {
		return ""
	}
	return fmt.Sprintf("%s, record %d: ", path, r.record)
}

// A lookup is a named table: what stands beside each text, and the texts in their order.
type lookup struct {
	beside map[string]string
	order  []string
}

// scoped reads the named tables among the items of a script or a rule, in addition to those of outer. The result restores
// the tables in reach.
func (c *compiler) scoped(outer map[string]*lookup, items []script.Node) (restore func()) {
	before := c.tables
	c.tables = map[string]*lookup{}
	maps.Copy(c.tables, outer)
	for _, item := range items {
		n, ok := item.(*script.NamedTable)
		if !ok {
			continue
		}
		if _, taken := c.tables[n.Name]; taken {
			c.errorf(n.Pos, "choose another name", "the name %q is taken by another table", n.Name)
			continue
		}
		rows := c.rowsOf(n)
		t := &lookup{beside: make(map[string]string, len(rows))}
		c.tables[n.Name] = t
		for _, r := range rows {
			if _, twice := t.beside[r.old]; twice {
				c.errorf(r.pos, "keep one of them", "%s%q stands twice in the table", r.where(c.pathOf(n.Table)), r.old)
				break
			}
			t.beside[r.old] = r.beside
			t.order = append(t.order, r.old)
		}
	}
	return func() { c.tables = before }
}

// rowsOf returns the rows of a named table.
func (c *compiler) rowsOf(n *script.NamedTable) (rows []row) {
	if n.Table != nil {
		return c.records(n.Table)
	}
	for _, pair := range n.Pairs {
		rows = append(rows, row{old: c.fixed(pair.Old), beside: c.fixed(pair.With), pos: pair.Pos})
	}
	return rows
}

// tableNamed returns a table in reach; an empty one after an error.
func (c *compiler) tableNamed(name string, pos script.Pos) *lookup {
	if t, ok := c.tables[name]; ok {
		return t
	}
	remedy, near := script.Meant(name, slices.Sorted(maps.Keys(c.tables)), "declare it with table "+name+` from "…", or table `+name+" { … }")
	c.errorf(pos, remedy, "there is no table %s", name)
	c.near(pos, name, near)
	return &lookup{}
}

// table returns the table of a `replace each`; nil after an error.
func (c *compiler) table(n *script.Table, ignoreCase bool, with *[]*program.Template) *program.Table {
	t := &program.Table{Path: n.Name}
	var rows []row
	if n.Name != "" {
		named := c.tableNamed(n.Name, n.Pos)
		for _, old := range named.order {
			rows = append(rows, row{old: old, beside: named.beside[old], pos: n.Pos})
		}
	} else {
		t.Path = c.pathOf(n)
		rows = c.records(n)
	}
	seen := make(map[string]bool, len(rows))
	t.Rows, *with = make([]string, 0, len(rows)), slices.Grow(*with, len(rows))
	// Of very many rows, each by itself would take longer to make than to read.
	templates, parts := make([]program.Template, len(rows)), make([]program.Part, len(rows))
	for i, r := range rows {
		key := folded(r.old, ignoreCase)
		switch {
		case r.old == "" || strings.Contains(r.old, "\n"):
			c.errorf(r.pos, "", "%san old text is some text within one line", r.where(t.Path))
			return nil
		case seen[key]:
			c.errorf(r.pos, "keep one of them", "%s%q is replaced twice", r.where(t.Path), r.old)
			return nil
		}
		seen[key] = true
		t.Rows = append(t.Rows, r.old)
		parts[i].Literal = r.beside
		templates[i].Parts = parts[i : i+1 : i+1]
		*with = append(*with, &templates[i])
	}
	if len(t.Rows) == 0 {
		return nil
	}
	c.program.Tables = append(c.program.Tables, t)
	return t
}

// pathOf returns the path of a table's file, "" if there is none.
func (c *compiler) pathOf(n *script.Table) string {
	if n == nil || n.Path == nil {
		return ""
	}
	return script.Beside(c.source.Name, c.constant(n.Path))
}

// records reads a CSV file of pairs; nil after an error.
func (c *compiler) records(n *script.Table) (rows []row) {
	name := c.pathOf(n)
	text, ok := c.read(n.Path, name)
	if !ok {
		return nil
	}
	records, err := tree.CSVReader(text).ReadAll()
	if err != nil {
		c.errorf(n.Path.Pos, "", "%s: %v", name, err)
		return nil
	}
	from, to, first, ok := c.columns(n, name, records)
	if !ok {
		return nil
	}
	rows = make([]row, 0, len(records)-first)
	for i, rec := range records[first:] {
		r := row{pos: n.Path.Pos, record: i + first + 1}
		if n.Old == nil && len(rec) != 2 || max(from, to) >= len(rec) {
			c.errorf(n.Path.Pos, `or name two of them: columns "old" "new"`, "%s%d columns, where two are wanted", r.where(name), len(rec))
			return nil
		}
		r.old, r.beside = rec[from], rec[to]
		rows = append(rows, r)
	}
	if len(rows) == 0 {
		c.errorf(n.Path.Pos, "", "%s holds no pairs", name)
	}
	return rows
}

// columns returns which columns of a table hold old and new texts, and the first
// record after a header.
func (c *compiler) columns(n *script.Table, name string, records [][]string) (from, to, first int, ok bool) {
	if n.Old == nil {
		return 0, 1, 0, true
	}
	if len(records) == 0 {
		c.errorf(n.Path.Pos, "", "%s has no header", name)
		return 0, 0, 0, false
	}
	places := [2]int{}
	for i, t := range []*script.Text{n.Old, n.New} {
		places[i] = slices.Index(records[0], c.fixed(t))
		if places[i] < 0 {
			remedy := "its columns are " + strings.Join(records[0], ", ")
			c.errorf(t.Pos, remedy, "%s has no column %q", name, c.fixed(t))
			return 0, 0, 0, false
		}
	}
	return places[0], places[1], 1, true
}

// folded returns what two old texts that match the same have in common.
func folded(s string, ignoreCase bool) string {
	if ignoreCase {
		return word.FoldString(s)
	}
	return s
}
