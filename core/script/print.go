package script

import (
	"strings"
	"unicode/utf8"
)

// lineWidth is the width in characters past which a statement is broken before
// its options.
const lineWidth = 100

// Format lays a script out the standard way: four spaces a level, one statement
// a line, a blank line around rules and examples, comments kept.
func Format(s *Script) string {
	p := &printer{}
	p.nodes(s.Items, s.End)
	return p.b.String()
}

// OneLine returns a statement in the standard layout, its lines joined, without comments. Its texts stay as they are.
func OneLine(n Node) string {
	p := &printer{bare: true}
	p.node(n)
	all := strings.Split(strings.TrimSuffix(p.b.String(), "\n"), "\n")
	for i := range all {
		all[i] = strings.TrimLeft(all[i], " ")
	}
	return strings.Join(all, " ")
}

// printer writes a tree, a line at a time. A statement is a list of chunks,
// each of which may begin a line of its own: texts of several lines do, as do
// all chunks after one, and all where one line would be too long.
type printer struct {
	b      strings.Builder
	indent int
	bare   bool // without comments
}

func (p *printer) line(s string) {
	if s != "" {
		p.b.WriteString(strings.Repeat("    ", p.indent))
		p.b.WriteString(s)
	}
	p.b.WriteByte('\n')
}

// nodes prints a body and the comments at its end.
func (p *printer) nodes(nodes []Node, end []string) {
	for i, n := range nodes {
		above := n.head().Above
		if i == 0 && len(above) > 0 && above[0] == "" {
			above = above[1:]
		}
		if i > 0 && (stands(n) || stands(nodes[i-1])) && (len(above) == 0 || above[0] != "") {
			p.line("")
		}
		p.comments(above)
		p.node(n)
	}
	if len(nodes) == 0 && len(end) > 0 && end[0] == "" {
		end = end[1:]
	}
	p.comments(end)
}

// stands reports whether a node is surrounded by blank lines.
func stands(n Node) bool {
	switch n.(type) {
	case *Rule, *Example, *NamedTable:
		return true
	}
	return false
}

func (p *printer) comments(lines []string) {
	if p.bare {
		return
	}
	for _, c := range lines {
		p.line(c)
	}
}

// chunk is a part of a statement: words, then perhaps a text of several lines.
type chunk struct {
	words string
	block *Text
	// joined marks words that cannot begin a line.
	joined bool
}

// statement prints the chunks, a body in braces where open is set, and the
// comment behind.
func (p *printer) statement(chunks []chunk, after string) {
	width, blocks := 4*p.indent, false
	for _, pc := range chunks {
		width += utf8.RuneCountInString(pc.words) + 1
		blocks = blocks || pc.block != nil
	}
	broken := !blocks && width-1 > lineWidth
	line, first := "", true
	flush := func() {
		if line != "" {
			if !first && broken {
				line = "    " + line
			}
			p.line(line)
			line, first = "", false
		}
	}
	for _, pc := range chunks {
		if broken && !pc.joined {
			flush()
		}
		line = strings.TrimPrefix(line+" "+pc.words, " ")
		if pc.block != nil {
			flush()
			p.block(pc.block)
		}
	}
	if p.bare {
		after = ""
	}
	if after != "" && line != "" {
		line += " " + after
		after = ""
	}
	flush()
	if after != "" { // the statement ends in a block, which holds no comment
		p.line(after)
	}
}

// block prints a margin block, one level in.
func (p *printer) block(t *Text) {
	p.indent++
	for l := range strings.SplitSeq(t.Raw, "\n") {
		if l == "" {
			p.line("|")
		} else {
			p.line("| " + l)
		}
	}
	p.indent--
}

// end prints the brace behind a body, and the comment behind it.
func (p *printer) end(after string) {
	if after != "" && !p.bare {
		after = " " + after
	} else {
		after = ""
	}
	p.line("}" + after)
}

