package tree

import (
	"regexp"
	"strings"
	"sync"

	"frizzel/core/syntax"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// memberWriter writes members that are added.
type memberWriter struct {
	*Document
	fresh Fresh
}

// value writes the innermost value.
func (w *memberWriter) value(parent *Node) string {
	if w.fresh.Literal {
		return w.fresh.Text
	}
	return w.scalar(&Node{Parent: parent}, w.fresh.Text)
}

// innermost reports whether a node to be added is the value itself.
func (w *memberWriter) innermost(n *Node) bool {
	return w.fresh.Literal && !(n.Kind == Object && len(n.Members) == 1 && n.End == 0) || !n.HasMembers()
}

// member writes a member with its name. Further ones are written inside it, on lines of their own
// where there is a step of indentation.
func (w *memberWriter) member(parent, n *Node, indent, step string) string {
	block := w.Syntax == syntax.YAML && parent.style != flow && step != ""
	name := w.nameLike(parent, n.Name)
	sep := w.separator(parent)
	if w.innermost(n) {
		value := w.value(parent)
		if block && strings.Contains(value, "\n") && w.fresh.Literal { // lines of its own
			return name + ":" + w.ending() + indent + step + strings.ReplaceAll(value, "\n", w.ending()+indent+step)
		}
		return name + sep + value
	}
	inner := n.Members[0]
	switch {
	case block:
		return name + ":" + w.ending() + indent + step + w.member(&Node{Kind: Object}, inner, indent+step, step)
	case w.Syntax == syntax.JSON && step != "":
		return name + sep + "{" + w.ending() + indent + step + w.member(parent, inner, indent+step, step) + w.ending() + indent + "}"
	case w.Syntax == syntax.TOML:
		return name + sep + "{ " + w.member(&Node{style: flow}, inner, "", "") + " }"
	}
	return name + sep + "{" + w.member(&Node{style: flow, Parent: parent, Kind: Object}, inner, "", "") + "}"
}

// nameLike writes a name as the last sibling's is written.
func (w *memberWriter) nameLike(parent *Node, name string) string {
	like := &Node{Key: len(w.Text), KeyEnd: len(w.Text)}
	for _, m := range parent.Members {
		if m.KeyEnd > m.Key {
			like = m
		}
	}
	switch w.Syntax {
	case syntax.JSON:
		return `"` + escaped(name, jsonEscapes) + `"`
	case syntax.TOML:
		return w.tomlName(like, name)
	}
	if raw, err := w.yamlName(like, name); err == nil {
		return raw
	}
	return `"` + escaped(name, jsonEscapes) + `"`
}

// separator is what stands between the name and the value of the last sibling.
func (w *memberWriter) separator(parent *Node) string {
	sep := map[syntax.Syntax]string{syntax.JSON: ": ", syntax.YAML: ": ", syntax.TOML: " = "}[w.Syntax]
	for _, m := range parent.Members {
		if m.KeyEnd > m.Key && m.Start > m.KeyEnd && !m.scattered && (m.style == flow || !m.HasMembers()) {
			if s := w.raw(m.KeyEnd, m.Start); !strings.ContainsAny(s, "\n#/") && len(s) <= 4 && strings.TrimSpace(s) != "" && (w.Syntax != syntax.YAML || s == ": ") {
				sep = s
			}
		}
	}
	return sep
}

// toml adds a member to a table of TOML.
func (w *memberWriter) toml(parent, want *Node) (edit.List, error) {
	if inFlow(parent) {
		return nil, misfit("%s is part of a dotted key in an inline table", w.Path(parent))
	}
	if parent.Kind == Array {
		return nil, misfit("%s is a list of tables, which has no members of its own", w.Path(parent))
	}
	line := func(prefix string, n *Node) string { // a.b.c = value
		for !w.innermost(n) {
			prefix += w.nameLike(parent, n.Name) + "."
			n = n.Members[0]
		}
		return prefix + w.nameLike(parent, n.Name) + w.separator(parent) + w.value(parent)
	}
	nl := w.ending()
	last := w.lastLine(parent)
	switch {
	case !w.innermost(want) && !w.dotted(parent):
		path := w.tablePath(parent)
		if path == nil {
			return nil, misfit("%s is an item of a list, where no table can be added", w.Path(parent))
		}
		n := want
		for ; !w.innermost(n); n = n.Members[0] {
			path = append(path, tomlKey(n.Name))
		}
		text := "[" + strings.Join(path, ".") + "]" + nl + tomlKey(n.Name) + " = " + w.value(&Node{}) + nl
		if parent.Parent == nil && len(w.Text) == 0 {
			return edit.List{{Start: 0, End: 0, New: []byte(text)}}, nil
		}
		return w.atEnd(nl + text), nil
	case last >= 0:
		start := w.lineStart(last)
		indent := string(lines.Indentation(w.Text[start:last]))
		prefix := ""
		if w.dotted(parent) {
			prefix = w.dottedPrefix(parent)
		}
		at := w.lineEnd(last)
		return edit.List{{Start: at, End: at, New: []byte(nl + indent + line(prefix, want))}}, nil
	case parent.header.end > 0:
		at := parent.header.end
		return edit.List{{Start: at, End: at, New: []byte(nl + string(lines.Indentation(w.Text[parent.header.start:at])) + line("", want))}}, nil
	case parent.Parent == nil:
		at := w.beforeHeaders()
		if at == len(w.Text) {
			return w.atEnd(line("", want) + nl), nil
		}
		return edit.List{{Start: at, End: at, New: []byte(line("", want) + nl + nl)}}, nil
	}
	path := w.tablePath(parent)
	if path == nil {
		return nil, misfit("%s is an item of a list, where no table can be added", w.Path(parent))
	}
	return w.atEnd(nl + "[" + strings.Join(path, ".") + "]" + nl + line("", want) + nl), nil
}

// atEnd adds lines at the text's end.
func (w *memberWriter) atEnd(text string) edit.List {
	at := len(w.Text)
	if at > 0 && w.Text[at-1] != '\n' {
		text = w.ending() + strings.TrimSuffix(text, w.ending())
	}
	return edit.List{{Start: at, End: at, New: []byte(text)}}
}

// dotted reports whether a table is made by dotted keys alone.
func (w *memberWriter) dotted(n *Node) bool { return len(n.places) > 0 && n.header.end == 0 }

// lastLine returns where the last key-value line of a table ends; -1 where it has none.
func (w *memberWriter) lastLine(n *Node) int {
	last := -1
	for _, m := range n.Members {
		switch {
		case !m.scattered:
			last = max(last, m.End)
		case w.dotted(m):
			for _, p := range m.places {
				last = max(last, p.end)
			}
		}
	}
	return last
}

// dottedPrefix returns how the names before a dotted table's own members are written.
func (w *memberWriter) dottedPrefix(n *Node) string {
	for _, m := range n.Members {
		if len(m.places) > 0 && m.Key > m.places[0].start {
			return w.raw(m.places[0].start, m.Key)
		}
	}
	return ""
}

// tablePath returns the keys of a table from the root; nil for one that lies in a list.
func (w *memberWriter) tablePath(n *Node) (path []string) {
	path = []string{}
	for ; n.Parent != nil; n = n.Parent {
		if n.Kind == Array || n.Parent.Kind == Array {
			return nil
		}
		path = append([]string{tomlKey(n.Name)}, path...)
	}
	return path
}

// beforeHeaders returns where the root's keys go that has none: before the first header and the
// comments above it.
func (w *memberWriter) beforeHeaders() int {
	first := len(w.Text)
	var walk func(n *Node)
	walk = func(n *Node) {
		if n.header.end > 0 {
			first = min(first, n.header.start)
		}
		for _, m := range n.Members {
			walk(m)
		}
	}
	walk(w.Roots[0])
	for first > 0 && first < len(w.Text) {
		above := lines.Previous(w.Text, 0, first)
		if !strings.HasPrefix(strings.TrimSpace(w.raw(above, first)), "#") {
			break
		}
		first = above
	}
	return first
}

var lastTag = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\s*/?>$`) })

// markup adds an attribute or an element to an element.
func (w *memberWriter) markup(parent, want *Node) (edit.List, error) {
	if parent.Parent == nil {
		return nil, misfit("an XML file has one root element, which is another one here")
	}
	open := w.raw(parent.Start, parent.Inner)
	if want.Kind == Attribute {
		at := parent.Inner - len(lastTag().FindString(open))
		raw, ok := xmlCodec{w.Document}.fragment(&Node{Kind: Attribute, style: doubleQuoted}, want.Text)
		if !ok {
			return nil, &CannotHoldError{"an attribute cannot hold " + excerpt(want.Text)}
		}
		return edit.List{{Start: at, End: at, New: []byte(" " + want.Name + `="` + raw + `"`)}}, nil
	}
	if !validXML(w.fresh.Text) {
		return nil, &CannotHoldError{"XML cannot hold " + excerpt(w.fresh.Text)}
	}
	var last *Node
	mixed := false
	for _, m := range parent.Members {
		switch {
		case m.Kind == Element || m.Kind == Comment:
			last = m
		case m.Kind == Characters && strings.TrimSpace(m.Text) != "":
			mixed = true
		}
	}
	nl, step := w.ending(), w.step()
	own := string(lines.Indentation(w.Text[w.lineStart(parent.Start):parent.Start]))
	selfClosing := strings.HasSuffix(open, "/>") && parent.Inner == parent.End
	switch {
	case mixed:
		return nil, misfit("%s holds text beside which nothing is added", w.Path(parent))
	case selfClosing:
		at := parent.End - len(lastTag().FindString(open))
		return edit.List{{Start: at, End: parent.End, New: []byte(">" + nl + own + step + w.element(want, own+step, step) + nl + own + "</" + parent.Name + ">")}}, nil
	case last == nil:
		return edit.List{{Start: parent.Inner, End: parent.InnerEnd, New: []byte(nl + own + step + w.element(want, own+step, step) + nl + own)}}, nil
	}
	if from := w.lineStart(last.Start); strings.TrimSpace(w.raw(from, last.Start)) == "" {
		indent := w.raw(from, last.Start)
		return edit.List{{Start: last.End, End: last.End, New: []byte(nl + indent + w.element(want, indent, step))}}, nil
	}
	return edit.List{{Start: last.End, End: last.End, New: []byte(w.element(want, "", ""))}}, nil
}

// element writes an element with what it is to hold.
func (w *memberWriter) element(n *Node, indent, step string) string {
	var b strings.Builder
	b.WriteString("<" + n.Name)
	var inner *Node
	for _, m := range n.Members {
		if m.Kind != Attribute {
			inner = m
			continue
		}
		raw, _ := xmlCodec{w.Document}.fragment(&Node{Kind: Attribute, style: doubleQuoted}, m.Text)
		b.WriteString(" " + m.Name + `="` + raw + `"`)
	}
	switch {
	case inner == nil && n.Text == "":
		return b.String() + "/>"
	case inner == nil:
		return b.String() + ">" + textEscapes.Replace(n.Text) + "</" + n.Name + ">"
	case step == "":
		return b.String() + ">" + w.element(inner, "", "") + "</" + n.Name + ">"
	}
	nl := w.ending()
	return b.String() + ">" + nl + indent + step + w.element(inner, indent+step, step) + nl + indent + "</" + n.Name + ">"
}

// cell adds the cell behind a row's last one.
func (w *memberWriter) cell(row, want *Node) (edit.List, error) {
	header := w.Roots[0].places
	next := len(row.Members) + 1
	if row.Kind != Object || next >= len(header) {
		return nil, misfit("%s has no column %q", w.Path(row), want.Name)
	}
	c := csvCodec{w.Document}
	name, _, _ := c.reads(&Node{}, w.raw(header[next].start, header[next].end))
	if name != want.Name {
		return nil, misfit("%s has cells missing before the column %q", w.Path(row), want.Name)
	}
	raw := c.forms(&Node{}, want.Text, String)[0]
	return edit.List{{Start: row.End, End: row.End, New: []byte(string(w.Document.separator) + raw)}}, nil
}
