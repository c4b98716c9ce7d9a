package tree

import (
	"bytes"
	"encoding/json"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/tailscale/hujson"

	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// parse reads a text with hujson, which knows comments and trailing commas.
func (d jsonFormat) parse() error {
	if err := d.depth(); err != nil {
		return err
	}
	v, err := hujson.Parse(d.Text)
	if err != nil {
		return d.jsonFault(err)
	}
	d.strict = d.Syntax == syntax.JSON && json.Valid(d.Text)
	d.Roots = []*Node{d.jsonNode(&v, string(d.Text))}
	return nil
}

var hujsonError = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^hujson: line (\d+), column (\d+): (.*)$`) })

func (d *Document) jsonFault(err error) error {
	m := hujsonError().FindStringSubmatch(err.Error())
	if m == nil {
		return &SyntaxError{syntax.JSON, 0, err.Error()}
	}
	line, _ := strconv.Atoi(m[1])
	reason := m[3]
	if strings.Contains(reason, "unexpected EOF") {
		reason = "it ends too early"
	}
	return &SyntaxError{syntax.JSON, line, fmt.Sprintf("column %s: %s", m[2], reason)}
}

// depth returns an error if values are nested so deep that a parser's stack could overflow.
func (d *Document) depth() error {
	depth := 0
	for i := 0; i < len(d.Text); i++ {
		switch d.Text[i] {
		case '[', '{':
			if depth++; depth > maxDepth {
				return d.fault(i, "it is nested more than %d deep", maxDepth)
			}
		case ']', '}':
			depth--
		case '"':
			for i++; i < len(d.Text) && d.Text[i] != '"'; i++ {
				if d.Text[i] == '\\' {
					i++
				}
			}
		case '/':
			i = commentEnd(d.Text, i) - 1
		}
	}
	return nil
}

// commentEnd returns the end of the comment that begins at a slash, or at+1 if none does.
func commentEnd(text []byte, at int) int {
	rest := string(text[at:min(at+2, len(text))])
	switch rest {
	case "//":
		return lines.Next(text, at, len(text))
	case "/*":
		for i := at + 2; i+1 < len(text); i++ {
			if text[i] == '*' && text[i+1] == '/' {
				return i + 2
			}
		}
		return len(text)
	}
	return at + 1
}

func (d *Document) jsonNode(v *hujson.Value, src string) *Node {
	n := &Node{Start: v.StartOffset, End: v.EndOffset, style: flow}
	switch of := v.Value.(type) {
	case *hujson.Object:
		n.Members = make([]*Node, 0, len(of.Members))
		for i := range of.Members {
			m := &of.Members[i]
			child := d.jsonNode(&m.Value, src)
			child.Key, child.KeyEnd = m.Name.StartOffset, m.Name.EndOffset
			child.Name = unquoted(src[child.Key:child.KeyEnd])
			n.add(child)
		}
	case *hujson.Array:
		n.Kind = Array
		n.Members = make([]*Node, 0, len(of.Elements))
		for i := range of.Elements {
			n.add(d.jsonNode(&of.Elements[i], src))
		}
	case hujson.Literal:
		n.Text, n.style = src[n.Start:n.End], plainStyle
		n.Kind = jsonKind(n.Text)
		if n.Kind == String {
			n.Text, n.style = unquoted(n.Text), doubleQuoted
		}
	}
	return n
}

// jsonKind returns the kind of a scalar by its notation.
func jsonKind(raw string) Kind {
	switch raw[0] {
	case '"':
		return String
	case 'n':
		return Null
	case 't', 'f':
		return Bool
	}
	return Number
}

// unquoted returns the value of a string.
func unquoted(raw string) string {
	if strings.IndexByte(raw, '\\') < 0 {
		return raw[1 : len(raw)-1]
	}
	var s string
	_ = json.Unmarshal([]byte(raw), &s)
	return s
}

// jsonFormat writes scalars of JSON.
type jsonFormat struct{ plain }

func (c jsonFormat) reads(_ *Node, raw string) (string, Kind, bool) {
	if raw == "" || !json.Valid([]byte(raw)) || strings.ContainsRune("[{", rune(raw[0])) || strings.TrimSpace(raw) != raw {
		return "", 0, false
	}
	if kind := jsonKind(raw); kind != String {
		return raw, kind, true
	}
	return unquoted(raw), String, true
}

func (c jsonFormat) inner(n *Node) (int, int) { return quotesInner(n) }

// quotesInner returns the range between quotes of one character.
func quotesInner(n *Node) (int, int) {
	if n.style == doubleQuoted || n.style == singleQuoted {
		return n.Start + 1, n.End - 1
	}
	return n.Start, n.End
}

func (c jsonFormat) fragment(n *Node, text string) (string, bool) {
	if n.style != doubleQuoted {
		return text, true
	}
	return escaped(text, jsonEscapes), true
}

func (c jsonFormat) forms(_ *Node, text string, kind Kind) []string {
	if kind != String {
		return []string{text}
	}
	return []string{`"` + escaped(text, jsonEscapes) + `"`}
}

func (c jsonFormat) bareKind(_ *Node, text string) Kind {
	if _, kind, ok := c.reads(nil, text); ok && kind != String {
		return kind
	}
	return String
}

func (c jsonFormat) escape(n *Node, raw, _ string) (of, to int) {
	if n.style != doubleQuoted {
		return 0, 0
	}
	of = escapeLength(raw)
	if of > 0 {
		to = len(unquoted(`"` + raw[:of] + `"`))
	}
	return of, to
}

// escapeLength returns the length of the escape that raw begins with, or 0.
func escapeLength(raw string) int {
	if raw == "" || raw[0] != '\\' || len(raw) < 2 {
		return 0
	}
	n := map[byte]int{'u': 6, 'U': 10, 'x': 4}[raw[1]]
	if n == 0 {
		return 2
	}
	if n == 6 && len(raw) >= 12 && raw[6] == '\\' && raw[7] == 'u' && strings.ContainsRune("dD", rune(raw[2])) { // a pair
		return 12
	}
	return min(n, len(raw))
}

// escapeMeans returns the length of the text that an escape of YAML or TOML represents. Errors are found when the
// result is parsed.
func escapeMeans(escape string) int {
	switch escape[1] {
	case 'N', '_': // U+0085, U+00A0
		return 2
	case 'L', 'P': // U+2028, U+2029
		return 3
	case 'x', 'u', 'U':
		r, err := strconv.ParseUint(escape[2:], 16, 32)
		if err != nil {
			return 1
		}
		return max(utf8.RuneLen(rune(r)), 1)
	}
	return 1
}

// jsonEscapes are the short escapes that JSON and TOML share.
var jsonEscapes = map[rune]string{'"': `\"`, '\\': `\\`, '\b': `\b`, '\f': `\f`, '\n': `\n`, '\r': `\r`, '\t': `\t`}

// escaped returns text with escapes for the characters that double quotes cannot contain.
func escaped(text string, short map[rune]string) string {
	var b strings.Builder
	for i, r := range text {
		if e, ok := short[r]; ok {
			b.WriteString(e)
		} else if r < ' ' || r == 0x7f {
			fmt.Fprintf(&b, `\u%04x`, r)
		} else if r == utf8.RuneError {
			_, size := utf8.DecodeRuneInString(text[i:])
			b.WriteString(text[i : i+size])
		} else {
			b.WriteRune(r)
		}
	}
	return b.String()
}

func (jsonFormat) traits() traits {
	return traits{colon: ": ", lists: true, lines: true, addsLast: true}
}

// mayBe reports whether head is one value, or begins one. A log of JSON, a value a line, is not JSON.
func (jsonFormat) mayBe(head []byte) bool {
	d := json.NewDecoder(bytes.NewReader(head))
	var first json.RawMessage
	if err := d.Decode(&first); err != nil {
		return true
	}
	rest := bytes.TrimSpace(head[d.InputOffset():])
	return len(rest) == 0 || rest[0] == '/'
}

func (d jsonFormat) valid(text []byte) (ok, known bool) {
	if d.Syntax == syntax.JSONC {
		return false, false
	}
	return json.Valid(text), true
}

func (d jsonFormat) literal(_ *Step, text string) (*Node, error) {
	made, err := Parse(syntax.JSON, []byte(text))
	if err != nil {
		return nil, err
	}
	if d.strict && !made.strict {
		return nil, misfit("%s is not strict JSON, as the file is", excerpt(text))
	}
	n := asWritten(made.Roots[0], text)
	n.raw = strings.TrimSpace(text)
	return n, nil
}

// value returns a new value, its members on lines of their own, unless siblings are written otherwise.
func (d jsonFormat) value(w *memberWriter, parent, n *Node, indent, step string) string {
	if text, ok := w.typed(parent, n, indent); ok {
		return text
	}
	if !w.linesOf(step) || n.Kind == Array && w.layout == asTyped && !n.Members[0].HasMembers() {
		return w.oneLine(parent, n, "")
	}
	nl, inner := w.ending(), indent+step
	open, closing := "{", "}"
	if n.Kind == Array {
		open, closing = "[", "]"
	}
	var b strings.Builder
	b.WriteString(open)
	for i, m := range n.Members {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(nl + inner + w.named(parent, n, m) + d.value(w, &Node{Kind: n.Kind, style: flow, Parent: parent}, m, inner, step))
	}
	return b.String() + nl + indent + closing
}

func (jsonFormat) key(_ *Node, name string) (string, error) {
	return `"` + escaped(name, jsonEscapes) + `"`, nil
}

func (d jsonFormat) pastComment(at int) int {
	if d.Text[at] == '/' {
		return commentEnd(d.Text, at)
	}
	return at
}
