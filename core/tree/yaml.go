package tree

import (
	"regexp"
	"strings"
	"sync"
	"time"

	"frizzel/core/edit"
	"frizzel/core/syntax"
)

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
