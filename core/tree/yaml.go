package tree

import (
	"bytes"
	"errors"
	"io"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"frizzel/core/edit"
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

// yamlFormat writes scalars of YAML.
type yamlFormat struct{ plain }

// bareKind takes what some readers of YAML understand otherwise, or refuse, for text, unless what stood there is of the
// same sort.
func (c yamlFormat) bareKind(n *Node, text string) Kind {
	if sort := sortOfBare(text); sort != sure && sort != sortOfBare(n.Text) {
		return String
	}
	return bareYAML(text)
}

// A bareSort is how a text without quotes may be understood.
type bareSort int

const (
	sure   bareSort = iota // alike by all readers
	words                  // yes, off: true and false in version 1.1
	binary                 // 0b1
	parted                 // 1_000
	sixty                  // 1:30
	octal                  // 0o17, of version 1.2
	nines                  // 08
	short                  // 1e3
	never                  // 2001-02-30, =
)

type bareForm struct {
	sort bareSort
	expr *regexp.Regexp
}

var bareForms = sync.OnceValue(func() []bareForm {
	return []bareForm{
		{words, regexp.MustCompile(`^(?i:y|yes|n|no|on|off)$`)},
		{binary, regexp.MustCompile(`^[-+]?0b`)},
		{sixty, regexp.MustCompile(`:`)},
		{parted, regexp.MustCompile(`_`)},
		{octal, regexp.MustCompile(`^[-+]?0o`)},
		{nines, regexp.MustCompile(`^[-+]?0[0-9]*[89][0-9]*$`)},
		{short, regexp.MustCompile(`^[-+]?([0-9]+|[0-9]*\.[0-9]*)[eE][0-9]+$|^[-+]?[0-9]+[eE]`)},
		{never, regexp.MustCompile(`^(=|<<)$`)},
	}
})

// sortOfBare returns how a text that is no string in some version is understood.
func sortOfBare(text string) bareSort {
	switch bareYAML(text) {
	case String:
		return sure
	case Date:
		day, _, _ := strings.Cut(strings.NewReplacer("T", " ", "t", " ", "\t", " ").Replace(text), " ")
		if _, err := time.Parse("2006-1-2", day); err != nil {
			return never
		}
		return sure
	}
	for _, f := range bareForms() {
		if f.expr.MatchString(text) {
			return f.sort
		}
	}
	return sure
}

func (c yamlFormat) inner(n *Node) (start, end int) {
	switch n.style {
	case doubleQuoted, singleQuoted:
		return n.Inner + 1, n.End - 1
	case literalBlock, foldedBlock:
		start = c.lineEnd(n.Inner)
		if start >= n.End {
			return n.End, n.End
		}
		start += strings.IndexByte(c.raw(start, n.End), '\n') + 1
		return start + c.indented(start, n), n.End
	}
	return n.Inner, n.End
}

// indented returns the number of the block's indentation spaces at a byte.
func (c yamlFormat) indented(at int, n *Node) int {
	i := 0
	for i < n.InnerEnd && at+i < n.End && c.Text[at+i] == ' ' {
		i++
	}
	return i
}

var fold = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[ \t]*\r?\n[ \t\r\n]*`) })

func (c yamlFormat) escape(n *Node, raw, value string) (of, to int) {
	switch n.style {
	case literalBlock, foldedBlock:
		return c.blockBreak(n, raw, value)
	case doubleQuoted:
		if of = escapeLength(raw); of > 0 {
			if m := lineContinues().FindString(raw); m != "" {
				return len(m), 0
			}
			if raw[1] == 'u' { // which has no pairs here
				of = min(of, len(`\u00e9`))
			}
			return of, escapeMeans(raw[:of])
		}
	case singleQuoted:
		if strings.HasPrefix(raw, "''") {
			return 2, 1
		}
	}
	if m := fold().FindString(raw); m != "" {
		return len(m), folded(value)
	}
	return 0, 0
}

// folded returns the length of a folded line break's text in value.
func folded(value string) int {
	if strings.HasPrefix(value, " ") {
		return 1
	}
	return len(value) - len(strings.TrimLeft(value, "\n"))
}

// blockBreak is escape for a block of lines: a line break with the indentation behind it.
func (c yamlFormat) blockBreak(n *Node, raw, value string) (of, to int) {
	at := 0
	for strings.HasPrefix(raw[at:], "\n") || strings.HasPrefix(raw[at:], "\r\n") {
		at += strings.IndexByte(raw[at:], '\n') + 1
		for i := 0; i < n.InnerEnd && at < len(raw) && raw[at] == ' '; i++ {
			at++
		}
		if n.style == literalBlock {
			return at, 1
		}
	}
	if at == 0 {
		return 0, 0
	}
	return at, folded(value)
}

func (c yamlFormat) fragment(n *Node, text string) (string, bool) {
	switch n.style {
	case doubleQuoted:
		return escaped(text, jsonEscapes), true
	case literalBlock:
		return strings.ReplaceAll(text, "\n", c.ending()+strings.Repeat(" ", n.InnerEnd)), true
	case singleQuoted:
		text = strings.ReplaceAll(text, "'", "''")
	case plainStyle:
		return text, !strings.ContainsAny(text, notPlain)
	}
	return text, !strings.Contains(text, "\n")
}

// notPlain are characters that no text without quotes is given: some parsers stumble over tabs.
const notPlain = "\n\t"

func (c yamlFormat) forms(n *Node, text string, kind Kind) (all []string) {
	if kind != String {
		return []string{c.spaced(n, text)}
	}
	double := `"` + escaped(text, jsonEscapes) + `"`
	switch n.style {
	case singleQuoted:
		all = []string{"'" + strings.ReplaceAll(text, "'", "''") + "'"}
	case literalBlock, foldedBlock:
		if block, ok := c.block(n, text); ok {
			if n.style == foldedBlock && !strings.Contains(text, "\n ") {
				all = append(all, c.folded(block))
			}
			all = append(all, block)
		}
	case plainStyle:
		if bareYAML(text) == String && !strings.ContainsAny(text, notPlain) {
			all = []string{text}
		}
	}
	for i := range all {
		all[i] = c.spaced(n, all[i])
	}
	return append(all, c.spaced(n, double))
}

// spaced puts before a text what it needs in the place of nothing.
func (c yamlFormat) spaced(n *Node, text string) string {
	if text == "" {
		return text
	}
	return c.leading(n) + text
}

// leading returns what parts a text from what precedes nothing, which it takes the place of: a space behind a colon or a
// dash, a colon behind a name that has none.
func (c yamlFormat) leading(n *Node) string {
	switch {
	case n == nil || n.Start != n.End || n.Start == 0:
		return ""
	case strings.IndexByte(":-?", c.Text[n.Start-1]) >= 0:
		return " "
	case n.keyNode == nil || n.keyNode.End != n.Start:
		return ""
	case c.Text[n.keyNode.Start] == '?' && n.Parent.style != flow:
		return c.ending() + strings.Repeat(" ", c.indent(n.Parent)) + ": "
	}
	return ": "
}

// block returns a text as a block scalar. It reports false if quotes are better.
func (c yamlFormat) block(n *Node, text string) (string, bool) {
	body := strings.TrimRight(text, "\n")
	if body == "" || strings.ContainsAny(text, "\r\u0085\u2028\u2029\ufeff") {
		return "", false
	}
	if body[0] == ' ' || body[0] == '\n' {
		return "", false // would want its indentation said
	}
	header, behind := "", "" // a comment
	if n.style == literalBlock || n.style == foldedBlock {
		first := c.raw(n.Inner, c.lineEnd(n.Inner))
		header = blockHeader().FindString(first)
		behind = first[len(header):]
	}
	sign := "|"
	switch ends := len(text) - len(body); {
	case ends == 0 && header != "" && !strings.Contains(header, "-") && n.End == len(c.Text):
		// the file has no final line ending, so the text has none either
	case ends == 0:
		sign += "-"
	case ends > 1:
		sign += "+"
	}
	indent := strings.Repeat(" ", n.InnerEnd)
	var b strings.Builder
	b.WriteString(sign + behind)
	for _, line := range strings.Split(body, "\n") {
		b.WriteString(c.ending())
		if line != "" {
			b.WriteString(indent + line)
		}
	}
	for range max(len(text)-len(body)-1, 0) {
		b.WriteString(c.ending())
	}
	return b.String(), true
}

// folded makes a block of lines one in which a line break is a blank line.
func (c yamlFormat) folded(block string) string {
	header, body, _ := strings.Cut(block, c.ending())
	lines := strings.Split(body, c.ending())
	last := len(lines) - 1 // that holds anything
	for last > 0 && lines[last] == "" {
		last--
	}
	var b strings.Builder
	b.WriteString(">" + header[1:])
	for i, line := range lines {
		b.WriteString(c.ending() + line)
		if line != "" && i < last {
			b.WriteString(c.ending())
		}
	}
	return b.String()
}

// reads reads raw behind a key, or a dash, at the place of the node.
func (c yamlFormat) reads(n *Node, raw string) (string, Kind, bool) {
	before, after := "", "\n"
	raw = strings.TrimPrefix(raw, c.leading(n))
	if n != nil && n.End == len(c.Text) {
		after = "" // a block's sign may stay where the file has no final line ending
	}
	switch {
	case n == nil || n.Parent == nil:
	case n.Parent.style == flow && n.Parent.Kind == Array:
		before, after = "[ ", " ]\n"
	case n.Parent.style == flow:
		before, after = "{ k: ", " }\n"
	case n.Parent.Kind == Array:
		before = strings.Repeat(" ", c.indent(n.Parent)) + "- "
	default:
		before = strings.Repeat(" ", c.indent(n.Parent)) + "k: "
	}
	if n != nil && n.Tag != "" {
		before += n.Tag + " "
	}
	made, err := Parse(syntax.YAML, []byte(before+raw+after))
	if err != nil || len(made.Roots) != 1 {
		return "", 0, false
	}
	got := made.Roots[0]
	if n != nil && n.Parent != nil {
		if got.Kind != n.Parent.Kind || len(got.Members) != 1 {
			return "", 0, false
		}
		got = got.Members[0]
	}
	if got.HasMembers() || got.Kind == Alias || got.Anchor != "" || n != nil && got.Tag != n.Tag || n == nil && got.Tag != "" {
		return "", 0, false
	}
	return got.Text, got.Kind, true
}

// indent returns the indentation of a node's members.
func (d yamlFormat) indent(n *Node) int { return len([]rune(d.raw(d.lineStart(n.Inner), n.Inner))) }

func (yamlFormat) traits() traits {
	return traits{colon: ": ", fixedColon: true, lists: true, addsLast: true}
}

func (yamlFormat) content(n *Node) int { return n.Inner }

func (yamlFormat) literal(_ *Step, text string) (*Node, error) {
	made, err := Parse(syntax.YAML, []byte(text))
	if err != nil {
		return nil, err
	}
	if len(made.Roots) != 1 || made.Roots[0].End < len(strings.TrimSpace(text)) {
		return nil, misfit("%s is not one value of YAML", excerpt(text))
	}
	n := asWritten(made.Roots[0], text)
	n.raw = strings.TrimRight(text, " \n")
	return n, nil
}

func (c yamlFormat) canBecome(n *Node, _ bool) error {
	if n.Tag != "" {
		return misfit("%s says its kind itself, by %s", c.Path(n), n.Tag)
	}
	return nil
}

// key writes a key as the one of n is written.
func (c yamlFormat) key(n *Node, name string) (string, error) {
	if n.keyNode != nil && n.keyNode.HasMembers() {
		return "", misfit("the key of %s is not text", c.Path(n))
	}
	for _, raw := range c.forms(&Node{style: c.quoted(n.Key), Kind: String}, name, String) {
		made, err := Parse(syntax.YAML, []byte(raw+": 1\n"))
		if err == nil && len(made.Roots) == 1 && len(made.Roots[0].Members) == 1 && made.Roots[0].Members[0].Name == name {
			return raw, nil
		}
	}
	return "", misfit("%q cannot be a key", name)
}

func (c yamlFormat) remove(parent *Node, nodes []*Node) (edit.List, error) {
	if parent.pair {
		return edit.List{{Start: parent.Start, End: parent.End, New: []byte("{}")}}, nil
	}
	if parent.style == flow {
		return c.plain.remove(parent, nodes)
	}
	return c.deleteBlock(parent, nodes)
}

// deleteBlock deletes indented members.
func (d yamlFormat) deleteBlock(parent *Node, nodes []*Node) (edits edit.List, err error) {
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

// dash returns the offset of an item's dash, or -1 if it cannot be determined.
func (d yamlFormat) dash(parent, n *Node) int {
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
