package tree

import (
	"errors"
	"strings"

	"github.com/pelletier/go-toml/v2"
	"github.com/pelletier/go-toml/v2/unstable"

	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// parse parses a text with go-toml: its decoder checks validity, and its parser returns the positions of keys and
// scalars. The ends of lists and inline tables are found by scanning from their last member.
func (d tomlFormat) parse() error {
	if err := d.depthOfTOML(); err != nil {
		return err
	}
	if err := toml.Unmarshal(d.Text, new(any)); err != nil {
		return tomlFault(err)
	}
	t := &tomlReader{Document: d.Document, src: string(d.Text), known: map[memberName]*Node{}}
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

// depthOfTOML returns an error if brackets are nested so deep that a parser's stack could overflow. A rough count
// is enough, since no real file comes near the limit.
func (d *Document) depthOfTOML() error {
	depth := 0
	for i, c := range d.Text {
		switch c {
		case '[', '{':
			if depth++; depth > maxDepth {
				return d.fault(i, "it is nested more than %d deep", maxDepth)
			}
		case '\n':
			depth = max(depth-1, 0) // tolerates an unbalanced bracket in a comment
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

// made returns a member that headers and dotted keys come back to, and makes it if it is new.
func (t *tomlReader) made(of *Node, name string, key extent, kind Kind) (n *Node, fresh bool) {
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
	header := extent{start, t.lineEnd(start)}
	for i, k := range keys {
		key := extent{int(k.Raw.Offset), int(k.Raw.Offset + k.Raw.Length)}
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
	// The lines below the header are the table's own text.
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
		key := extent{int(k.Raw.Offset), int(k.Raw.Offset + k.Raw.Length)}
		if i < len(keys)-1 {
			m, fresh := t.made(at, name, key, Object)
			if fresh {
				m.Start, m.End = first, end
			}
			m.places = append(m.places, extent{first, end}) // of one of its lines
			at = m
			continue
		}
		n := t.value(e.Value(), key.end)
		n.Name, n.Key, n.KeyEnd = name, key.start, key.end
		if len(keys) > 1 {
			n.places = []extent{{first, end}} // with the names before its own
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
		n.Text = strings.ReplaceAll(n.Text, "\r\n", "\n")
	case strings.HasPrefix(raw, `'''`):
		n.style = singleLines
		n.Text = strings.ReplaceAll(n.Text, "\r\n", "\n")
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
