package explain

import (
	"fmt"
	"strings"

	"frizzel/core/script"
	"frizzel/core/spoken"
)

// Sentence returns what a statement does, with its addresses, as a sentence without its full stop.
func Sentence(n script.Node) string {
	switch n := n.(type) {
	case *script.Addressed:
		return where(n.Address) + ", " + body(n.Body)
	case *script.Replace:
		return replace(n)
	case *script.ReplaceEach:
		return replaceEach(n)
	case *script.Settle:
		return settle(n)
	case *script.SettleSection:
		return "there is a section " + text(n.Name)
	case *script.SettleValue:
		what := "the value at " + text(n.Path) + " is "
		if n.Item {
			what = "the list at " + text(n.Path) + " has the item "
		}
		return what + text(n.Text)
	case *script.Insert:
		return insert(n)
	case *script.Rewrite:
		return "it becomes " + text(n.Text)
	case *script.Delete:
		return "it is deleted"
	case *script.Comment:
		if n.Out {
			return "it is commented out with " + text(n.Mark)
		}
		return "it loses the comment mark " + text(n.Mark)
	case *script.Transfer:
		if n.Move {
			return "it is moved " + behind("move", n)
		}
		return "it is copied " + behind("copy", n)
	case *script.Assert:
		return assert(n)
	}
	return whole(n)
}

// whole returns the sentence of a statement about a whole file, or of one that needs no more than its own words.
func whole(n script.Node) string {
	switch n := n.(type) {
	case *script.Sort:
		return "the lines are sorted: " + behind("sort lines", n)
	case *script.DropRepeated:
		return "lines that came before are dropped"
	case *script.Squeeze:
		return fmt.Sprintf("runs of blank lines become %d", n.To)
	case *script.TrimEnds:
		return "white space at the ends of lines goes"
	case *script.UseEndings:
		if n.CRLF {
			return "lines end in CR LF"
		}
		return "lines end in LF"
	case *script.UseFinalEnding:
		return "the last line has an ending"
	case *script.UseEncoding:
		return "the file is written in " + text(n.Name)
	case *script.Rename:
		return "its name becomes " + text(n.To)
	case *script.Expect:
		what := "changes"
		if n.Matches {
			what = "matches"
		}
		return fmt.Sprintf("nothing is written unless its %s number %s", what, n.Bound)
	}
	return script.OneLine(n)
}

// behind returns what a statement says behind its verb, in the language's own words.
func behind(verb string, n script.Node) string {
	return strings.TrimPrefix(script.OneLine(n), verb+" ")
}

func body(nodes []script.Node) string {
	parts := make([]string, len(nodes))
	for i, n := range nodes {
		parts[i] = Sentence(n)
	}
	return strings.Join(parts, "; ")
}

func replace(n *script.Replace) string {
	what := pattern(n.Pattern)
	if n.KeepCase {
		what += " in any case"
	}
	if n.Which != (script.Which{}) {
		in := " of each line"
		if n.InFile {
			in = " of the file"
		}
		what += ", only the " + strings.TrimPrefix(n.Which.String(), "occurrence ") + in + ","
	}
	if n.With == nil {
		return what + " goes"
	}
	what += " becomes " + text(n.With)
	if n.KeepCase {
		what += ", in the case of what was found"
	}
	return what
}

// maxPairs is the number of pairs that are listed.
const maxPairs = 6

func replaceEach(n *script.ReplaceEach) string {
	kind := "text"
	if n.Word {
		kind = "word"
	}
	if n.Table != nil {
		return "each " + kind + " of " + behind("replace each "+kind, n) + " becomes what is beside it, in one pass"
	}
	var parts []string
	for i, p := range n.Pairs {
		if i == maxPairs {
			parts = append(parts, fmt.Sprintf("%d more", len(n.Pairs)-i))
			break
		}
		parts = append(parts, text(p.Old)+" becomes "+text(p.With))
	}
	return "in one pass each whole " + kind + ": " + strings.Join(parts, ", ")
}

func settle(n *script.Settle) string {
	what := "exactly one line matches " + pattern(n.Pattern) + ", and it is " + text(n.Text)
	if len(n.Commented) > 0 {
		what += "; a line that is commented out takes its place before one is added"
	}
	return what
}

func insert(n *script.Insert) string {
	place := map[script.Edge]string{script.Above: "above it", script.Below: "below it", script.Top: "at the top of the file", script.End: "at the end of the file"}[n.Where]
	what := place + " comes " + text(n.Text)
	if n.UnlessPresent {
		what += ", unless it is there"
	}
	return what
}

