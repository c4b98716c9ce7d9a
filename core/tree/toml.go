package tree

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"

	"frizzel/core/syntax"

	"github.com/pelletier/go-toml/v2"
	"github.com/pelletier/go-toml/v2/unstable"

	"frizzel/core/lines"
)

// parseTOML reads a text with go-toml: its decoder judges, and its parser tells the places of keys
// and scalars. Where lists and inline tables end follows from what stands behind their last member.
func (d *Document) parseTOML() error {
	if err := d.depthOfTOML(); err != nil {
		return err
	}
	if err := toml.Unmarshal(d.Text, new(any)); err != nil {
		return tomlFault(err)
	}
	t := &tomlReader{Document: d, src: string(d.Text), known: map[memberName]*Node{}}
	t.root = &Node{Kind: Object, End: len(d.Text)}
	d.Roots = []*Node{t.root}
	t.at = t.root
	p := unstable.Parser{}
	p.Reset(d.Text)
	for p.NextExpression() {
		e := p.Expression()
		switch e.Kind {
		case unstable.KeyValue:
			t.keyValue(t.at, e)
		case unstable.Table, unstable.ArrayTable:
			t.table(e)
		}
	}
	if err := p.Error(); err != nil {
		return &SyntaxError{syntax.TOML, 0, err.Error()}
	}
	return nil
}

// depthOfTOML refuses what is nested so deep that a parser's stack would overflow; a rough count of
// brackets is enough, since no text of TOML opens as many.
func (d *Document) depthOfTOML() error {
	depth := 0
	for i, c := range d.Text {
		switch c {
		case '[', '{':
			if depth++; depth > maxDepth {
				return d.fault(i, "it is nested more than %d deep", maxDepth)
			}
		case '\n':
			depth = max(depth-1, 0) // a header's bracket that stands in a comment
		case ']', '}':
			depth = max(depth-1, 0)
		}
	}
	return nil
}

func tomlFault(err error) error {
	var decode *toml.DecodeError
	if errors.As(err, &decode) {
		line, _ := decode.Position()
		return &SyntaxError{syntax.TOML, line, strings.TrimPrefix(decode.Error(), "toml: ")}
	}
	return &SyntaxError{syntax.TOML, 0, strings.TrimPrefix(err.Error(), "toml: ")}
}

// tomlReader is a text that is being read.
type tomlReader struct {
	*Document
	src  string
	root *Node
	at   *Node // the table that key-value lines belong to
	// known are the members of tables that headers and dotted keys may come back to.
	known map[memberName]*Node
}

type memberName struct {
	of   *Node
	name string
}

// made returns a member that headers and dotted keys come back to, and makes it where it is new.
func (t *tomlReader) made(of *Node, name string, key place, kind Kind) (n *Node, fresh bool) {
	if n = t.known[memberName{of, name}]; n != nil {
		n.keys = append(n.keys, key)
		return n, false
	}
	n = &Node{Kind: kind, Name: name, scattered: true, Key: key.start, KeyEnd: key.end}
	t.known[memberName{of, name}] = n
	of.add(n)
	return n, true
}

// table takes a header.
func (t *tomlReader) table(e *unstable.Node) {
	at := t.root
	it := e.Key()
	var keys []*unstable.Node
	for it.Next() {
		n := *it.Node()
		keys = append(keys, &n)
	}
	start := t.lineStart(int(keys[0].Raw.Offset))
	header := place{start, t.lineEnd(start)}
	for i, k := range keys {
		key := place{int(k.Raw.Offset), int(k.Raw.Offset + k.Raw.Length)}
		if i == len(keys)-1 && e.Kind == unstable.ArrayTable {
			list, fresh := t.made(at, string(k.Data), key, Array)
			if fresh {
				list.Start, list.End = header.start, header.end
			}
			at = &Node{Kind: Object, scattered: true}
			list.add(at)
		} else {
			m, fresh := t.made(at, string(k.Data), key, Object)
			if fresh {
				m.Start, m.End = header.start, header.end
			}
			if at = m; m.Kind == Array {
				at = m.Members[len(m.Members)-1]
			}
		}
	}
	// What stands below the header is the table's own text.
	at.header = header
	at.Start = min(header.end+len(lines.Ending(t.Text[:lines.Next(t.Text, header.end, len(t.Text))])), len(t.Text))
	at.End = at.Start
	t.at = at
}

