package script

import "strconv"

// pieces takes apart every node that has no body of its own.
func pieces(n Node) []piece {
	switch n := n.(type) {
	case *Version:
		return words("frizzel " + strconv.Itoa(n.Number))
	case *Title:
		return text("title", n.Text)
	case *Param:
		return paramPieces(n)
	case *Files:
		s := "files"
		if n.Not {
			s = "not files"
		}
		for _, g := range n.Globs {
			s += " " + quote(g)
		}
		return words(s)
	case *Joiners:
		return text("joiners", n.Text)
	case *Encoding:
		return text("encoding", n.Name)
	case *Syntax:
		return text("syntax", n.Name)
	case *UseScript:
		return text("use", n.Path)
	case *When:
		return whenPieces(n)
	case *Expect:
		s := "expect " + n.Bound.String() + " changes"
		if n.Bound.Count == 1 {
			s = s[:len(s)-1]
		}
		return words(s + perFile(n.PerFile))
	case *Assert:
		return assertPieces(n)
	default:
		return statementPieces(n)
	}
}

func statementPieces(n Node) []piece {
	switch n := n.(type) {
	case *Replace:
		return replacePieces(n)
	case *Delete:
		return words("delete")
	case *Insert:
		ps := text("insert "+n.Where.String(), n.Text)
		if n.UnlessPresent {
			ps = append(ps, piece{words: "unless present"})
		}
		return ps
	case *Rewrite:
		return text("rewrite as", n.Text)
	case *Settle:
		ps := append(patternPieces("settle", n.Pattern, true), text("as", n.Text)...)
		if n.Commented != nil {
			ps = append(ps, text("commented by", n.Commented)...)
		}
		if n.KeepComment {
			ps = append(ps, piece{words: "keeping comment"})
		}
		if n.ByIndentation {
			ps = append(ps, piece{words: "continued by indentation"})
		}
		if n.Continued != nil {
			ps = append(ps, text("continued by", n.Continued)...)
		}
		return ps
	case *SettleSection:
		return text("settle section", n.Name)
	case *SettleValue:
		head, as := "settle value", "as"
		if n.Item {
			head = "settle item"
		}
		if n.Literal {
			as = "as literal"
		}
		return append(text(head, n.Path), text(as, n.Text)...)
	case *Rename:
		return text("rename to", n.To)
	case *Comment:
		if n.Out {
			return text("comment out with", n.Mark)
		}
		return text("uncomment", n.Mark)
	case *Transfer:
		return transferPieces(n)
	case *Squeeze:
		if n.Written {
			return words("squeeze blank lines to " + strconv.Itoa(n.To))
		}
		return words("squeeze blank lines")
	case *TrimEnds:
		return words("trim line ends")
	case *UseEndings:
		if n.CRLF {
			return words("use line endings crlf")
		}
		return words("use line endings lf")
	case *UseFinalEnding:
		return words("use final line ending")
	case *UseEncoding:
		return text("use encoding", n.Name)
	}
	panic("script: no layout for this node")
}

func words(s string) []piece { return []piece{{words: s}} }

func perFile(yes bool) string {
	if yes {
		return " per file"
	}
	return ""
}

func paramPieces(n *Param) []piece {
	ps := words("param " + n.Name)
	if n.Default != nil {
		if n.Default.Block {
			ps = text(ps[0].words+" =", n.Default)
		} else {
			ps[0].words += " = " + quote(n.Default)
		}
	}
	if n.Env != nil {
		ps = append(ps, piece{words: "from env " + quote(n.Env), joined: true})
	}
	if n.Matching != nil {
		ps = append(ps, patternPieces("matching", n.Matching, true)...)
	}
	if n.About != nil {
		ps = append(ps, text("about", n.About)...)
	}
	return ps
}

func whenPieces(n *When) []piece {
	switch {
	case n.Pattern != nil && n.Lacks:
		return patternPieces("when file lacks", n.Pattern, true)
	case n.Pattern != nil:
		return patternPieces("when file has", n.Pattern, true)
	case n.By != "":
		return words("when file changed by " + n.By)
	default:
		return words("when file changed")
	}
}

func assertPieces(n *Assert) []piece {
	head := "forbid"
	if !n.Forbid {
		head = "require"
		if !n.Plain {
			head += " " + n.Bound.String() + " of"
		}
	}
	ps := words(head)
	if n.Pattern != nil {
		ps = patternPieces(head, n.Pattern, true)
	}
	if n.PerFile {
		ps = append(ps, piece{words: "per file"})
	}
	return ps
}

