package compile

import (
	"strings"

	"frizzel/core/literals"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/textfile"
)

// edges are where inserts go, compiled.
var edges = map[script.Edge]program.Edge{
	script.Above: program.Above, script.Below: program.Below, script.Top: program.Top, script.End: program.End,
}

// statement compiles a statement; nil for a node that is none, and after an error.
func (c *compiler) statement(n script.Node) program.Action {
	switch n := n.(type) {
	case *script.Replace:
		return c.replace(n)
	case *script.ReplaceEach:
		return c.replaceEach(n)
	case *script.Delete:
		c.needsAddress(n.Pos, "delete")
		c.moves(n.Pos)
		return program.Delete{}
	case *script.Insert:
		if n.Where == script.Top || n.Where == script.End {
			c.wholeFile(n.Pos, "insert "+n.Where.String())
		}
		if !n.UnlessPresent {
			c.warn(n.Pos, "add unless present", "each run inserts these lines once more")
		}
		c.moves(n.Pos)
		return &program.Insert{Where: edges[n.Where], Text: c.template(n.Text, nil), UnlessPresent: n.UnlessPresent}
	case *script.Rewrite:
		c.moves(n.Pos)
		return &program.Rewrite{Text: c.template(n.Text, nil)}
	case *script.Settle:
		return c.settle(n)
	case *script.Comment:
		c.oneLine(n.Mark, "a comment mark")
		return &program.Comment{Out: n.Out, Mark: c.template(n.Mark, nil)}
	case *script.Transfer:
		return c.transfer(n)
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

func (c *compiler) needsAddress(pos script.Pos, word string) {
	if len(c.within) == 0 {
		c.errorf(pos, `say where, as in: on lines with word "depot-3" `+word, "%s without an address would take the whole file", word)
	}
}

func (c *compiler) wholeFile(pos script.Pos, words string) {
	if len(c.within) > 0 {
		c.errorf(pos, "move it out of the address", "%s is about the whole file, and stands under an address", words)
	}
}

func (c *compiler) knownEncoding(name *script.Text) {
	if _, err := textfile.EncodingNamed(c.fixed(name)); err != nil {
		c.errorf(name.Pos, `such as "utf-8", "utf-16le", "iso-8859-1" or "windows-1252"`, "%v", err)
	}
}

func (c *compiler) transfer(n *script.Transfer) program.Action {
	word := "copy"
	if n.Move {
		word = "move"
	}
	c.needsAddress(n.Pos, word)
	if n.Dest.Line > 0 {
		c.countsLines(n.Pos)
	}
	c.moves(n.Pos)
	t := &program.Transfer{Move: n.Move, Dest: program.Dest{Below: n.Dest.Below, Line: n.Dest.Line, First: n.Dest.First, Last: n.Dest.Last}}
	if n.Dest.Pattern != nil {
		t.Dest.Pattern = c.pattern(n.Dest.Pattern, within)
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
		Pattern: p, Which: program.Which(n.Which), InFile: n.InFile, KeepCase: n.KeepCase,
		WholeLines: n.Pattern.Kind == script.WholeLines,
	}
	if n.With != nil {
		r.With = c.template(n.With, groupsOf(p))
	}
	if p == nil {
		return nil
	}
	c.lintReplace(n, p, r.With)
	if p.SpansLines() || breaksLines(n.With) {
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
	s.Set = literals.New(spec)
	return s
}

func (c *compiler) settle(n *script.Settle) program.Action {
	c.oneLine(n.Text, "what settle writes")
	s := &program.Settle{Pattern: c.pattern(n.Pattern, within), Text: c.template(n.Text, nil)}
	if n.Commented != nil {
		s.Marks = c.fixed(n.Commented)
		if !singleCharacters(s.Marks) {
			c.errorf(n.Commented.Pos, `such as commented by "#;"`, "comment marks are single characters")
		}
	}
	c.moves(n.Pos)
	if s.Pattern == nil {
		return nil
	}
	return s
}
