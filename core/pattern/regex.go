package pattern

import (
	"bytes"
	"regexp"
	"regexp/syntax"
	"slices"
	"sync"
	"unicode/utf8"

	"frizzel/core/automaton"
	"frizzel/core/lines"
)

// A regex is a compiled regular expression with the requirements of its matches.
type regex struct {
	source  string // with its flags, as one atom
	re      *regexp.Regexp
	require requirement
	// replacement says that U+FFFD is named, which no invalid byte is.
	replacement bool

	whole   func() *regexp.Regexp     // the expression without guards, compiled on first use
	machine func() *automaton.Machine // finds matching lines, compiled on first use; may return nil
	extents bool                      // the machine also finds the extents of matches
}

func newRegex(spec Spec) (*regex, error) {
	tree, err := syntax.Parse(spec.Source, syntax.Perl)
	if err != nil {
		return nil, err
	}
	if !spec.AcrossLines && namesLineFeed(tree) {
		return nil, ErrLineBreak
	}
	flags := ""
	if spec.IgnoreCase {
		flags += "i"
	}
	if spec.AcrossLines {
		flags += "m"
	}
	x := &regex{source: "(?:" + spec.Source + ")"}
	if flags != "" {
		x.source = "(?" + flags + ":" + x.source + ")"
	}
	if x.re, err = regexp.Compile(x.source); err != nil {
		return nil, err
	}
	if spec.Whole {
		x.re.Longest()
	}
	tree, err = syntax.Parse(x.source, syntax.Perl)
	if err != nil {
		return nil, err
	}
	x.replacement = namesReplacement(tree)
	x.extents = !spec.Whole && !(spec.Captures && x.re.NumSubexp() > 0)
	x.machine = sync.OnceValue(func() *automaton.Machine {
		if x.replacement {
			return nil
		}
		return automaton.New(tree)
	})
	x.require = requirementOf(tree.Simplify())
	x.whole = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`\A` + x.source + `\z`)
	})
	return x, nil
}

func (x *regex) matchesWhole(s string) bool { return x.whole().MatchString(s) }

// namesLineFeed reports whether a literal part of the expression is a line feed.
func namesLineFeed(re *syntax.Regexp) bool {
	if re.Op == syntax.OpLiteral && slices.Contains(re.Rune, '\n') {
		return true
	}
	return slices.ContainsFunc(re.Sub, namesLineFeed)
}

// findInLines runs the expression on each line that may match: one that contains a required literal, or that the
// automaton finds.
func (p *Pattern) findInLines(text []byte, lo, hi int, yield func([]int) bool) {
	finder := p.regex.machine().Finder()
	defer finder.Done()
	need := p.regex.require.seek(text[:hi])
	for at := lo; at < hi; {
		if finder == nil || p.regex.require.known() {
			at = need.from(at)
		} else {
			at = finder.Line(text[:hi], at)
		}
		if at < 0 {
			return
		}
		start := lines.Start(text, lo, at)
		end, next := lines.End(text, at, hi)
		if !p.findInLine(finder, text, lo, hi, start, end, yield) {
			return
		}
		at = next
	}
}

func (p *Pattern) findInLine(finder *automaton.Finder, text []byte, lo, hi, start, end int, yield func([]int) bool) bool {
	if finder != nil {
		found, sure := finder.All(text[start:end])
		if sure && (p.regex.extents || len(found) == 0) {
			for i := 0; i < len(found); i += 2 {
				loc := found[i : i+2 : i+2]
				shift(loc, start)
				if p.accepts(text, lo, hi, loc[0], loc[1]) && !yield(loc) {
					return false
				}
			}
			return true
		}
	}
	for _, loc := range p.regex.all(text[start:end], p.spec.Captures) {
		shift(loc, start)
		if p.accepts(text, lo, hi, loc[0], loc[1]) && !yield(loc) {
			return false
		}
	}
	return true
}

func (x *regex) all(text []byte, captures bool) [][]int {
	if !x.replacement {
		return x.allIn(text, captures)
	}
	text, back := withoutInvalid(text)
	found := x.allIn(text, captures)
	for _, loc := range found {
		for i := range loc {
			if loc[i] >= 0 && back != nil {
				loc[i] = back(loc[i])
			}
		}
	}
	return found
}

func (x *regex) allIn(text []byte, captures bool) [][]int {
	if captures && x.re.NumSubexp() > 0 {
		return x.re.FindAllSubmatchIndex(text, -1)
	}
	return x.re.FindAllIndex(text, -1)
}

func shift(loc []int, by int) {
	for i := range loc {
		if loc[i] >= 0 {
			loc[i] += by
		}
	}
}

// findAcross runs the expression on all lines at once. It searches a copy with Windows line endings replaced by
// newlines, and translates the matches back.
func (p *Pattern) findAcross(text []byte, lo, hi int, yield func([]int) bool) {
	if !p.regex.require.in(text[lo:hi]) {
		return
	}
	span, returns := withoutReturns(text[lo:hi])
	for _, loc := range p.regex.all(span, p.spec.Captures) {
		if loc[0] == len(span) && (len(span) == 0 || span[len(span)-1] == '\n') {
			return // there is no line after the last line ending
		}
		for i, at := range loc {
			if at >= 0 {
				n, _ := slices.BinarySearch(returns, at)
				loc[i] = lo + at + n
			}
		}
		if p.accepts(text, lo, hi, loc[0], loc[1]) && !yield(loc) {
			return
		}
	}
}

