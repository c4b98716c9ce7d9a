package compile

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"frizzel/core/literals"
	"frizzel/core/outline"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/core/textfile"
)

// statement compiles a statement; nil for a node that is none, and after an error.
func (c *compiler) statement(n script.Node) program.Action {
	switch n := n.(type) {
	case *script.Replace:
		return c.replace(n)
	case *script.ReplaceEach:
		return c.replaceEach(n)
	case *script.Delete:
		if c.underPath() {
			c.moves(n.Pos)
			return &program.DeleteMembers{}
		}
		c.needsAddress(n.Pos, "delete")
		c.moves(n.Pos)
		return program.Delete{}
	case *script.Insert:
		if n.Where == script.Top || n.Where == script.End {
			c.insertAtEdge(n)
		}
		if !n.UnlessPresent && !c.guarded() {
			c.warn(n.Pos, c.presentOrItem(n), "each run inserts these lines once more")
			if at := n.Text.Pos; !n.Text.Block && n.Text.File == nil {
				at.Column, at.Width = at.Column+at.Width, 0
				c.fix(script.Fix{Title: "add unless present", Pos: at, New: " unless present"})
			}
		} else if n.Where == script.Below || n.Where == script.Above {
			c.addsToItem(n.Pos, n.Text)
		}
		c.moves(n.Pos)
		return &program.Insert{Where: n.Where, Text: c.template(n.Text, nil), UnlessPresent: n.UnlessPresent}
	case *script.Rewrite:
		if len(c.within) == 0 && c.subject == script.Content {
			c.errorf(n.Pos, "say which lines; on lines 1 to last rewrite as … is the whole file", "rewrite without an address would replace the whole file")
		}
		c.notDirectly(n.Pos, "rewrite")
		c.moves(n.Pos)
		if n.Literal {
			return c.rewriteLiteral(n)
		}
		return &program.Rewrite{Text: c.template(n.Text, nil)}
	case *script.Settle:
		return c.settle(n)
	case *script.SettleSection:
		return c.settleSection(n)
	case *script.SettleValue:
		return c.settleValue(n)
	case *script.Rename:
		return c.rename(n)
	case *script.Comment:
		c.oneLine(n.Mark, "a comment mark")
		return &program.Comment{Out: n.Out, Mark: c.template(n.Mark, nil)}
	case *script.Transfer:
		return c.transfer(n)
	case *script.Sort:
		c.notDirectly(n.Pos, "sort")
		return c.sort(n)
	case *script.DropRepeated:
		c.notDirectly(n.Pos, "drop")
		c.moves(n.Pos)
		return program.DropRepeated{}
	case *script.Squeeze:
		c.moves(n.Pos)
		return &program.Squeeze{To: n.To}
	case *script.TrimEnds:
		return program.TrimEnds{}
	case *script.UseEndings:
		c.wholeFile(n.Pos, "use line endings")
		return &program.UseEndings{CRLF: n.CRLF}
	case *script.UseFinalEnding:
		c.wholeFile(n.Pos, "use final line ending")
		return program.UseFinalEnding{}
	case *script.UseEncoding:
		c.wholeFile(n.Pos, "use encoding")
		c.knownEncoding(n.Name)
		return &program.UseEncoding{Name: c.fixed(n.Name)}
	}
	return nil
}

// presentOrItem says how an insert is written so that a second run inserts nothing.
func (c *compiler) presentOrItem(n *script.Insert) string {
	if c.underPath() {
		source := c.within[len(c.within)-1].Path().Source
		if i := strings.LastIndexByte(source, '['); i > 0 && strings.HasSuffix(source, "]") {
			return fmt.Sprintf("for an item of the list say settle item '%s' as %q", source[:i], n.Text.Raw)
		}
	}
	return "add unless present"
}

func (c *compiler) needsAddress(pos script.Pos, word string) {
	if len(c.within) == 0 {
		c.errorf(pos, `say where, as in: on lines with word "depot-3" `+word, "%s without an address would take the whole file", word)
	}
}

