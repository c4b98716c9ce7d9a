package compile

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/word"
)

// table reads a CSV file of pairs; nil after an error.
func (c *compiler) table(n *script.Table, ignoreCase bool, with *[]*program.Template) *program.Table {
	name := relative(c.source.Name, c.constant(n.Path))
	text, ok := c.read(n.Path, name)
	if !ok {
		return nil
	}
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\ufeff"))))
	r.FieldsPerRecord = -1
	records, err := r.ReadAll()
	if err != nil {
		c.errorf(n.Path.Pos, "", "%s: %v", name, err)
		return nil
	}
	from, to, first, ok := c.columns(n, name, records)
	if !ok {
		return nil
	}
	t := &program.Table{Path: name}
	seen := map[string]bool{}
	for i, rec := range records[first:] {
		if n.Old == nil && len(rec) != 2 || max(from, to) >= len(rec) {
			c.errorf(n.Path.Pos, `or name two of them: columns "old" "new"`, "%s, record %d: %d columns, where two are wanted", name, i+first+1, len(rec))
			return nil
		}
		old := rec[from]
		key := folded(old, ignoreCase)
		switch {
		case old == "" || strings.Contains(old, "\n"):
			c.errorf(n.Path.Pos, "", "%s, record %d: an old text is some text within one line", name, i+first+1)
			return nil
		case seen[key]:
			c.errorf(n.Path.Pos, "keep one of them", "%s, record %d: %q is replaced twice", name, i+first+1, old)
			return nil
		}
		seen[key] = true
		t.Rows = append(t.Rows, old)
		*with = append(*with, &program.Template{Parts: []program.Part{{Literal: rec[to]}}})
	}
	if len(t.Rows) == 0 {
		c.errorf(n.Path.Pos, "", "%s holds no pairs", name)
		return nil
	}
	c.program.Tables = append(c.program.Tables, t)
	return t
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
