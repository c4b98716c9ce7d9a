package tree

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strconv"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// parse reads rows with encoding/csv, which knows where each cell begins.
func (d csvFormat) parse() error {
	d.separator = d.mostFrequent()
	root := &Node{Kind: Array, End: len(d.Text)}
	d.Roots = []*Node{root}
	r := d.reader(d.Text)
	starts := lineStarts(d.Text)
	var header []string
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return csvFault(err)
		}
		row := &Node{Kind: Array}
		for i, text := range cells {
			line, column := r.FieldPos(i)
			n := &Node{Kind: String, Text: text, Start: starts[line-1] + column - 1}
			n.End = d.cellEnd(n)
			row.add(n)
		}
		row.Start, row.End = row.Members[0].Start, row.Members[len(cells)-1].End
		if d.Syntax == syntax.CSV && header == nil {
			header = cells
			root.places = []extent{{row.Start, row.End}} // of the header
			for _, m := range row.Members {
				root.places = append(root.places, extent{m.Start, m.End})
			}
			continue
		}
		if d.Syntax == syntax.CSV {
			row.Kind = Object
			for i, m := range row.Members {
				if m.Name = strconv.Itoa(i + 1); i < len(header) {
					m.Name = header[i]
					m.Key, m.KeyEnd = root.places[i+1].start, root.places[i+1].end
				}
			}
		}
		root.add(row)
	}
}

// CSVReader returns a reader of the records of a CSV text, in which rows may differ in length. The separator is found as in
// documents; a byte order mark is skipped.
func CSVReader(text []byte) *csv.Reader {
	d := &Document{Text: bytes.TrimPrefix(text, []byte("\ufeff"))}
	d.separator = d.mostFrequent()
	return d.reader(d.Text)
}

func (d *Document) reader(text []byte) *csv.Reader {
	r := csv.NewReader(bytes.NewReader(text))
	r.Comma, r.FieldsPerRecord = d.separator, -1
	return r
}

func csvFault(err error) error {
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		return &SyntaxError{syntax.CSV, parse.Line, parse.Err.Error()}
	}
	return &SyntaxError{syntax.CSV, 0, err.Error()}
}

// lineStarts returns where each line begins, and one more.
func lineStarts(text []byte) []int {
	starts := make([]int, 1, bytes.Count(text, []byte("\n"))+2)
	for at := 0; at < len(text); {
		at = lines.Next(text, at, len(text))
		starts = append(starts, at)
	}
	return starts
}

// mostFrequent returns the most frequent separator in the first line, outside quotes.
func (d *Document) mostFrequent() rune {
	counts := map[byte]int{}
	quoted := false
	for _, c := range d.Text {
		switch {
		case c == '"':
			quoted = !quoted
		case c == '\n' && !quoted && len(counts) > 0:
			return mostOf(counts)
		case !quoted && strings.IndexByte(",;|\t", c) >= 0:
			counts[c]++
		}
		if c == '\n' && !quoted && len(counts) == 0 {
			break
		}
	}
	return mostOf(counts)
}

func mostOf(counts map[byte]int) rune {
	most := byte(',')
	for _, c := range []byte(";|\t") {
		if counts[c] > counts[most] {
			most = c
		}
	}
	return rune(most)
}

// cellEnd returns the end of the cell that begins at n.Start.
func (d *Document) cellEnd(n *Node) int {
	at := n.Start
	if at < len(d.Text) && d.Text[at] == '"' {
		n.style = doubleQuoted
		for at++; at < len(d.Text); at++ {
			if d.Text[at] == '"' {
				if at++; at == len(d.Text) || d.Text[at] != '"' {
					return at
				}
			}
		}
		return at
	}
	for at < len(d.Text) && d.Text[at] != '\n' && rune(d.Text[at]) != d.separator {
		at++
	}
	if at > n.Start && d.Text[at-1] == '\r' && (at == len(d.Text) || d.Text[at] == '\n') {
		at--
	}
	return at
}

