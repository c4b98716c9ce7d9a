package tree

import (
	"fmt"
	"regexp"
	"strings"
	"sync"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// tomlFormat writes scalars of TOML.
type tomlFormat struct{ plain }

func (c tomlFormat) inner(n *Node) (start, end int) {
	start, end = quotesInner(n)
	if n.style == doubleLines || n.style == singleLines {
		start, end = n.Start+3, n.End-3
		if strings.HasPrefix(c.raw(start, end), "\r\n") {
			start += 2
		} else if strings.HasPrefix(c.raw(start, end), "\n") {
			start++
		}
	}
	return start, end
}

var lineContinues = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\\[ \t]*\r?\n[ \t\r\n]*`) })

func (c tomlFormat) escape(n *Node, raw, value string) (of, to int) {
	switch n.style {
	case doubleLines, singleLines:
		if strings.HasPrefix(raw, "\r\n") && strings.HasPrefix(value, "\n") {
			return 2, 1
		}
		if n.style == singleLines {
			return 0, 0
		}
		if m := lineContinues().FindString(raw); m != "" {
			return len(m), 0
		}
	case doubleQuoted:
	default:
		return 0, 0
	}
	if of = escapeLength(raw); of > 0 {
		of = min(of, len(`\U0001f683`))
		if raw[1] == 'u' { // which has no pairs here
			of = min(of, len(`\u00e9`))
		}
		return of, escapeMeans(raw[:of])
	}
	return 0, 0
}

func (c tomlFormat) fragment(n *Node, text string) (string, bool) {
	switch n.style {
	case doubleQuoted:
		return escaped(text, jsonEscapes), true
	case doubleLines:
		return c.broken(escaped(text, linesEscapes)), true
	case singleLines:
		return c.broken(text), true
	}
	return text, true
}

// linesEscapes are jsonEscapes for a text whose line breaks and tabs stay.
var linesEscapes = map[rune]string{'"': `\"`, '\\': `\\`, '\b': `\b`, '\f': `\f`, '\n': "\n", '\r': `\r`, '\t': "\t"}

func (c tomlFormat) forms(n *Node, text string, kind Kind) []string {
	if kind != String {
		return []string{text}
	}
	double := `"` + escaped(text, jsonEscapes) + `"`
	switch n.style {
	case singleQuoted:
		return []string{"'" + text + "'", double}
	case doubleLines:
		return []string{`"""` + c.ending() + c.broken(escaped(text, linesEscapes)) + `"""`, double}
	case singleLines:
		return []string{"'''" + c.ending() + c.broken(text) + "'''", `"""` + c.ending() + c.broken(escaped(text, linesEscapes)) + `"""`, double}
	}
	return []string{double}
}

func (c tomlFormat) reads(_ *Node, raw string) (string, Kind, bool) {
	made, err := Parse(syntax.TOML, []byte("x = "+raw+"\n"))
	if err != nil || len(made.Roots[0].Members) != 1 {
		return "", 0, false
	}
	n := made.Roots[0].Members[0]
	if n.HasMembers() || n.Start != len("x = ") || n.End != len("x = ")+len(raw) || n.Name != "x" {
		return "", 0, false
	}
	return n.Text, n.Kind, true
}

func (c tomlFormat) bareKind(_ *Node, text string) Kind {
	if text == "" || strings.ContainsAny(text[:1], `"'[{`) {
		return String
	}
	if _, kind, ok := c.reads(nil, text); ok {
		return kind
	}
	return String
}

// tomlKey writes a key.
func tomlKey(name string) string {
	if regexp.MustCompile(`^[A-Za-z0-9_-]+$`).MatchString(name) {
		return name
	}
	return fmt.Sprintf(`"%s"`, escaped(name, jsonEscapes))
}

func (tomlFormat) traits() traits {
	return traits{colon: " = ", fresh: doubleQuoted, lists: true, byHeaders: true}
}

func (tomlFormat) literal(_ *Step, text string) (*Node, error) {
	const key = "x = "
	made, err := Parse(syntax.TOML, []byte(key+text))
	if err != nil {
		return nil, err
	}
	if len(made.Roots[0].Members) != 1 {
		return nil, misfit("%s is not one value of TOML", excerpt(text))
	}
	n := asWritten(made.Roots[0].Members[0], key+text)
	n.Name, n.raw = "", strings.TrimSpace(text)
	return n, nil
}

func (d tomlFormat) canBecome(n *Node, _ bool) error { return d.notAFile(n) }

func (d tomlFormat) key(n *Node, name string) (string, error) { return d.name(n, name), nil }

// name writes a key in the quotes of another one, at n.
func (d tomlFormat) name(n *Node, name string) string {
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

func (d tomlFormat) remove(parent *Node, nodes []*Node) (edit.List, error) {
	if parent.style == flow || parent.Kind == Array && !parent.scattered {
		return d.plain.remove(parent, nodes)
	}
	return d.deleteTOML(parent, nodes)
}

// holding checks all members, since a table's members may be in several places.
func (d tomlFormat) holding(n *Node, at int) *Node {
	for _, m := range n.Members {
		if inner := d.holding(m, at); inner != nil {
			return inner
		}
		start, end := m.span()
		if m.scattered {
			start, end = m.header.start, m.header.end
		}
		if start <= at && at < end {
			return m
		}
	}
	return nil
}

// deleteTOML deletes members of tables, which may have parts in several places.
func (d tomlFormat) deleteTOML(parent *Node, nodes []*Node) (edits edit.List, err error) {
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
			if n.scattered {
				start, end = d.withBlanks(start, end)
			}
			edits = append(edits, edit.Edit{Start: start, End: end})
		}
	}
	return edits, nil
}

// withBlanks extends the lines of a table over the blank lines behind it, or at the text's end over those before it.
func (d tomlFormat) withBlanks(start, end int) (int, int) {
	to := end
	for to < len(d.Text) && lines.Blank(d.Text[to:lines.Next(d.Text, to, len(d.Text))]) {
		to = lines.Next(d.Text, to, len(d.Text))
	}
	if to < len(d.Text) {
		return start, to
	}
	for start > 0 {
		above := lines.Previous(d.Text, 0, start)
		if !lines.Blank(d.Text[above:start]) {
			break
		}
		start = above
	}
	return start, to
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
func (d tomlFormat) emptyTOML(parent *Node, nodes []*Node) (edits edit.List, err error) {
	path := d.tablePath(parent)
	if parent.Kind == Array || path == nil {
		return nil, misfit("a list of tables cannot be empty; delete %s", d.Path(parent))
	}
	fresh := "[" + strings.Join(path, ".") + "]"
	if d.dotted(parent) {
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

// tomlPlaces returns all ranges of a member: its line, or the lines of its headers and below them, including
// nested tables.
func (d tomlFormat) tomlPlaces(n *Node) (all []extent) {
	if n.scattered {
		if n.header.end > n.header.start {
			end := n.header.end
			if n.End > n.Start { // lines below it
				end = n.End
			}
			all = append(all, extent{n.header.start, end})
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
	return []extent{{start, end}}
}
