package tree

import (
	"bytes"
	"errors"
	"io"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// parse reads a text with yaml.v3, which tells where values begin: the line and the character.
// Where they end follows from how they are written, and from their texts.
func (d yamlFormat) parse() error {
	y := &yamlReader{Document: d.Document, src: string(d.Text)}
	y.index()
	text := withoutDirectives(d.Text)
	err := y.documents(text)
	if err != nil && strings.Contains(err.Error(), "found a tab character where an indentation space") {
		if text, y.tab = withoutTabs(text); y.tab != 0 {
			d.Roots = nil
			err = y.documents(text)
		}
	}
	return err
}

var tabbedBlock = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`([|>][-+0-9]*[ \t]*(?:#[^\n]*)?\r?\n(?: *\r?\n)* +)\t`)
})

// withoutTabs puts a character that the text has nowhere else in the place of the tab that the first line of a block begins
// with, which yaml.v3 refuses there. It returns 0 if there is no such character.
func withoutTabs(text []byte) ([]byte, byte) {
	for c := byte('!'); c <= '~'; c++ {
		if bytes.IndexByte(text, c) < 0 && c != '$' {
			return tabbedBlock().ReplaceAll(text, []byte("${1}"+string(c))), c
		}
	}
	return text, 0
}

// documents reads the documents of a text of the same length as the source.
func (y *yamlReader) documents(text []byte) error {
	d := y.Document
	dec := yaml.NewDecoder(bytes.NewReader(text))
	for {
		var doc yaml.Node
		err := dec.Decode(&doc)
		if errors.Is(err, io.EOF) {
			if len(d.Roots) == 0 { // as if it held nothing, which may become something
				d.Roots = []*Node{{Kind: Null, Start: len(d.Text), End: len(d.Text), Inner: len(d.Text)}}
			}
			return nil
		}
		if err != nil {
			return yamlFault(err)
		}
		y.anchors = map[*yaml.Node]*Node{}
		root, err := y.node(doc.Content[0], 0, -1)
		if err != nil {
			return err
		}
		d.Roots = append(d.Roots, root)
	}
}

var versionDirective = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?m)^%YAML 1\.[0-9]+`) })

// withoutDirectives makes comments of the directives that say a version, since yaml.v3 refuses the
// newer one.
func withoutDirectives(text []byte) []byte {
	if !bytes.Contains(text, []byte("%YAML")) {
		return text
	}
	return versionDirective().ReplaceAllFunc(text, func(m []byte) []byte {
		return append([]byte("#"), m[1:]...)
	})
}

var yamlError = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^yaml: (?:line (\d+): )?(.*)$`) })

func yamlFault(err error) error {
	m := yamlError().FindStringSubmatch(err.Error())
	if m == nil {
		return &SyntaxError{syntax.YAML, 0, err.Error()}
	}
	line, _ := strconv.Atoi(m[1])
	return &SyntaxError{syntax.YAML, line, m[2]}
}

// yamlReader is a text that is being read.
type yamlReader struct {
	*Document
	src     string
	starts  []int // of lines, as yaml.v3 counts them
	anchors map[*yaml.Node]*Node
	depth   int
	tab     byte // that stands for a tab; 0 for none
	// The last offset that was computed.
	line, column, at int
}

// index finds the lines: they end at line feeds, returns, and the breaks of Unicode.
func (y *yamlReader) index() {
	y.starts = append(y.starts, 0)
	if strings.HasPrefix(y.src, "\ufeff") {
		y.starts[0] = len("\ufeff")
	}
	for i := 0; i < len(y.src); i++ {
		switch c := y.src[i]; {
		case c == '\n', c == '\r' && !strings.HasPrefix(y.src[i+1:], "\n"):
			y.starts = append(y.starts, i+1)
		case c == 0xc2 && strings.HasPrefix(y.src[i:], "\u0085"):
			y.starts = append(y.starts, i+2)
		case c == 0xe2 && (strings.HasPrefix(y.src[i:], "\u2028") || strings.HasPrefix(y.src[i:], "\u2029")):
			y.starts = append(y.starts, i+3)
		}
	}
}

