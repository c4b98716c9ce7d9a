package program

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"

	"frizzel/core/pattern"
	"frizzel/core/script"
	"frizzel/core/textfile"
)

// statement compiles a statement; nil for a node that is none, and after an error.
func (c *compiler) statement(n script.Node) action {
	switch n := n.(type) {
	case *script.Replace:
		return c.replace(n)
	case *script.ReplaceEach:
		return c.replaceEach(n)
	case *script.Delete:
		c.needsAddress(n.Pos, "delete")
		c.moves(n.Pos)
		return remove{}
	case *script.Insert:
		if n.Where == script.Top || n.Where == script.End {
			c.wholeFile(n.Pos, "insert "+n.Where.String())
		}
		if !n.UnlessPresent {
			c.warn(n.Pos, "add unless present", "each run inserts these lines once more")
		}
		c.moves(n.Pos)
		return &insert{n, c.template(n.Text, nil)}
	case *script.Rewrite:
		c.moves(n.Pos)
		return &rewrite{c.template(n.Text, nil)}
	case *script.Settle:
		return c.settle(n)
	case *script.Comment:
		c.oneLine(n.Mark, "a comment mark")
		return &comment{n.Out, c.template(n.Mark, nil)}
	case *script.Transfer:
		word := "copy"
		if n.Move {
			word = "move"
		}
		c.needsAddress(n.Pos, word)
		if n.Dest.Line > 0 {
			c.numbered(n.Pos)
		}
		c.moves(n.Pos)
		t := &transfer{Transfer: n}
		if n.Dest.Pattern != nil {
			t.pattern = c.pattern(n.Dest.Pattern, false)
		}
		return t
	case *script.Squeeze:
		c.moves(n.Pos)
		return &squeeze{n.To}
	case *script.TrimEnds:
		return trimEnds{}
	case *script.UseEndings:
		c.wholeFile(n.Pos, "use line endings")
		return &useEndings{n.CRLF}
	case *script.UseFinalEnding:
		c.wholeFile(n.Pos, "use final line ending")
		return useFinalEnding{}
	case *script.UseEncoding:
		c.wholeFile(n.Pos, "use encoding")
		c.knownEncoding(n.Name)
		return &useEncoding{c.fixed(n.Name), c.rule.index}
	}
	return nil
}

func (c *compiler) needsAddress(pos script.Pos, word string) {
	if len(c.within) == 0 {
		c.errorf(pos, `say where, as in: on lines with word "depot-3" `+word, "%s without an address would take the whole file", word)
	}
}

func (c *compiler) wholeFile(pos script.Pos, words string) {
	if len(c.within) > 0 {
		c.errorf(pos, "move it out of the address", "%s is about the whole file, and stands under an address", words)
	}
}

func (c *compiler) knownEncoding(name *script.Text) {
	if _, err := textfile.EncodingNamed(c.fixed(name)); err != nil {
		c.errorf(name.Pos, `such as "utf-8", "utf-16le", "iso-8859-1" or "windows-1252"`, "%v", err)
	}
}

func (c *compiler) replace(n *script.Replace) action {
	if n.KeepCase {
		n.Pattern.IgnoreCase = true
	}
	p := c.pattern(n.Pattern, n.AcrossLines)
	r := &replace{Replace: n, pattern: p}
	if n.With != nil {
		r.with = c.template(n.With, groupsOf(p))
	}
	if p == nil {
		return nil
	}
	c.lintReplace(n, p, r.with)
	if n.AcrossLines || p.SpansLines() || breaksLines(n.With) {
		c.moves(n.Pos)
	}
	return r
}

func (c *compiler) replaceEach(n *script.ReplaceEach) action {
	s := &replaceEach{keepCase: n.KeepCase}
	spec := pattern.SetSpec{Word: n.Word, IgnoreCase: n.IgnoreCase || n.KeepCase, Joiners: c.joiners}
	if n.Table != nil {
		s.table = c.table(n.Table, spec.IgnoreCase, &s.with)
		if s.table == nil {
			return nil
		}
		spec.Literals = s.table.rows
	}
	seen := map[string]bool{}
	for _, pair := range n.Pairs {
		old := c.constant(pair.Old)
		if old == "" || strings.Contains(old, "\n") {
			c.errorf(pair.Pos, "", "an old text is some text within one line")
			return nil
		}
		if key := pattern.Folded(old, spec.IgnoreCase); seen[key] {
			c.errorf(pair.Pos, "keep one of them", "%q is replaced twice", old)
			return nil
		} else {
			seen[key] = true
		}
		spec.Literals = append(spec.Literals, old)
		s.with = append(s.with, c.template(pair.With, []string{""}))
	}
	s.set = pattern.NewSet(spec)
	return s
}

// table reads a CSV file of pairs; nil after an error.
func (c *compiler) table(n *script.Table, ignoreCase bool, with *[]*template) *table {
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
	t := &table{path: name}
	seen := map[string]bool{}
	for i, rec := range records[first:] {
		if n.Old == nil && len(rec) != 2 || max(from, to) >= len(rec) {
			c.errorf(n.Path.Pos, `or name two of them: columns "old" "new"`, "%s, record %d: %d columns, where two are wanted", name, i+first+1, len(rec))
			return nil
		}
		old := rec[from]
		key := pattern.Folded(old, ignoreCase)
		switch {
		case old == "" || strings.Contains(old, "\n"):
			c.errorf(n.Path.Pos, "", "%s, record %d: an old text is some text within one line", name, i+first+1)
			return nil
		case seen[key]:
			c.errorf(n.Path.Pos, "keep one of them", "%s, record %d: %q is replaced twice", name, i+first+1, old)
			return nil
		}
		seen[key] = true
		t.rows = append(t.rows, old)
		*with = append(*with, &template{parts: []part{{literal: rec[to]}}})
	}
	if len(t.rows) == 0 {
		c.errorf(n.Path.Pos, "", "%s holds no pairs", name)
		return nil
	}
	c.program.tables = append(c.program.tables, t)
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

func (c *compiler) settle(n *script.Settle) action {
	c.oneLine(n.Text, "what settle writes")
	s := &settle{pattern: c.pattern(n.Pattern, false), text: c.template(n.Text, nil)}
	if n.Commented != nil {
		s.marks = c.fixed(n.Commented)
		if !singleCharacters(s.marks) {
			c.errorf(n.Commented.Pos, `such as commented by "#;"`, "comment marks are single characters")
		}
	}
	c.moves(n.Pos)
	if s.pattern == nil {
		return nil
	}
	return s
}
