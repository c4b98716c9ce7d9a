package tree

import (
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// How members come into a text of TOML: between brackets as in other formats, as a line of a table, as a table, or as an
// entry of a list of tables.

func (d tomlFormat) add(w *memberWriter, parent, want *Node, before int) (edit.List, error) {
	switch {
	case parent.style == flow:
		return d.plain.add(w, parent, want, before)
	case inFlow(parent):
		return nil, misfit("%s is part of a dotted key in an inline table", w.Path(parent))
	case parent.Kind == Array:
		return d.addEntry(w, parent, want, before)
	}
	path := d.tablePath(parent)
	if path != nil && !d.dotted(parent) && d.asTables(w, want) {
		text := d.tables(w, &Node{}, append(path, tomlKey(want.Name)), want)
		if parent.Parent == nil && len(w.Text) == 0 {
			return edit.List{{Start: 0, End: 0, New: []byte(text)}}, nil
		}
		if before < len(parent.Members) && parent.Members[before].header.end > 0 {
			at := d.aboveComments(parent.Members[before].header.start, 0)
			return edit.List{{Start: at, End: at, New: []byte(text + w.ending())}}, nil
		}
		return d.atEnd(w.ending() + text), nil
	}
	return d.addLine(w, parent, want, before, path)
}

// asTables reports whether a new value is tables or entries with headers of their own, and not a value on a line.
func (d tomlFormat) asTables(w *memberWriter, n *Node) bool {
	if len(n.Members) == 0 || !w.tables && (n.raw != "" || w.layout == onOneLine) {
		return false
	}
	if n.Kind == Array {
		for _, m := range n.Members {
			if m.Kind != Object || n.raw != "" {
				return false
			}
		}
		return true
	}
	return n.Kind == Object
}

// tables returns a new table with its header, or the entries of a list, and those within them.
func (d tomlFormat) tables(w *memberWriter, like *Node, path []string, n *Node) string {
	nl := w.ending()
	if n.Kind == Array {
		var b strings.Builder
		for i, m := range n.Members {
			if i > 0 {
				b.WriteString(nl)
			}
			b.WriteString("[[" + strings.Join(path, ".") + "]]" + nl + d.body(w, like, path, m))
		}
		return b.String()
	}
	if len(n.Members) == 1 && d.asTables(w, n.Members[0]) {
		return d.tables(w, like, append(path, tomlKey(n.Members[0].Name)), n.Members[0])
	}
	return "[" + strings.Join(path, ".") + "]" + nl + d.body(w, like, path, n)
}

// body returns the lines of a new table below its header, and then the tables within it.
func (d tomlFormat) body(w *memberWriter, like *Node, path []string, n *Node) string {
	var own, inner strings.Builder
	for _, m := range n.Members {
		if d.asTables(w, m) {
			inner.WriteString(w.ending() + d.tables(w, &Node{}, append(path[:len(path):len(path)], tomlKey(m.Name)), m))
			continue
		}
		own.WriteString(tomlKey(m.Name) + w.separator(like) + d.value(w, like, m, "", "") + w.ending())
	}
	return own.String() + inner.String()
}

// addEntry adds an entry to a list of tables.
func (d tomlFormat) addEntry(w *memberWriter, list, want *Node, before int) (edit.List, error) {
	path := d.tablePath(list.Parent)
	switch {
	case want.Kind != Object:
		return nil, misfit("%s is a list of tables, and %s is none", w.Path(list), want.Kind.An())
	case path == nil:
		return nil, misfit("%s is within an entry of another list, where none is added", w.Path(list))
	}
	path = append(path, tomlKey(list.Name))
	w.tables = true
	last := list.Members[len(list.Members)-1]
	nl := w.ending()
	text := "[[" + strings.Join(path, ".") + "]]" + nl + d.body(w, last, path, want)
	if before < len(list.Members) {
		at := d.aboveComments(list.Members[before].header.start, 0)
		return edit.List{{Start: at, End: at, New: []byte(text + nl)}}, nil
	}
	end := last.header.end
	for _, p := range d.tomlPlaces(last) {
		end = max(end, p.end)
	}
	if above := d.aboveComments(last.header.start, 0); above > 0 && lines.Blank(d.Text[lines.Previous(d.Text, 0, above):above]) {
		text = nl + text
	}
	at := d.lineEnd(end)
	return edit.List{{Start: at, End: at, New: []byte(nl + strings.TrimSuffix(text, nl))}}, nil
}

// addLine adds `a.b.c = value` to a table, whose path is nil if it lies in a list.
func (d tomlFormat) addLine(w *memberWriter, parent, want *Node, before int, path []string) (edit.List, error) {
	nl := w.ending()
	line := func(prefix, indent string) string {
		n := want
		for n.Kind == Object && n.raw == "" && len(n.Members) == 1 && w.layout != onOneLine {
			prefix += w.nameLike(parent, n.Name) + "."
			n = n.Members[0]
		}
		return prefix + w.nameLike(parent, n.Name) + w.separator(parent) + d.value(w, parent, n, indent, d.step())
	}
	prefix := ""
	if d.dotted(parent) {
		prefix = d.dottedPrefix(parent)
	}
	last := d.lastLine(parent)
	switch {
	case before < len(parent.Members) && d.lineOf(parent.Members[before]) >= 0:
		start := d.lineOf(parent.Members[before])
		indent := string(lines.Indentation(w.Text[d.lineStart(start):start]))
		at := d.aboveComments(start, parent.header.end)
		return edit.List{{Start: at, End: at, New: []byte(indent + line(prefix, indent) + nl)}}, nil
	case last >= 0:
		start := w.lineStart(last)
		indent := string(lines.Indentation(w.Text[start:last]))
		at := w.lineEnd(last)
		return edit.List{{Start: at, End: at, New: []byte(nl + indent + line(prefix, indent))}}, nil
	case parent.header.end > 0:
		at := parent.header.end
		indent := string(lines.Indentation(w.Text[parent.header.start:at]))
		return edit.List{{Start: at, End: at, New: []byte(nl + indent + line("", indent))}}, nil
	case parent.Parent == nil:
		at := d.beforeHeaders()
		if at == len(w.Text) {
			return d.atEnd(line("", "") + nl), nil
		}
		return edit.List{{Start: at, End: at, New: []byte(line("", "") + nl + nl)}}, nil
	case path == nil:
		return nil, misfit("%s is an item of a list, where no table can be added", w.Path(parent))
	}
	return d.atEnd(nl + "[" + strings.Join(path, ".") + "]" + nl + line("", "") + nl), nil
}

// lineOf returns the start of the line that a member is on, or -1 for a table with a header.
func (d tomlFormat) lineOf(n *Node) int {
	switch {
	case d.dotted(n) || len(n.places) > 0:
		return n.places[0].start
	case n.scattered:
		return -1
	}
	return n.Key
}

// value returns a new value: inline, or a list with its items on lines of their own, as siblings are.
func (d tomlFormat) value(w *memberWriter, parent, n *Node, indent, step string) string {
	if text, ok := w.typed(parent, n, indent); ok {
		return text
	}
	if n.Kind == Array && w.layout == onLines && step != "" {
		nl := w.ending() + indent
		var b strings.Builder
		for _, m := range n.Members {
			b.WriteString(nl + step + d.value(w, &Node{style: flow, Kind: Array}, m, "", "") + ",")
		}
		return "[" + b.String() + nl + "]"
	}
	return w.oneLine(parent, n, " ")
}

// atEnd adds lines at the text's end.
func (d tomlFormat) atEnd(text string) edit.List {
	at := len(d.Text)
	if at > 0 && d.Text[at-1] != '\n' {
		text = d.ending() + strings.TrimSuffix(text, d.ending())
	}
	return edit.List{{Start: at, End: at, New: []byte(text)}}
}

// dotted reports whether a table is made by dotted keys alone.
func (d tomlFormat) dotted(n *Node) bool { return len(n.places) > 0 && n.header.end == 0 }

// lastLine returns the end of the last key-value line of a table, or -1.
func (d tomlFormat) lastLine(n *Node) int {
	last := -1
	for _, m := range n.Members {
		switch {
		case !m.scattered:
			last = max(last, m.End)
		case d.dotted(m):
			for _, p := range m.places {
				last = max(last, p.end)
			}
		}
	}
	return last
}

// dottedPrefix returns how the names before a dotted table's own members are written.
func (d tomlFormat) dottedPrefix(n *Node) string {
	for _, m := range n.Members {
		if len(m.places) > 0 && m.Key > m.places[0].start {
			return d.raw(m.places[0].start, m.Key)
		}
	}
	return ""
}

// tablePath returns the keys of a table from the root; nil for one that lies in a list.
func (d tomlFormat) tablePath(n *Node) (path []string) {
	path = []string{}
	for ; n.Parent != nil; n = n.Parent {
		if n.Kind == Array || n.Parent.Kind == Array {
			return nil
		}
		path = append([]string{tomlKey(n.Name)}, path...)
	}
	return path
}

// beforeHeaders returns the offset for the first key of the root table: before the first header and its comments.
func (d tomlFormat) beforeHeaders() int {
	first := len(d.Text)
	var walk func(n *Node)
	walk = func(n *Node) {
		if n.header.end > 0 {
			first = min(first, n.header.start)
		}
		for _, m := range n.Members {
			walk(m)
		}
	}
	walk(d.Roots[0])
	for first > 0 && first < len(d.Text) {
		above := lines.Previous(d.Text, 0, first)
		if !strings.HasPrefix(strings.TrimSpace(d.raw(above, first)), "#") {
			break
		}
		first = above
	}
	return first
}

// extent of an entry or a table with lines below its header is all of it, if that stands together.
func (d tomlFormat) extent(n *Node) (start, end int) {
	if !n.scattered {
		if len(n.places) > 0 {
			return n.places[0].start, n.places[0].end
		}
		return n.span()
	}
	start, end = n.header.start, n.header.end
	for _, p := range d.tomlPlaces(n) {
		if n.header.end == 0 && end == 0 {
			start = p.start
		}
		start, end = min(start, p.start), max(end, p.end)
	}
	return start, end
}

// reorder leaves tables with headers where they stand, but for the entries of a list.
func (d tomlFormat) reorder(parent *Node, order []*Node) (edit.List, error) {
	if parent.Kind == Object && parent.style != flow {
		for i, m := range order {
			if m != parent.Members[i] && (m.scattered || parent.Members[i].scattered) {
				return nil, misfit("%s is written in several places; its order is that of their headers", d.Path(m))
			}
		}
	}
	end := 0
	for _, m := range parent.Members {
		if start, to := d.extent(m); start < end {
			return nil, misfit("%s does not stand together", d.Path(m))
		} else {
			end = to
		}
	}
	return d.permuted(parent, parent.Members, order, d.extent), nil
}