// place returns the byte of a line and a character of it, both from 1.
func (y *yamlReader) place(line, column int) (int, error) {
	if line == len(y.starts)+1 && column == 1 { // a document of nothing behind the last line
		return len(y.src), nil
	}
	if line < 1 || line > len(y.starts) {
		return 0, y.fault(len(y.Text), "its parser names a line that is not there")
	}
	at, c := y.starts[line-1], 1
	if line == y.line && column >= y.column {
		at, c = y.at, y.column
	}
	for ; c < column && at < len(y.src); c++ {
		_, size := utf8.DecodeRuneInString(y.src[at:])
		at += size
	}
	y.line, y.column, y.at = line, column, at
	return at, nil
}

// node converts a node that begins at or after the byte from. indent is its parent's indentation, or -1.
func (y *yamlReader) node(of *yaml.Node, from, indent int) (*Node, error) {
	if y.depth++; y.depth > maxDepth {
		return nil, y.fault(from, "it is nested more than %d deep", maxDepth)
	}
	defer func() { y.depth-- }()
	at, err := y.place(of.Line, of.Column)
	if err != nil {
		return nil, err
	}
	n := &Node{Anchor: of.Anchor, Start: at, Text: of.Value}
	if y.tab != 0 {
		n.Text = strings.ReplaceAll(n.Text, string(y.tab), "\t")
	}
	if of.Style&yaml.TaggedStyle != 0 {
		n.Tag = of.Tag
	}
	y.anchors[of] = n
	content := at
	if n.Anchor != "" || n.Tag != "" {
		content = y.behindProperties(at)
	}
	switch of.Kind {
	case yaml.AliasNode:
		n.Kind, n.Anchor, n.Text = Alias, of.Value, "*"+of.Value
		n.End = at + len(n.Text)
		n.Target = y.anchors[of.Alias]
		return n, nil
	case yaml.MappingNode:
		return n, y.mapping(n, of, content)
	case yaml.SequenceNode:
		n.Kind = Array
		return n, y.sequence(n, of, content)
	}
	y.scalar(n, of, content, indent)
	return n, nil
}

// behindProperties returns the start of a node's content after an anchor or a tag.
func (y *yamlReader) behindProperties(at int) int {
	for end := at; at < len(y.src); {
		switch c := y.src[at]; {
		case c == '&' || c == '!':
			for at < len(y.src) && strings.IndexByte(" \t\r\n,]}", y.src[at]) < 0 {
				at++
			}
			end = at
		case c == ' ' || c == '\t' || c == '\r' || c == '\n':
			at++
		case c == '#':
			at = y.lineEnd(at)
		default:
			return at
		}
		if at == len(y.src) {
			return end
		}
	}
	return at
}

// columnOf returns the number of characters before a byte on its line.
func (y *yamlReader) columnOf(at int) int {
	if y.at <= at && y.line > 0 { // from the last place: a line may be very long
		if between := y.src[y.at:at]; strings.IndexByte(between, '\n') < 0 {
			return y.column - 1 + utf8.RuneCountInString(between)
		}
	}
	return utf8.RuneCountInString(y.src[y.lineStart(at):at])
}

func (y *yamlReader) mapping(n *Node, of *yaml.Node, at int) error {
	if of.Style&yaml.FlowStyle != 0 {
		n.style = flow
		n.pair = !strings.HasPrefix(y.src[at:], "{") // as in [a: b]
	}
	end := at
	indent := y.columnOf(at)
	n.Inner = at
	for i := 0; i+1 < len(of.Content); i += 2 {
		key, err := y.node(of.Content[i], end, indent)
		if err != nil {
			return err
		}
		value, err := y.node(of.Content[i+1], key.End, indent)
		if err != nil {
			return err
		}
		name := y.bare(key)
		explicit := y.explicit(key, n)
		if value.Kind == Null && value.Text == "" && value.Anchor == "" && value.Tag == "" {
			value.Start = y.behindColon(key.End, explicit)
			value.End, value.Inner = value.Start, value.Start
		}
		if i == 0 && n.style != flow {
			n.Inner = key.Start // where its members begin
		}
		value.Name = key.Text
		if key.Kind == Object || key.Kind == Array {
			value.Name = y.src[key.Start:min(max(key.End, key.Start), len(y.src))]
		}
		value.Key, value.KeyEnd = name, key.End
		value.keyNode = key
		n.add(value)
		end = max(value.End, key.End)
	}
	if n.pair {
		n.End = end
		return nil
	}
	return y.ends(n, end, '}')
}

