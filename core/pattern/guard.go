package pattern

import (
	"regexp"
	"regexp/syntax"
	"unicode/utf8"

	"frizzel/core/lines"
	"frizzel/core/word"
)

// guard is a compiled Guard.
type guard struct {
	not      bool
	preceded bool
	whole    bool // at whole-word boundaries
	joiners  word.Joiners
	literal  *literal // nil for a regular expression
	atEdge   *regexp.Regexp
	beyond   *regexp.Regexp // with one character of context on the match's side
	width    int            // the most bytes the expression takes, -1 for no bound
	named    bool           // it names U+FFFD, which no invalid byte is
}

func (g guard) matches(re *regexp.Regexp, text []byte) bool {
	if g.named {
		text, _ = withoutInvalid(text)
	}
	return re.Match(text)
}

func newGuard(g Guard, ignoreCase bool, j word.Joiners) (guard, error) {
	c := guard{not: g.Not, preceded: g.Preceded, whole: g.Kind == Word, joiners: j}
	if g.Kind != Regex {
		c.literal = newLiteral(g.Source, ignoreCase)
		return c, nil
	}
	tree, err := syntax.Parse(g.Source, syntax.Perl)
	if err != nil {
		return c, err
	}
	c.width, c.named = maxWidth(tree), namesReplacement(tree)
	source := "(?:" + g.Source + ")"
	if ignoreCase {
		source = "(?i:" + source + ")"
	}
	edge, beyond := `\A`+source, `\A(?s:.)`+source
	if g.Preceded {
		edge, beyond = source+`\z`, source+`(?s:.)\z`
	}
	if c.atEdge, err = regexp.Compile(edge); err != nil {
		return c, err
	}
	c.beyond, err = regexp.Compile(beyond)
	return c, err
}

// holds reports whether the guard's pattern matches next to text[start:end].
func (g guard) holds(text []byte, start, end int) bool {
	if g.literal == nil {
		if g.preceded {
			return g.endsAt(text, start)
		}
		return g.beginsAt(text, end)
	}
	from, to, ok := start, start, false
	if g.preceded {
		from, ok = g.literal.endsAt(text, start)
	} else {
		from = end
		to, ok = g.literal.matchAt(text, end)
	}
	return ok && (!g.whole || g.joiners.Whole(text, from, to))
}

// endsAt reports whether the expression has a match that ends at the offset at, within its line. ^ and \b refer
// to the whole line.
func (g guard) endsAt(text []byte, at int) bool {
	lo := 0
	if g.width >= 0 { // a character more, for what ^ and \b look at
		lo = max(at-g.width-utf8.UTFMax, 0)
	}
	first := lines.Start(text, lo, at)
	if first > 0 && first == lo && text[first-1] != '\n' { // the line begins before the window
		for !utf8.RuneStart(text[first]) && first < at {
			first++
		}
	}
	if at == len(text) || text[at] == '\n' || text[at] == '\r' {
		return g.matches(g.atEdge, text[first:at])
	}
	_, size := utf8.DecodeRune(text[at:])
	return g.matches(g.beyond, text[first:at+size])
}

// beginsAt reports whether the expression matches text that begins at text[at],
// in at's line.
func (g guard) beginsAt(text []byte, at int) bool {
	hi := len(text)
	if g.width >= 0 {
		hi = min(at+g.width+utf8.UTFMax, hi)
	}
	last, _ := lines.End(text, at, hi)
	if at == 0 || text[at-1] == '\n' {
		return g.matches(g.atEdge, text[at:last])
	}
	_, size := utf8.DecodeLastRune(text[:at])
	return g.matches(g.beyond, text[at-size:last])
}