// csvFormat writes cells.
type csvFormat struct{ plain }

func (c csvFormat) inner(n *Node) (int, int) { return quotesInner(n) }

func (c csvFormat) escape(n *Node, raw, _ string) (of, to int) {
	switch {
	case n.style == doubleQuoted && strings.HasPrefix(raw, `""`):
		return 2, 1
	case n.style == doubleQuoted && strings.HasPrefix(raw, "\r\n"):
		return 2, 1
	}
	return 0, 0
}

func (c csvFormat) fragment(n *Node, text string) (string, bool) {
	if n.style == doubleQuoted {
		return c.broken(strings.ReplaceAll(text, `"`, `""`)), true
	}
	return text, !strings.ContainsAny(text, needQuotes)
}

// needQuotes are the characters that require quotes around a cell. They include every possible separator,
// because the separator is detected from the text.
const needQuotes = ",;|\t\"\r\n"

func (c csvFormat) forms(n *Node, text string, _ Kind) []string {
	quoted := `"` + c.broken(strings.ReplaceAll(text, `"`, `""`)) + `"`
	if n.style == doubleQuoted {
		return []string{quoted}
	}
	if strings.ContainsAny(text, needQuotes) {
		return []string{quoted}
	}
	return []string{text, quoted}
}

func (c csvFormat) reads(n *Node, raw string) (string, Kind, bool) {
	if raw == "" && n.Parent != nil && len(n.Parent.Members) == 1 { // a row of nothing is none
		return "", 0, false
	}
	r := c.reader([]byte("x" + string(c.separator) + raw))
	cells, err := r.Read()
	if err != nil || len(cells) != 2 {
		return "", 0, false
	}
	if _, err := r.Read(); !errors.Is(err, io.EOF) {
		return "", 0, false
	}
	return cells[1], String, true
}

func (c csvFormat) bareKind(*Node, string) Kind { return String }

func (csvFormat) traits() traits { return traits{anyBytes: true} }

func (c csvFormat) canBecome(n *Node, _ bool) error {
	if n.HasMembers() && n.Parent != nil {
		return misfit("a row cannot become a value; say which of its cells")
	}
	return c.notAFile(n)
}

func (c csvFormat) key(n *Node, name string) (string, error) {
	return c.forms(&Node{style: c.quoted(n.Key), Parent: n.Parent}, name, String)[0], nil
}

// renamed renames every cell of the column, which its header names.
func (c csvFormat) renamed(n *Node, name string, changes Changes) {
	column := n.Index()
	for _, row := range c.Roots[0].Members {
		if column < len(row.Members) {
			changes.of(row.Members[column]).Name = &name
		}
	}
}

// extent leaves the header out, which names every row.
func (csvFormat) extent(n *Node) (start, end int) { return n.Start, n.End }

// remove removes rows, columns with their headers, or else empties cells.
func (d csvFormat) remove(parent *Node, nodes []*Node) (edits edit.List, err error) {
	if parent.Parent != nil {
		return nil, misfit("%s is a cell", d.Path(nodes[0]))
	}
	for _, n := range nodes {
		edits = append(edits, edit.Edit{Start: n.Start, End: lines.Next(d.Text, n.End, len(d.Text))})
	}
	return edits, nil
}

// removeCells removes the columns whose cells are all among nodes, and empties other cells.
func (d csvFormat) removeCells(nodes []*Node) (edit.List, Changes, error) {
	rows := d.Roots[0].Members
	if len(nodes) == 1 && len(rows) > 1 { // one cell of its column
		changes := Changes{}
		changes.Become(nodes[0], "", String)
		return edit.List{{Start: nodes[0].Start, End: nodes[0].End}}, changes, nil
	}
	of := map[int]int{} // cells of each column
	for _, row := range rows {
		for i := range row.Members {
			of[i]++
		}
	}
	chosen := map[*Node]bool{}
	for _, n := range nodes {
		chosen[n] = true
		of[n.Index()]--
	}
	gone := func(i int) bool { n, ok := of[i]; return ok && n == 0 }
	changes := Changes{}
	var edits edit.List
	if header := d.Roots[0].places; len(header) > 0 {
		some, err := d.withoutCells(header[1:], gone)
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, some...)
	}
	for _, row := range rows {
		var cells []extent
		for i, n := range row.Members {
			cells = append(cells, extent{n.Start, n.End})
			switch {
			case gone(i):
				changes.of(n).Removed = true
			case chosen[n] && n.Text != "":
				changes.Become(n, "", String)
				edits = append(edits, edit.Edit{Start: n.Start, End: n.End})
			}
		}
		some, err := d.withoutCells(cells, gone)
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, some...)
	}
	return sorted(edits), changes, nil
}