func replacePieces(n *Replace) []piece {
	head := "replace"
	if n.With == nil {
		head = "remove"
	}
	ps := patternPieces(head, n.Pattern, false)
	if n.With != nil {
		ps = append(ps, text("with", n.With)...)
	}
	option := func(words string) { ps = append(ps, piece{words: words}) }
	switch w := n.Which; {
	case w.Last:
		option("last")
	case w.From == 1 && w.To == 1:
		option("first")
	case w.From > 0 && w.To == w.From:
		option("occurrence " + strconv.Itoa(w.From))
	case w.From > 0 && w.To == 0:
		option("occurrences " + strconv.Itoa(w.From) + " to last")
	case w.From > 0:
		option("occurrences " + strconv.Itoa(w.From) + " to " + strconv.Itoa(w.To))
	}
	if n.InFile {
		option("in file")
	}
	if n.Pattern.IgnoreCase {
		option("ignoring case")
	}
	if n.KeepCase {
		option("keeping case")
	}
	if n.AcrossLines {
		option("across lines")
	}
	return ps
}

func transferPieces(n *Transfer) []piece {
	head := "copy"
	if n.Move {
		head = "move"
	}
	if n.Dest.Below {
		head += " below"
	} else {
		head += " above"
	}
	switch d := n.Dest; {
	case d.First:
		return words(head + " first line")
	case d.Last:
		return words(head + " last line")
	case d.Line > 0:
		return words(head + " line " + strconv.Itoa(d.Line))
	default:
		return patternPieces(head+" lines with", d.Pattern, true)
	}
}

// patternPieces takes a pattern apart; withCase says whether `ignoring case`
// stands here, rather than at the statement's end.
func patternPieces(head string, n *Pattern, withCase bool) []piece {
	kind := n.Kind.String()
	if kind != "" {
		kind = " " + kind
	}
	ps := text(head+kind, n.Text)
	if n.Whole {
		ps = append(ps, piece{words: "whole"})
	}
	for _, g := range n.Guards {
		s := "followed by "
		if g.Preceded {
			s = "preceded by "
		}
		if g.Not {
			s = "not " + s
		}
		ps = append(ps, text(s+g.Kind.String(), g.Text)...)
	}
	if withCase && n.IgnoreCase {
		ps = append(ps, piece{words: "ignoring case"})
	}
	return ps
}

func addressPieces(a *Address) []piece {
	open := "on"
	if a.Kind == Section || a.Kind == Block || a.Kind == Paragraph {
		open = "in"
	}
	if a.Outside {
		open = "outside"
	}
	var ps []piece
	switch a.Kind {
	case Line:
		ps = words(open + " line " + strconv.Itoa(a.From))
	case Lines:
		to := "last"
		if a.To > 0 {
			to = strconv.Itoa(a.To)
		}
		ps = words(open + " lines " + strconv.Itoa(a.From) + " to " + to)
	case FirstLines:
		ps = words(open + " first " + lineCount(a.From))
	case LastLines:
		ps = words(open + " last " + lineCount(a.From))
	case LinesWith:
		ps = patternPieces(open+" lines with", a.Pattern, true)
		if a.Above > 0 {
			ps = append(ps, piece{words: "and " + strconv.Itoa(a.Above) + " above", joined: true})
		}
		if a.Below > 0 {
			ps = append(ps, piece{words: "and " + strconv.Itoa(a.Below) + " below", joined: true})
		}
	case LinesWithout:
		ps = patternPieces(open+" lines without", a.Pattern, true)
	case Between:
		ps = append(markPieces(open+" lines between", a.Open), markPieces("and", a.Close)...)
	case Range:
		ps = append(markPieces(open+" lines from", a.Open), markPieces("to", a.Close)...)
	case Until:
		ps = append(markPieces(open+" lines from", a.Open), markPieces("until", a.Close)...)
	case At:
		ps = text("at", a.Path)
	case Section:
		ps = text(open+" section", a.Section)
	case Block:
		ps = patternPieces(open+" block with", a.Pattern, true)
	case Paragraph:
		ps = patternPieces(open+" paragraph with", a.Pattern, true)
	}
	for _, h := range a.Having {
		word := "having"
		if h.Lacking {
			word = "lacking"
		}
		ps = append(ps, patternPieces(word, h.Pattern, true)...)
	}
	if a.Direct {
		ps = append(ps, piece{words: "directly"})
	}
	return ps
}

func lineCount(n int) string {
	if n == 1 {
		return "line"
	}
	return strconv.Itoa(n) + " lines"
}

func markPieces(head string, m *Mark) []piece {
	var ps []piece
	switch {
	case m.Pattern != nil:
		ps = patternPieces(head, m.Pattern, true)
	case m.Last:
		ps = words(head + " last line")
	default:
		ps = words(head + " line " + strconv.Itoa(m.Line))
	}
	ps[0].joined = true
	return ps
}
