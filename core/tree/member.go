package tree

import (
	"fmt"
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// MisfitError is the error of a change that a document has no place for.
type MisfitError struct{ Reason string }

func (e *MisfitError) Error() string { return e.Reason }

func misfit(format string, args ...any) error { return &MisfitError{fmt.Sprintf(format, args...)} }

// Rename returns the edits that give a member another name: a key, an element's or attribute's
// name, or a column's header. The error is a *MisfitError.
func (d *Document) Rename(n *Node, name string) (edit.List, Changes, error) {
	if n.Parent == nil || n.Key == n.KeyEnd {
		return nil, nil, misfit("%s here has no name of its own", n.Kind.An())
	}
	for _, m := range n.Parent.Members {
		if m != n && m.Name == name && (n.Kind != Element && m.Kind != Element) {
			return nil, nil, misfit("%s has a sibling of that name already", d.Path(n))
		}
	}
	raw, err := d.key(n, name)
	if err != nil {
		return nil, nil, err
	}
	changes := Changes{}
	changes.of(n).Name = &name
	if n.Name == name {
		return nil, changes, nil
	}
	edits := d.replaced(n.Key, n.KeyEnd, raw)
	for _, k := range n.keys {
		edits = append(edits, d.replaced(k.start, k.end, raw)...)
	}
	if n.Kind == Element && n.InnerEnd < n.End {
		at := n.InnerEnd + len("</")
		edits = append(edits, d.replaced(at, at+len(n.Name), raw)...)
	}
	if d.Syntax == CSV { // every cell of the column is named by its header
		column := n.Index()
		for _, row := range d.Roots[0].Members {
			if column < len(row.Members) {
				changes.of(row.Members[column]).Name = &name
			}
		}
	}
	slices.SortFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	return edits, changes, nil
}

// key writes a name in the place of a member's.
func (d *Document) key(n *Node, name string) (string, error) {
	switch d.Syntax {
	case JSON:
		return `"` + escaped(name, jsonEscapes) + `"`, nil
	case TOML:
		return d.tomlName(n, name), nil
	case XML:
		made, err := Parse(XML, []byte("<x "+name+`="" />`))
		if err != nil || len(made.Roots[0].Members[0].Members) != 1 || made.Roots[0].Members[0].Members[0].Name != name {
			if prefix, local, ok := strings.Cut(name, ":"); !ok || !nameOfXML(prefix) || !nameOfXML(local) {
				return "", misfit("%q is no name of XML", name)
			}
		}
		return name, nil
	case YAML:
		return d.yamlName(n, name)
	}
	return csvCodec{d}.forms(&Node{style: d.quoted(n.Key), Parent: n.Parent}, name, String)[0], nil
}

func nameOfXML(s string) bool {
	_, err := Parse(XML, []byte("<"+s+"/>"))
	return err == nil && !strings.ContainsAny(s, " \t\r\n/>")
}

// quoted returns the style of what begins at a byte.
func (d *Document) quoted(at int) style {
	switch {
	case at >= len(d.Text):
	case d.Text[at] == '"':
		return doubleQuoted
	case d.Text[at] == '\'':
		return singleQuoted
	}
	return plainStyle
}

// tomlName writes a key in the quotes of another one, at n.
func (d *Document) tomlName(n *Node, name string) string {
	switch raw := tomlKey(name); d.quoted(n.Key) {
	case doubleQuoted:
		return `"` + escaped(name, jsonEscapes) + `"`
	case singleQuoted:
		if !strings.ContainsAny(name, "'\n\r") {
			return "'" + name + "'"
		}
		return raw
	default:
		return raw
	}
}

// yamlName writes a key as the one of n is written.
func (d *Document) yamlName(n *Node, name string) (string, error) {
	if n.keyNode != nil && n.keyNode.HasMembers() {
		return "", misfit("the key of %s is no text", d.Path(n))
	}
	c := yamlCodec{d}
	for _, raw := range c.forms(&Node{style: d.quoted(n.Key), Kind: String}, name, String) {
		made, err := Parse(YAML, []byte(raw+": 1\n"))
		if err == nil && len(made.Roots) == 1 && len(made.Roots[0].Members) == 1 && made.Roots[0].Members[0].Name == name {
			return raw, nil
		}
	}
	return "", misfit("%q cannot be a key", name)
}

// Delete returns the edits that take nodes away, none of which lies in another: members with their
// separators, the comment on their line, and their line where they have one alone. Where that would
// take all that a parent has, it stays as an empty one. The error is a *MisfitError.
func (d *Document) Delete(nodes []*Node) (edit.List, Changes, error) {
	changes := Changes{}
	var edits edit.List
	for from := 0; from < len(nodes); {
		to := from + 1
		for to < len(nodes) && nodes[to].Parent == nodes[from].Parent {
			to++
		}
		some, err := d.deleteOf(nodes[from].Parent, nodes[from:to])
		if err != nil {
			return nil, nil, err
		}
		edits = append(edits, some...)
		from = to
	}
	for _, n := range nodes {
		changes.of(n).Removed = true
	}
	slices.SortStableFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
	var out edit.List
	for _, e := range edits { // which may meet
		if n := len(out); n > 0 && e.Start < out[n-1].End {
			out[n-1].End = max(out[n-1].End, e.End)
			out[n-1].New = append(out[n-1].New, e.New...)
			continue
		}
		out = append(out, e)
	}
	return out, changes, nil
}

func (d *Document) deleteOf(parent *Node, nodes []*Node) (edit.List, error) {
	if parent == nil {
		return nil, misfit("a whole document cannot be deleted")
	}
	switch {
	case d.Syntax == XML:
		return d.deleteMarkup(nodes)
	case d.Syntax == CSV || d.Syntax == BareCSV:
		return d.deleteRows(parent, nodes)
	case d.Syntax == TOML && parent.style != flow && !(parent.Kind == Array && !parent.scattered):
		return d.deleteTOML(parent, nodes)
	case parent.style == flow || d.Syntax == JSON || d.Syntax == TOML:
		return d.deleteFlow(parent, nodes), nil
	}
	return d.deleteBlock(parent, nodes)
}

// wholeLines widens bytes to their lines, with the last one's ending, where nothing but white space
// and perhaps a comment stands beside them.
func (d *Document) wholeLines(start, end int, comments ...string) (int, int, bool) {
	from, to := d.lineStart(start), d.lineEnd(end)
	behind := strings.TrimLeft(d.raw(end, to), " \t")
	comment := behind == ""
	for _, c := range comments {
		comment = comment || strings.HasPrefix(behind, c)
	}
	if strings.TrimLeft(d.raw(from, start), " \t") != "" || !comment {
		return start, end, false
	}
	return from, lines.Next(d.Text, to, len(d.Text)), true
}

// span returns the bytes of a member with its name.
func (n *Node) span() (int, int) {
	start, end := n.Start, n.End
	if n.KeyEnd > n.Key {
		start, end = min(start, n.Key), max(end, n.KeyEnd)
	}
	if n.keyNode != nil {
		start = min(start, n.keyNode.Start)
	}
	return start, end
}

// comma returns where the comma behind a byte stands, past white space and comments; -1 where none
// does before end.
func (d *Document) comma(at, end int) int {
	for at < end {
		switch c := d.Text[at]; {
		case c == ',':
			return at
		case c == '#' && d.Syntax != JSON:
			at = d.lineEnd(at)
		case c == '/' && d.Syntax == JSON:
			at = commentEnd(d.Text, at)
		case c == ' ' || c == '\t' || c == '\r' || c == '\n':
			at++
		default:
			return -1
		}
	}
	return -1
}

// deleteFlow takes members away that stand between brackets, with commas between them.
func (d *Document) deleteFlow(parent *Node, nodes []*Node) (edits edit.List) {
	gone := map[*Node]bool{}
	for _, n := range nodes {
		gone[n] = true
	}
	open, closing := d.content2(parent)+1, parent.End-1
	if len(nodes) == len(parent.Members) && !d.commented(open, closing) {
		return edit.List{{Start: open, End: closing}}
	}
	last := -1 // that stays
	for i, m := range parent.Members {
		if !gone[m] {
			last = i
		}
	}
	for i, m := range parent.Members {
		start, end := m.span()
		comma := d.comma(end, closing)
		if !gone[m] {
			if i == last && i < len(parent.Members)-1 && comma >= 0 && d.comma(lastEnd(parent), closing) < 0 {
				edits = append(edits, edit.Edit{Start: comma, End: comma + 1}) // no comma stood behind the last one
			}
			continue
		}
		if comma >= 0 {
			end = comma + 1
		}
		if from, to, ok := d.wholeLines(start, end, "#", "//"); ok && to <= closing {
			edits = append(edits, edit.Edit{Start: from, End: to})
			continue
		}
		for end < closing && (d.Text[end] == ' ' || d.Text[end] == '\t') && comma >= 0 {
			end++
		}
		if comma < 0 || i > last { // what separates it from the one before goes
			for start > open && strings.IndexByte(" \t", d.Text[start-1]) >= 0 {
				start--
			}
		}
		edits = append(edits, edit.Edit{Start: start, End: end})
	}
	return edits
}

func lastEnd(parent *Node) int {
	_, end := parent.Members[len(parent.Members)-1].span()
	return end
}

// content2 returns where a node's own brackets begin, behind an anchor or a tag.
func (d *Document) content2(n *Node) int {
	if d.Syntax == YAML && n.Inner > 0 {
		return d.bracket(n)
	}
	return n.Start
}

func (d *Document) bracket(n *Node) int {
	at := n.Start
	for at < n.End && d.Text[at] != '[' && d.Text[at] != '{' {
		at++
	}
	return at
}

// commented reports whether a comment stands between brackets.
func (d *Document) commented(start, end int) bool {
	mark := "#"
	if d.Syntax == JSON {
		mark = "/"
	}
	return strings.Contains(d.raw(start, end), mark)
}

// deleteBlock takes members of YAML away that stand by their indentation.
func (d *Document) deleteBlock(parent *Node, nodes []*Node) (edits edit.List, err error) {
	if len(nodes) == len(parent.Members) {
		empty := "{}"
		if parent.Kind == Array {
			empty = "[]"
		}
		start, _ := parent.Members[0].span()
		if parent.Kind == Array {
			start = parent.Inner
		}
		end := d.lineEnd(parent.End)
		if from := d.lineStart(start); strings.TrimSpace(d.raw(from, start)) == "" && parent.Parent != nil { // behind its key's line
			before := d.lineEnd(max(from-1, 0))
			for strings.TrimSpace(d.raw(d.lineStart(before), before)) == "" && before > 0 {
				before = d.lineEnd(max(d.lineStart(before)-1, 0))
			}
			if key := strings.TrimRight(d.raw(d.lineStart(before), before), " \t"); strings.HasSuffix(key, ":") || strings.HasSuffix(key, "-") || parent.Anchor != "" || parent.Tag != "" {
				return edit.List{{Start: before, End: end, New: []byte(" " + empty)}}, nil
			}
		}
		return edit.List{{Start: start, End: end, New: []byte(empty)}}, nil
	}
	for _, n := range nodes {
		start, end := n.span()
		if parent.Kind == Array {
			if start = d.dash(parent, n); start < 0 {
				return nil, misfit("where %s begins cannot be told", d.Path(n))
			}
		}
		if from, to, ok := d.wholeLines(start, end, "#"); ok {
			edits = append(edits, edit.Edit{Start: from, End: to})
			continue
		}
		// The first of members that begin behind a dash: the next one takes its place.
		i := n.Index()
		if i+1 >= len(parent.Members) {
			return nil, misfit("%s does not stand on lines of its own", d.Path(n))
		}
		next := parent.Members[i+1]
		to, _ := next.span()
		if parent.Kind == Array {
			to = d.dash(parent, next)
		}
		if to < 0 {
			return nil, misfit("where %s begins cannot be told", d.Path(next))
		}
		edits = append(edits, edit.Edit{Start: start, End: to})
	}
	return edits, nil
}

// dash returns where the dash of an item stands; -1 where that cannot be told.
func (d *Document) dash(parent, n *Node) int {
	column := d.indent(parent)
	for at := d.lineStart(n.Start); ; at = d.lineStart(at - 1) {
		line := at
		for i := 0; i < column && line < len(d.Text) && d.Text[line] != '\n'; i++ {
			line++
		}
		if line < len(d.Text) && d.Text[line] == '-' && line <= n.Start {
			return line
		}
		if at == 0 {
			return -1
		}
	}
}

// deleteTOML takes members of tables away, which may stand in several places.
func (d *Document) deleteTOML(parent *Node, nodes []*Node) (edits edit.List, err error) {
	if inFlow(parent) {
		return nil, misfit("%s is part of a dotted key in an inline table", d.Path(nodes[0]))
	}
	if len(nodes) == len(parent.Members) && parent.scattered && parent.header.end == 0 {
		return d.emptyTOML(parent, nodes)
	}
	for _, n := range nodes {
		for _, p := range d.tomlPlaces(n) {
			start, end, ok := d.wholeLines(p.start, p.end, "#")
			if !ok {
				start, end = p.start, p.end
			}
			edits = append(edits, edit.Edit{Start: start, End: end})
		}
	}
	return edits, nil
}

// inFlow reports whether a node lies between brackets.
func inFlow(n *Node) bool {
	for ; n != nil; n = n.Parent {
		if n.style == flow {
			return true
		}
	}
	return false
}

// emptyTOML takes all members away of a table that has no header, and leaves it as an empty one.
func (d *Document) emptyTOML(parent *Node, nodes []*Node) (edits edit.List, err error) {
	w := &memberWriter{Document: d}
	path := w.tablePath(parent)
	if parent.Kind == Array || path == nil {
		return nil, misfit("a list of tables cannot be empty; delete %s", d.Path(parent))
	}
	fresh := "[" + strings.Join(path, ".") + "]"
	if w.dotted(parent) {
		first := parent.places[0].start
		fresh = d.raw(first, parent.KeyEnd) + " = {}"
	}
	for _, n := range nodes {
		for _, p := range d.tomlPlaces(n) {
			if len(edits) == 0 {
				edits = append(edits, edit.Edit{Start: p.start, End: p.end, New: []byte(fresh)})
				continue
			}
			start, end, _ := d.wholeLines(p.start, p.end, "#")
			edits = append(edits, edit.Edit{Start: start, End: end})
		}
	}
	return edits, nil
}

// tomlPlaces returns all bytes of a member: its line, or the lines of its headers with what stands
// below them, and of all tables within.
func (d *Document) tomlPlaces(n *Node) (all []place) {
	if n.scattered {
		if n.header.end > n.header.start {
			end := n.header.end
			if n.End > n.Start { // lines below it
				end = n.End
			}
			all = append(all, place{n.header.start, end})
		}
		for _, m := range n.Members {
			if n.header.end > 0 && !m.scattered { // on one of its lines
				continue
			}
			all = append(all, d.tomlPlaces(m)...)
		}
		return all
	}
	if len(n.places) > 0 {
		return n.places
	}
	start, end := n.span()
	return []place{{start, end}}
}

// deleteMarkup takes elements, attributes and other nodes of XML away.
func (d *Document) deleteMarkup(nodes []*Node) (edits edit.List, err error) {
	for _, n := range nodes {
		if n.Kind == Element && n.Parent.Parent == nil {
			return nil, misfit("the root element cannot be deleted")
		}
		start, end := n.span()
		if n.Kind == Attribute {
			for start > 0 && strings.IndexByte(" \t\r\n", d.Text[start-1]) >= 0 {
				start--
			}
		} else if from, to, ok := d.wholeLines(start, end); ok {
			start, end = from, to
		}
		edits = append(edits, edit.Edit{Start: start, End: end})
	}
	return edits, nil
}

// deleteRows takes rows of a CSV file away, or the last cells of one.
func (d *Document) deleteRows(parent *Node, nodes []*Node) (edits edit.List, err error) {
	if parent.Parent != nil {
		last := len(parent.Members) - len(nodes)
		if nodes[0].Index() != last || last == 0 {
			return nil, misfit("the cells behind %s would move; rewrite as \"\" empties it", d.Path(nodes[0]))
		}
		return edit.List{{Start: nodes[0].Start - 1, End: parent.End}}, nil
	}
	for _, n := range nodes {
		edits = append(edits, edit.Edit{Start: n.Start, End: lines.Next(d.Text, n.End, len(d.Text))})
	}
	return edits, nil
}