// explicit reports whether a question mark precedes a key, which then begins with that.
func (y *yamlReader) explicit(key, of *Node) bool {
	at := key.Start
	for at > of.Start && (y.src[at-1] == ' ' || y.src[at-1] == '\t') {
		at--
	}
	if at > of.Start && y.src[at-1] == '?' {
		key.Start = at - 1
		return true
	}
	return of.pair && y.src[key.Start] == '?' // at which its mapping begins
}

// behindColon returns the place of nothing behind a key that ends at the byte at: behind its colon, if it has one.
func (y *yamlReader) behindColon(at int, explicit bool) int {
	blanks := " \t"
	if explicit {
		blanks = " \t\r\n"
	}
	if rest := strings.TrimLeft(y.src[at:], blanks); strings.HasPrefix(rest, ":") {
		return len(y.src) - len(rest) + 1
	}
	return at
}

// bare returns the start of a node after its anchor and tag.
func (y *yamlReader) bare(n *Node) int {
	if n.Anchor != "" && n.Kind != Alias || n.Tag != "" {
		return y.behindProperties(n.Start)
	}
	return n.Start
}

func (y *yamlReader) sequence(n *Node, of *yaml.Node, at int) error {
	if of.Style&yaml.FlowStyle != 0 {
		n.style = flow
	}
	end, indent := at, y.columnOf(at)
	n.Inner = at
	for _, c := range of.Content {
		item, err := y.node(c, end, indent)
		if err != nil {
			return err
		}
		end = item.End
		n.add(item)
	}
	return y.ends(n, end, ']')
}

// ends sets the end of a mapping or sequence whose last member ends at the byte at.
func (y *yamlReader) ends(n *Node, at int, closing byte) error {
	if n.End = at; n.style != flow {
		return nil
	}
	if len(n.Members) == 0 {
		at = y.bare(n) + 1
	}
	for at < len(y.src) {
		switch c := y.src[at]; {
		case c == closing:
			n.End = at + 1
			return nil
		case c == '#':
			at = y.lineEnd(at)
		default:
			at++
		}
	}
	n.End = at
	return nil
}

var yamlKinds = map[string]Kind{"!!null": Null, "!!bool": Bool, "!!int": Number, "!!float": Number, "!!timestamp": Date}

func (y *yamlReader) scalar(n *Node, of *yaml.Node, at, indent int) {
	n.Kind = String
	if k, ok := yamlKinds[of.ShortTag()]; ok {
		n.Kind = k
	}
	n.Inner = at // behind anchor and tag
	switch rest := y.src[at:]; {
	case of.Style&yaml.DoubleQuotedStyle != 0 && strings.HasPrefix(rest, `"`):
		n.style, n.End = doubleQuoted, at+quotedEnd(rest, '\\')
	case of.Style&yaml.SingleQuotedStyle != 0 && strings.HasPrefix(rest, `'`):
		n.style, n.End = singleQuoted, at+quotedEnd(rest, '\'')
	case of.Style&yaml.LiteralStyle != 0 && strings.HasPrefix(rest, "|"):
		n.style = literalBlock
		n.End, n.InnerEnd = y.blockEnd(at, indent)
	case of.Style&yaml.FoldedStyle != 0 && strings.HasPrefix(rest, ">"):
		n.style = foldedBlock
		n.End, n.InnerEnd = y.blockEnd(at, indent)
	default:
		n.End = y.plainEnd(at, of.Value)
	}
	if n.style == plainStyle && n.Kind == String && bareYAML(n.Text) != String && n.Tag == "" {
		n.Kind = bareYAML(n.Text) // for those who read version 1.1
	}
}