// keyValue takes `a.b = value` into a table.
func (t *tomlReader) keyValue(at *Node, e *unstable.Node) {
	it := e.Key()
	var keys []*unstable.Node
	for it.Next() {
		n := *it.Node()
		keys = append(keys, &n)
	}
	first := int(e.Raw.Offset)
	end := first + int(e.Raw.Length)
	for i, k := range keys {
		name := string(k.Data)
		key := place{int(k.Raw.Offset), int(k.Raw.Offset + k.Raw.Length)}
		if i < len(keys)-1 {
			m, fresh := t.made(at, name, key, Object)
			if fresh {
				m.Start, m.End = first, end
			}
			m.places = append(m.places, place{first, end}) // of one of its lines
			at = m
			continue
		}
		n := t.value(e.Value(), key.end)
		n.Name, n.Key, n.KeyEnd = name, key.start, key.end
		if len(keys) > 1 {
			n.places = []place{{first, end}} // with the names before its own
		}
		at.add(n)
	}
	if at.style != flow {
		t.at.End = max(t.at.End, end)
	}
}

// value returns the node of a value that begins at or after the byte from.
func (t *tomlReader) value(e *unstable.Node, from int) *Node {
	n := &Node{Kind: tomlKinds[e.Kind]}
	switch e.Kind {
	case unstable.Array, unstable.InlineTable:
		n.style = flow
		n.Start = from + strings.IndexAny(t.src[from:], "[{")
		at := n.Start + 1
		it := e.Children()
		for it.Next() {
			c := it.Node()
			switch c.Kind {
			case unstable.Comment:
			case unstable.KeyValue:
				t.keyValue(n, c)
				at = int(c.Raw.Offset + c.Raw.Length)
			default:
				m := t.value(c, t.skip(at))
				n.add(m)
				at = m.End
			}
		}
		n.End = t.skip(at) + 1
		return n
	}
	n.Start, n.End = int(e.Raw.Offset), int(e.Raw.Offset+e.Raw.Length)
	n.Text = string(e.Data)
	if n.Kind != String {
		n.Text = t.src[n.Start:n.End]
		return n
	}
	switch raw := t.src[n.Start:n.End]; {
	case strings.HasPrefix(raw, `"""`):
		n.style = doubleLines
	case strings.HasPrefix(raw, `'''`):
		n.style = singleLines
	case raw[0] == '\'':
		n.style = singleQuoted
	default:
		n.style = doubleQuoted
	}
	return n
}

// skip returns the first byte from at on that is not a white space, comma or comment.
func (t *tomlReader) skip(at int) int {
	for at < len(t.src) {
		switch t.src[at] {
		case ' ', '\t', '\r', '\n', ',':
			at++
		case '#':
			at = t.lineEnd(at)
		default:
			return at
		}
	}
	return at
}

var tomlKinds = map[unstable.Kind]Kind{
	unstable.Array: Array, unstable.InlineTable: Object, unstable.String: String, unstable.Bool: Bool, unstable.Integer: Number, unstable.Float: Number,
	unstable.LocalDate: Date, unstable.LocalTime: Date, unstable.LocalDateTime: Date, unstable.DateTime: Date,
}

// tomlCodec writes scalars of TOML.
type tomlCodec struct{ *Document }

func (c tomlCodec) inner(n *Node) (start, end int) {
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

func (c tomlCodec) escape(n *Node, raw, value string) (of, to int) {
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

func (c tomlCodec) fragment(n *Node, text string) (string, bool) {
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

func (c tomlCodec) broken(text string) string {
	if c.ending() == "\r\n" {
		return strings.ReplaceAll(text, "\n", "\r\n")
	}
	return text
}

func (c tomlCodec) forms(n *Node, text string, kind Kind) []string {
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

func (c tomlCodec) reads(_ *Node, raw string) (string, Kind, bool) {
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

func (c tomlCodec) bareKind(text string) Kind {
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