func assert(n *script.Assert) string {
	if n.Forbid {
		return "nothing is written if " + pattern(n.Pattern) + " is found in the end"
	}
	if n.Plain {
		return "nothing is written unless " + pattern(n.Pattern) + " is found in the end"
	}
	return "nothing is written unless " + pattern(n.Pattern) + " is found " + n.Bound.String() + " times in the end"
}

// Declaration returns what a declaration means, as a sentence without its full stop, or "" for one that says it itself.
// Values are those given to parameters.
func Declaration(n script.Node, values map[string]string) string {
	switch n := n.(type) {
	case *script.Param:
		value, given := values[n.Name]
		switch {
		case given:
			return fmt.Sprintf("parameter %s is “%s” (given)", n.Name, value)
		case n.Default != nil:
			return fmt.Sprintf("parameter %s is “%s” (its default)", n.Name, n.Default.Raw)
		}
		return fmt.Sprintf("parameter %s has no value: give one with --param %s=VALUE", n.Name, n.Name)
	case *script.Files:
		var globs []string
		for _, g := range n.Globs {
			globs = append(globs, g.Raw)
		}
		not := ""
		if n.Not {
			not = "not "
		}
		return "it is " + not + "for files that match " + strings.Join(globs, " or ")
	case *script.Joiners:
		return "the characters " + n.Text.Raw + " join words: a word with one of them before or behind it is another word"
	case *script.When:
		return "it runs " + when(n)
	}
	return ""
}

// when returns what a guard asks for.
func when(n *script.When) string {
	switch {
	case n.By != "":
		return "only in files that the rule " + n.By + " changed"
	case n.Pattern == nil:
		return "only in files that changed"
	case n.Lacks:
		return "only in files without " + pattern(n.Pattern)
	}
	return "only in files with " + pattern(n.Pattern)
}

// where returns where an address is.
func where(a *script.Address) string {
	line := a.String()
	switch f := a.Form.(type) {
	case *script.Section:
		if f.Name != nil && !a.Outside {
			return "in the section " + text(f.Name) + having(a)
		}
	case *script.Names:
		return namedBy(f.Of)
	case *script.Values:
		return "in each value at " + text(f.Path)
	case *script.Lines:
		if f.Single && !a.Outside {
			return fmt.Sprintf("on line %d", f.From)
		}
	case *script.LinesWith:
		if !a.Outside && !f.Without && f.Above+f.Below == 0 {
			return "on each line with " + pattern(f.Pattern)
		}
	case *script.Block:
		if !a.Outside {
			return "in each block that opens with " + pattern(f.Pattern) + having(a)
		}
	}
	return line
}

// having returns the conditions of an address on what it selects.
func having(a *script.Address) string {
	said := ""
	for _, h := range a.Having {
		verb := " and contains "
		if h.Lacking {
			verb = " and does not contain "
		}
		said += verb + pattern(h.Pattern)
	}
	if a.Direct {
		said += ", without the blocks inside it"
	}
	return said
}

// pattern returns what a pattern matches.
func pattern(p *script.Pattern) string {
	if p == nil {
		return "a value"
	}
	what := text(p.Text)
	switch p.Kind {
	case script.WholeWord:
		what = "the word " + what
	case script.Regex:
		if said, err := spoken.Regex(p.Text.Raw); err == nil && len(said) < 160 {
			what = "`" + p.Text.Raw + "` (" + said + ")"
		} else {
			what = "`" + p.Text.Raw + "`"
		}
	case script.WholeLines:
		what = "the lines " + what
	}
	if p.IgnoreCase {
		what += " in any case"
	}
	for _, g := range p.Guards {
		side, not := "behind it", ""
		if g.Preceded {
			side = "before it"
		}
		if g.Not {
			not = "no "
		}
		what += " with " + not + text(g.Text) + " right " + side
	}
	return what
}

// text returns a text in quotation marks; of several lines the first one.
func text(t *script.Text) string {
	if t == nil {
		return "nothing"
	}
	if t.File != nil {
		return "what the file " + text(t.File) + " holds"
	}
	first, rest, more := strings.Cut(t.Raw, "\n")
	shown := "“" + script.Shorten(first) + "”"
	if more {
		shown += fmt.Sprintf(" and %d more lines", 1+strings.Count(rest, "\n"))
	}
	return shown
}