// quotedEnd returns how long a quoted text is; within it, escape takes the next character.
func quotedEnd(rest string, escape byte) int {
	quote := rest[0]
	for i := 1; i < len(rest); i++ {
		switch {
		case rest[i] == escape && escape == '\\':
			i++
		case rest[i] == quote && escape == quote && i+1 < len(rest) && rest[i+1] == quote:
			i++
		case rest[i] == quote:
			return i + 1
		}
	}
	return len(rest)
}

// plainEnd returns the end of the unquoted scalar at at with the given value.
func (y *yamlReader) plainEnd(at int, value string) int {
	for i := 0; i < len(value); {
		if c := value[i]; c == ' ' || c == '\n' || c == '\t' {
			for i < len(value) && strings.IndexByte(" \n\t", value[i]) >= 0 {
				i++
			}
			for at < len(y.src) && strings.IndexByte(" \t\r\n", y.src[at]) >= 0 {
				at++
			}
			continue
		}
		at, i = at+1, i+1
	}
	return min(at, len(y.src))
}

var blockHeader = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[|>][-+0-9]*`) })

// blockEnd returns the end of a block scalar, before its last line ending, and its indentation.
func (y *yamlReader) blockEnd(at, indent int) (end, block int) {
	header := blockHeader().FindString(y.src[at:])
	if i := strings.IndexAny(header, "123456789"); i > 0 {
		block = max(indent, 0) + int(header[i]-'0')
	}
	end = y.lineEnd(at)
	kept := strings.Contains(header, "+")
	for next := lines.Next(y.Text, at, len(y.Text)); next < len(y.src); {
		line := y.src[next:y.lineEnd(next)]
		depth := len(line) - len(strings.TrimLeft(line, " "))
		blank := depth == len(line)
		if !blank && block == 0 {
			if block = depth; depth <= indent {
				return end, indent + 2
			}
		}
		switch {
		case !blank && (depth < block || block == 0 && (strings.HasPrefix(line, "---") || strings.HasPrefix(line, "..."))):
			return end, block
		case !blank || kept || block > 0 && depth > block:
			end = next + len(line)
		}
		next = lines.Next(y.Text, next, len(y.Text))
	}
	return end, block
}

// nonString is what plain texts of YAML 1.1 or 1.2 are that are not strings.
type nonString struct {
	kind Kind
	expr *regexp.Regexp
}

var nonStrings = sync.OnceValue(func() []nonString {
	return []nonString{
		{Null, regexp.MustCompile(`^(~|null|Null|NULL)?$`)},
		{Bool, regexp.MustCompile(`^(y|Y|yes|Yes|YES|n|N|no|No|NO|true|True|TRUE|false|False|FALSE|on|On|ON|off|Off|OFF)$`)},
		{Number, regexp.MustCompile(`^[-+]?(0b[01_]+|0x[0-9a-fA-F_]+|0o?[0-7_]+|[0-9][0-9_]*|[0-9][0-9_]*(:[0-5]?[0-9])+(\.[0-9_]*)?)$`)},
		{Number, regexp.MustCompile(`^[-+]?(\.[0-9][0-9_]*|[0-9][0-9_]*(\.[0-9_]*)?)([eE][-+]?[0-9]+)?$`)},
		{Number, regexp.MustCompile(`^([-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN))$`)},
		{Date, regexp.MustCompile(`^[0-9]{4}-[0-9]{1,2}-[0-9]{1,2}(([Tt]|[ \t]+)[0-9]{1,2}:[0-9]{2}:[0-9]{2}(\.[0-9]*)?([ \t]*(Z|[-+][0-9]{1,2}(:?[0-9]{2})?))?)?$`)},
		{Null, regexp.MustCompile(`^(=|<<)$`)}, // with a meaning of their own
	}
})

// bareYAML returns the kind of a text without quotes.
func bareYAML(text string) Kind {
	switch { // no number or date that is written by hand, or nothing that any of them begins with
	case len(text) > 64, text != "" && strings.IndexByte("0123456789+-.~=<yYnNtTfFoO", text[0]) < 0:
		return String
	}
	for _, n := range nonStrings() {
		if n.expr.MatchString(text) {
			return n.kind
		}
	}
	return String
}