// notDirectly reports a statement that cannot act on lines with others between them.
func (c *compiler) notDirectly(pos script.Pos, word string) {
	if slices.ContainsFunc(c.within, func(a *program.Address) bool { return a.Direct }) {
		c.errorf(pos, "leave out directly, or select the lines one by one", "%s takes lines that stand together, and directly leaves gaps", word)
	}
}

func (c *compiler) wholeFile(pos script.Pos, words string) {
	if len(c.within) > 0 {
		c.errorf(pos, "move it out of the address", "%s is about the whole file, and stands under an address", words)
	}
}

// insertAtEdge reports an insert at an edge of the file that stands under an address.
func (c *compiler) insertAtEdge(n *script.Insert) {
	if len(c.within) == 0 {
		return
	}
	side, text := "below", "…"
	if n.Where == script.Top {
		side = "above"
	}
	if s, ok := n.Text.Plain(); ok && !strings.Contains(s, "\n") && n.Text.File == nil {
		text = strconv.Quote(s)
	}
	c.errorf(n.Pos, fmt.Sprintf("at the edge of what is addressed say insert %s %s; of the file say it outside the address", side, text),
		"insert %s is about the whole file, and stands under an address", n.Where)
}

// knownSyntax takes the syntax that a name says.
func (c *compiler) knownSyntax(name *script.Text) {
	s, ok := syntax.Named(c.fixed(name))
	if !ok {
		remedy, near := script.Meant(c.fixed(name), syntax.Names(), "one of "+syntax.List())
		c.errorf(name.Pos, remedy, "there is no syntax %q", c.fixed(name))
		c.near(name.Pos, name.Raw, near)
	}
	c.syntax = s
}

func (c *compiler) knownEncoding(name *script.Text) {
	if _, err := textfile.EncodingNamed(c.fixed(name)); err != nil {
		c.errorf(name.Pos, "", "%v", err)
	}
}

func (c *compiler) transfer(n *script.Transfer) program.Action {
	word := "copy"
	if n.Move {
		word = "move"
	}
	if n.Dest.Member != nil {
		return c.moveMember(n)
	}
	c.needsAddress(n.Pos, word)
	if c.underPath() {
		c.errorf(n.Pos, "say which of its lines, as in: at '$.data' { on line 1 "+word+" below last line }", "%s takes lines, and stands right under a path", word)
	}
	c.notDirectly(n.Pos, word)
	if n.Dest.Line > 0 {
		c.countsLines(n.Pos)
	}
	c.moves(n.Pos)
	t := &program.Transfer{Move: n.Move, Dest: program.Dest{Below: n.Dest.Below, Line: n.Dest.Line}}
	if n.Dest.Form != nil {
		t.Dest.Form = c.form(&script.Address{Pos: n.Pos, Form: n.Dest.Form})
	}
	return t
}

func (c *compiler) replace(n *script.Replace) program.Action {
	looked := *n.Pattern
	looked.IgnoreCase = looked.IgnoreCase || n.KeepCase
	reach := within
	if n.AcrossLines {
		reach = across
	}
	p := c.pattern(&looked, reach)
	r := &program.Replace{
		Pattern: p, Which: n.Which, InFile: n.InFile, KeepCase: n.KeepCase,
		WholeLines: n.Pattern.Kind == script.WholeLines,
	}
	if n.With != nil {
		r.With = c.template(n.With, groupsOf(p))
	}
	if p == nil {
		return nil
	}
	c.program.Rare.Add(p)
	c.lintReplace(n, p, r.With)
	if p.SpansLines() || c.breaksLines(n.With) {
		c.moves(n.Pos)
	}
	return r
}