// withoutReturns returns text with each "\r\n" as "\n", and the places in the
// result of those line feeds.
func withoutReturns(text []byte) ([]byte, []int) {
	if !bytes.Contains(text, []byte("\r\n")) {
		return text, nil
	}
	out := make([]byte, 0, len(text))
	var returns []int
	for {
		i := bytes.Index(text, []byte("\r\n"))
		if i < 0 {
			return append(out, text...), returns
		}
		out = append(out, text[:i]...)
		returns = append(returns, len(out))
		out = append(out, '\n')
		text = text[i+2:]
	}
}

// A requirement is a set of literals of which every match contains at least one, or a rare byte that every
// match contains, or nothing.
type requirement struct {
	literals []*literal
	pivot    *pivot
}

// known reports whether anything is.
func (r requirement) known() bool { return len(r.literals) > 0 || r.pivot != nil }

// in reports whether text may hold a match.
func (r requirement) in(text []byte) bool {
	return r.seek(text).from(0) >= 0
}

const notAsked = -2

// A needed iterates over the occurrences of required literals.
type needed struct {
	text    []byte
	pivot   *pivot
	seekers []*seeker
	next    []int // each seeker's next place, -1 for none any more
}

func (r requirement) seek(text []byte) *needed {
	n := &needed{text: text, pivot: r.pivot}
	for _, l := range r.literals {
		n.seekers = append(n.seekers, l.seek(text))
		n.next = append(n.next, notAsked)
	}
	return n
}

// from returns the first place at or after at that a match may hold, or -1.
func (n *needed) from(at int) int {
	switch {
	case len(n.seekers) > 0:
	case n.pivot != nil:
		return n.pivot.from(n.text, at)
	default:
		return at
	}
	best := -1
	for i, s := range n.seekers {
		if n.next[i] == notAsked || n.next[i] >= 0 && n.next[i] < at {
			n.next[i], _ = s.from(at)
		}
		if n.next[i] >= 0 && (best < 0 || n.next[i] < best) {
			best = n.next[i]
		}
	}
	return best
}

// Limits on required literals: many literals, or short ones, rule out few lines.
const (
	maxAlternatives = 8
	minRequired     = 2 // bytes
)

// requirementOf finds the best literals that re requires.
func requirementOf(re *syntax.Regexp) requirement {
	var r requirement
	for _, s := range required(re) {
		if len(s.text) < minRequired {
			r.literals = nil
			break
		}
		r.literals = append(r.literals, newLiteral(s.text, s.ignoreCase))
	}
	if len(r.literals) == 0 {
		r.pivot = pivotOf(re)
	}
	return r
}

type need struct {
	text       string
	ignoreCase bool
}

// required returns literals of which every match of re contains one, or nil if none are known.
func required(re *syntax.Regexp) []need {
	switch re.Op {
	case syntax.OpLiteral:
		if slices.Contains(re.Rune, '\n') {
			return nil
		}
		return []need{{string(re.Rune), re.Flags&syntax.FoldCase != 0}}
	case syntax.OpCapture, syntax.OpPlus:
		return required(re.Sub[0])
	case syntax.OpRepeat:
		if re.Min > 0 {
			return required(re.Sub[0])
		}
	case syntax.OpConcat:
		var best []need
		for _, sub := range re.Sub {
			if c := required(sub); worth(c) > worth(best) {
				best = c
			}
		}
		return best
	case syntax.OpAlternate:
		var all []need
		for _, sub := range re.Sub {
			c := required(sub)
			if len(c) == 0 || len(all)+len(c) > maxAlternatives {
				return nil
			}
			all = append(all, c...)
		}
		return all
	}
	return nil
}

// worth ranks literals by the shortest of them, the fewer the better.
func worth(all []need) int {
	if len(all) == 0 {
		return -1
	}
	shortest := len(all[0].text)
	for _, s := range all {
		shortest = min(shortest, len(s.text))
	}
	return shortest*maxAlternatives - len(all)
}

// maxWidth returns the most bytes that a match of re takes, or -1 for no bound.
func maxWidth(re *syntax.Regexp) int {
	switch re.Op {
	case syntax.OpLiteral:
		if re.Flags&syntax.FoldCase != 0 {
			return utf8.UTFMax * len(re.Rune)
		}
		return len(string(re.Rune))
	case syntax.OpCharClass, syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return utf8.UTFMax
	case syntax.OpStar, syntax.OpPlus:
		if maxWidth(re.Sub[0]) == 0 {
			return 0
		}
		return -1
	case syntax.OpRepeat:
		w := maxWidth(re.Sub[0])
		if re.Max < 0 && w != 0 || w < 0 {
			return -1
		}
		return w * max(re.Max, 0)
	}
	width := 0
	for _, sub := range re.Sub {
		w := maxWidth(sub)
		switch {
		case w < 0:
			return -1
		case re.Op == syntax.OpAlternate:
			width = max(width, w)
		default:
			width += w
		}
	}
	return width
}

// TakesNothing reports whether an expression matches places only, such as ^ or \b,
// and never a character.
func TakesNothing(re *syntax.Regexp) bool { return maxWidth(re) == 0 }