// withoutCells returns the edits that remove cells of a row, each with a separator.
func (d csvFormat) withoutCells(cells []extent, gone func(i int) bool) (edits edit.List, err error) {
	kept := false
	for i, c := range cells {
		switch {
		case !gone(i):
			kept = true
		case kept:
			edits = append(edits, edit.Edit{Start: c.start - 1, End: c.end})
		case i+1 < len(cells):
			edits = append(edits, edit.Edit{Start: c.start, End: cells[i+1].start})
		default:
			return nil, misfit("a table keeps a column; its rows can go")
		}
	}
	return edits, nil
}

// reorder moves rows; cells stand in the order of the header.
func (d csvFormat) reorder(parent *Node, order []*Node) (edit.List, error) {
	if parent.Parent != nil {
		return nil, misfit("%s: cells stand in the order of the columns", d.Path(parent))
	}
	return d.plain.reorder(parent, order)
}

// column gives every row a cell with a text in a column, which is added behind the last one if it is missing.
func (c csvFormat) column(name, text string) (edit.List, Changes, error) {
	root := c.Roots[0]
	if len(root.places) == 0 {
		return nil, nil, misfit("this table has no header, and so no column %q", name)
	}
	at := -1
	for i, cell := range root.places[1:] {
		if title, _, _ := c.reads(&Node{}, c.raw(cell.start, cell.end)); title == name && at < 0 {
			at = i
		}
	}
	changes := Changes{}
	var edits edit.List
	end := len(root.places) - 1
	if at < 0 {
		edits = edit.List{{Start: root.places[0].end, End: root.places[0].end, New: []byte(string(c.separator) + c.forms(&Node{}, name, String)[0])}}
	}
	for _, row := range root.Members {
		switch {
		case at >= 0 && at < len(row.Members):
			some, become, err := c.become(row.Members[at], Fresh{Text: text})
			if err != nil {
				return nil, nil, err
			}
			changes.Merge(become)
			edits = append(edits, some...)
		case at > len(row.Members) || at < 0 && len(row.Members) != end:
			return nil, nil, misfit("%s has %d cells, and the header %d", c.Path(row), len(row.Members), end)
		default:
			changes.of(row).Added = []Added{{Node: &Node{Kind: String, Name: name, Text: text}}}
			edits = append(edits, edit.Edit{Start: row.End, End: row.End, New: []byte(string(c.separator) + c.forms(&Node{}, text, String)[0])})
		}
	}
	return edits, changes, nil
}

// add adds the cell behind a row's last one.
func (c csvFormat) add(_ *memberWriter, row, want *Node, _ int) (edit.List, error) {
	header := c.Roots[0].places
	next := len(row.Members) + 1
	if row.Kind != Object || next >= len(header) {
		return nil, misfit("%s has no column %q; settle value '$[*].%s' adds one", c.Path(row), want.Name, want.Name)
	}
	name, _, _ := c.reads(&Node{}, c.raw(header[next].start, header[next].end))
	if name != want.Name {
		return nil, misfit("%s has cells missing before the column %q", c.Path(row), want.Name)
	}
	raw := c.forms(&Node{}, want.Text, String)[0]
	return edit.List{{Start: row.End, End: row.End, New: []byte(string(c.separator) + raw)}}, nil
}
