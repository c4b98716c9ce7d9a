package tree

import (
	"regexp"
	"strings"
	"sync"

	"frizzel/core/syntax"
)

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

// bareYAML returns what kind of value a text is where it stands without quotes.
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

// yamlCodec writes scalars of YAML.
type yamlCodec struct{ *Document }

func (c yamlCodec) bareKind(text string) Kind { return bareYAML(text) }

func (c yamlCodec) inner(n *Node) (start, end int) {
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

// indented returns how many of a block's spaces of indentation stand at a byte.
func (c yamlCodec) indented(at int, n *Node) int {
	i := 0
	for i < n.InnerEnd && at+i < n.End && c.Text[at+i] == ' ' {
		i++
	}
	return i
}

var fold = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[ \t]*\r?\n[ \t\r\n]*`) })

func (c yamlCodec) escape(n *Node, raw, value string) (of, to int) {
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

// folded returns how many bytes of a value a folded line break stands for.
func folded(value string) int {
	if strings.HasPrefix(value, " ") {
		return 1
	}
	return len(value) - len(strings.TrimLeft(value, "\n"))
}

// blockBreak is escape for a block of lines: a line break with the indentation behind it.
func (c yamlCodec) blockBreak(n *Node, raw, value string) (of, to int) {
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

func (c yamlCodec) fragment(n *Node, text string) (string, bool) {
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

func (c yamlCodec) forms(n *Node, text string, kind Kind) (all []string) {
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

// spaced puts a space before what takes the place of nothing behind a colon or a dash.
func (c yamlCodec) spaced(n *Node, text string) string {
	if n.Start == n.End && n.Start > 0 && strings.IndexByte(":-?", c.Text[n.Start-1]) >= 0 && text != "" {
		return " " + text
	}
	return text
}

// block writes a text as a block of lines; false for one that stands better in quotes.
func (c yamlCodec) block(n *Node, text string) (string, bool) {
	body := strings.TrimRight(text, "\n")
	if body == "" || strings.ContainsAny(text, "\r\u0085\u2028\u2029\ufeff") {
		return "", false
	}
	sign := "|"
	if body[0] == ' ' || body[0] == '\n' {
		return "", false // would want its indentation said
	}
	switch ends := len(text) - len(body); {
	case ends == 0:
		sign += "-"
	case ends > 1:
		sign += "+"
	}
	behind := "" // a comment
	if n.style == literalBlock || n.style == foldedBlock {
		first := c.raw(n.Inner, c.lineEnd(n.Inner))
		behind = first[len(blockHeader().FindString(first)):]
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
func (c yamlCodec) folded(block string) string {
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
func (c yamlCodec) reads(n *Node, raw string) (string, Kind, bool) {
	before, after := "", "\n"
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

// indent returns how many spaces stand before the members of a node.
func (d *Document) indent(n *Node) int { return len([]rune(d.raw(d.lineStart(n.Inner), n.Inner))) }