// braces prints `HEAD {`, a body and `}`.
func (p *printer) braces(head string, nodes []Node, end []string, after string) {
	p.line(head + " {")
	p.indent++
	p.nodes(nodes, end)
	p.indent--
	p.end(after)
}

func (p *printer) node(n Node) {
	switch n := n.(type) {
	case *Rule:
		p.braces(n.chunks()[0].words, n.Body, n.End, n.After)
	case *Example:
		p.example(n)
	case *ReplaceEach:
		p.replaceEach(n)
	case *NamedTable:
		p.pairs(n.chunks(), n.Table, n.Pairs, n.End, n.After, nil)
	case *Addressed:
		p.addressed(n)
	default:
		p.statement(n.chunks(), n.head().After)
	}
}

func (p *printer) addressed(n *Addressed) {
	head := n.chunks()
	if n.Braces {
		last := &head[len(head)-1]
		if last.block == nil {
			last.words += " {"
			p.statement(head, "")
		} else {
			p.statement(head, "")
			p.line("{")
		}
		p.indent++
		p.nodes(n.Body, n.End)
		p.indent--
		p.end(n.After)
		return
	}
	inner := n.Body[0]
	switch inner := inner.(type) {
	case *ReplaceEach, *Addressed:
		p.statement(head, "")
		p.indent++
		p.node(inner)
		p.indent--
		p.comments(one(n.After))
	default:
		rest := inner.chunks()
		rest[0].joined = len(rest) == 1
		p.statement(append(head, rest...), n.After)
	}
}

func one(comment string) []string {
	if comment == "" {
		return nil
	}
	return []string{comment}
}

func (p *printer) replaceEach(n *ReplaceEach) {
	p.pairs(n.chunks(), n.Table, n.Pairs, n.End, n.After, func(pair Pair) []chunk { return textChunks("with", pair.With) })
}

// pairs prints a form with pairs of texts in braces, or with a table in their place. second returns the second text of
// a pair, with its word.
func (p *printer) pairs(head []chunk, t *Table, pairs []Pair, end []string, after string, second func(Pair) []chunk) {
	if t != nil {
		p.statement(head, after)
		return
	}
	p.line(head[0].words + " {")
	p.indent++
	for i, pair := range pairs {
		above := pair.Above
		if i == 0 && len(above) > 0 && above[0] == "" {
			above = above[1:]
		}
		p.comments(above)
		if second == nil {
			p.line(strings.TrimSuffix(quote(pair.Old)+" "+quote(pair.With)+" "+pair.After, " "))
		} else {
			p.statement(append(textChunks("", pair.Old), second(pair)...), pair.After)
		}
	}
	p.comments(end)
	p.indent--
	p.end(after)
}

func (p *printer) example(n *Example) {
	p.line(n.chunks()[0].words + " {")
	p.indent++
	for _, s := range n.Sets {
		p.statement(textChunks("set "+s.Name+" =", s.Value), "")
	}
	switch {
	case n.Becomes != nil:
		p.line("file " + quote(n.File) + " becomes " + quote(n.Becomes))
	case n.File != nil:
		p.statement(textChunks("file", n.File), "")
	}
	if n.Given == nil {
		p.indent--
		p.end(n.After)
		return
	}
	p.statement(textChunks("given", n.Given), "")
	if n.Gives == nil {
		p.line("gives the same")
	} else {
		p.statement(textChunks("gives", n.Gives), "")
	}
	p.indent--
	p.end(n.After)
}

// textChunks returns words and a text behind them.
func textChunks(words string, t *Text) []chunk {
	if t.File != nil {
		words, t = words+" from file", t.File
	}
	if t.Block {
		return []chunk{{words: words, block: t}}
	}
	return []chunk{{words: strings.TrimPrefix(words+" "+quote(t), " ")}}
}

// oneOf returns words as one chunk.
func oneOf(words string) []chunk { return []chunk{{words: words}} }

// quote writes a text on one line; a block is written by its chunk.
func quote(t *Text) string {
	if t.Quote == 0 {
		t.Quoted('"')
	}
	return string(t.Quote) + t.Raw + string(t.Quote)
}