func (c *compiler) replaceEach(n *script.ReplaceEach) program.Action {
	s := &program.ReplaceEach{KeepCase: n.KeepCase}
	spec := literals.Spec{Word: n.Word, IgnoreCase: n.IgnoreCase || n.KeepCase, Joiners: c.joiners}
	if n.Table != nil {
		s.Table = c.table(n.Table, spec.IgnoreCase, &s.With)
		if s.Table == nil {
			return nil
		}
		spec.Literals = s.Table.Rows
	}
	seen := map[string]bool{}
	for _, pair := range n.Pairs {
		old := c.constant(pair.Old)
		if old == "" || strings.Contains(old, "\n") {
			c.errorf(pair.Pos, "", "an old text is some text within one line")
			return nil
		}
		if key := folded(old, spec.IgnoreCase); seen[key] {
			c.errorf(pair.Pos, "keep one of them", "%q is replaced twice", old)
			return nil
		} else {
			seen[key] = true
		}
		spec.Literals = append(spec.Literals, old)
		s.With = append(s.With, c.template(pair.With, []string{""}))
	}
	c.program.Wide = c.program.Wide || slices.ContainsFunc(spec.Literals, func(s string) bool { return !isASCII(s) })
	c.swaps(n)
	s.Set = literals.New(spec)
	return s
}

func (c *compiler) settle(n *script.Settle) program.Action {
	if n.KeepComment || n.Continued != nil || n.ByIndentation {
		c.oneLine(n.Text, "what settle writes with this option")
	}
	if slices.ContainsFunc(c.within, func(a *program.Address) bool { return a.Direct }) {
		c.errorf(n.Pos, "leave out directly: in a block settle looks at the block's own lines anyway", "settle does not stand under directly")
	}
	s := &program.Settle{
		Pattern: c.pattern(n.Pattern, within), Text: c.template(n.Text, nil),
		KeepComment: n.KeepComment, Continued: c.fixed(n.Continued), ByIndentation: n.ByIndentation,
		AtTop: n.Added.Top, Below: n.Added.Below,
	}
	if n.Added.Pattern != nil {
		s.Near = c.pattern(n.Added.Pattern, within)
	}
	if n.Continued != nil && strings.TrimSpace(s.Continued) == "" {
		c.errorf(n.Continued.Pos, `such as continued by "\"`, "the mark that continues a line is empty")
	}
	for _, mark := range n.Commented {
		s.Marks = append(s.Marks, c.commentMark(mark))
	}
	c.moves(n.Pos)
	c.addsToItem(n.Pos, n.Text)
	if s.Pattern == nil {
		return nil
	}
	if text, ok := s.Text.Constant(); ok && !s.Writes(text) {
		c.errorf(n.Text.Pos, "write a line that the pattern finds again, or every run would add it once more",
			"settle would write %q, which its own pattern does not match", text)
	}
	return s
}

func (c *compiler) sort(n *script.Sort) program.Action {
	s := &program.Sort{ByNumber: n.ByNumber, Descending: n.Descending, IgnoreCase: n.IgnoreCase}
	if n.By != nil {
		by := *n.By
		by.IgnoreCase = n.IgnoreCase
		s.By = c.pattern(&by, within)
	}
	return s
}

// commentMark returns a mark of `commented by`.
func (c *compiler) commentMark(n *script.Text) string {
	mark := strings.TrimRight(c.fixed(n), " \t")
	switch {
	case mark == "" || strings.ContainsAny(mark, "\r\n"):
		c.errorf(n.Pos, `such as commented by "#" ";"`, "a comment mark is some text within one line")
	case len(mark) == 2 && mark[0] != mark[1] && strings.Trim(mark, "#;%!") == "":
		c.warn(n.Pos, fmt.Sprintf("for two marks say commented by %q %q", mark[:1], mark[1:]), "%q is one mark, of two characters", mark)
	}
	return mark
}

func (c *compiler) settleSection(n *script.SettleSection) program.Action {
	c.wholeFile(n.Pos, "settle section")
	c.moves(n.Pos)
	s := &program.SettleSection{Name: c.constant(n.Name)}
	if !outline.IsHeader(s.Name) {
		c.errorf(n.Name.Pos, `such as settle section "clock"`, "%q cannot be a section's name", s.Name)
	}
	return s
}
