package compile

import (
	"cmp"
	"fmt"
	"regexp"
	"regexp/syntax"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"frizzel/core/pattern"
	"frizzel/core/program"
	"frizzel/core/script"
)

// warn reports an allowed but probably unintended form.
func (c *compiler) warn(pos script.Pos, remedy, format string, args ...any) {
	c.problems = append(c.problems, script.Problem{
		Source: cmp.Or(pos.In, c.source), Pos: pos, Severity: script.Warning, Reason: fmt.Sprintf(format, args...), Remedy: remedy,
	})
}

// lintRegex warns of an unescaped dot that was probably meant literally.
func (c *compiler) lintRegex(p *script.Pattern) {
	if p.Kind != script.Regex || p.Text.Block {
		return
	}
	raw := p.Text.Raw
	if at := looseDot(raw); at >= 0 {
		pos := p.Text.Pos
		pos.Column += 1 + utf8.RuneCountInString(raw[:at])
		pos.Width = 1
		c.warn(pos, `write \. for a dot, or say text or word instead of regex`, "this dot matches any character")
		c.fix(script.Fix{Title: `write \. for a dot`, Pos: pos, New: `\.`})
	}
}

// looseDot returns the place of a dot between digits, or within what looks like a
// host name, that is neither escaped, nor in a class, nor repeated; else -1.
func looseDot(expr string) int {
	inClass := false
	for i := 0; i < len(expr); i++ {
		switch c := expr[i]; {
		case c == '\\':
			i++
		case c == '[':
			inClass = true
		case c == ']':
			inClass = false
		case c == '.' && !inClass && i+1 < len(expr) && !strings.ContainsRune("*+?{", rune(expr[i+1])):
			before, after := hostRun(expr[:i], true), hostRun(expr[i+1:], false)
			if before == "" || after == "" {
				continue
			}
			digits := isDigit(before[len(before)-1]) && isDigit(after[0])
			if digits || len(before) > 1 && len(after) > 1 {
				return i
			}
		}
	}
	return -1
}

func isDigit(c byte) bool { return '0' <= c && c <= '9' }

// hostRun returns the letters, digits and hyphens that s ends or begins with.
func hostRun(s string, atEnd bool) string {
	isHost := func(r rune) bool {
		return 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' || '0' <= r && r <= '9' || r == '-'
	}
	rest := strings.TrimLeftFunc(s, isHost)
	if atEnd {
		rest = strings.TrimRightFunc(s, isHost)
		run := s[len(rest):]
		if strings.HasSuffix(rest, `\`) && run != "" { // the first letter is escaped: \d, \w
			run = run[1:]
		}
		return run
	}
	return s[:len(s)-len(rest)]
}

// lintReplace warns of a replace that has no effect, or that changes its own result on the next run.
func (c *compiler) lintReplace(n *script.Replace, p *pattern.Pattern, with *program.Template) {
	if p.MatchesEmpty() && !onlyAnchors(n.Pattern.Text.Raw) {
		c.warn(n.Pattern.Text.Pos, "say + instead of *, or name what must be there", "this pattern matches the empty text, which is everywhere")
	}
	if with == nil {
		return
	}
	c.chained(n, p, with)
	if ref := reference().FindString(n.With.Raw); ref != "" && n.Pattern.Kind == script.Regex {
		remedy := "a group is {=" + ref[1:] + "}"
		if len(p.Groups()) == 1 {
			remedy += ", and made by parentheses in the pattern"
		}
		c.warn(n.With.Pos, remedy, "%s is plain text here", ref)
	}
	if counts(with) && !c.guarded() {
		c.warn(n.With.Pos, "say when: when file changed, or when file lacks what is written", "every run counts on from what the last one wrote")
	}
	if growsAgain(n, p, with) && !c.guarded() {
		c.warn(n.With.Pos, "a second run would change it once more", "the pattern matches its own replacement")
	}
}

// counts reports whether a replacement adds to a number that was matched, or subtracts from it.
func counts(with *program.Template) bool {
	for _, p := range with.Parts {
		arithmetic := func(f script.Filter) bool { return f.Name == "plus" || f.Name == "minus" || f.Name == "times" }
		if p.From == program.FromGroup && slices.ContainsFunc(p.Filters, arithmetic) {
			return true
		}
	}
	return false
}

// guarded reports whether the current statement acts only on files or parts that lack something, or on files
// that this run changed.
func (c *compiler) guarded() bool {
	for _, w := range c.rule.When {
		if w.Pattern == nil || w.Lacks {
			return true
		}
	}
	for _, a := range c.within {
		lacks := func(h program.Holding) bool { return h.Lacking }
		if isWithout(a) || slices.ContainsFunc(a.Having, lacks) {
			return true
		}
	}
	return false
}

var reference = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`[\\$][0-9]`) })

// onlyAnchors reports whether an expression is nothing but places, such as ^.
func onlyAnchors(expr string) bool {
	tree, err := syntax.Parse(expr, syntax.Perl)
	return err == nil && pattern.TakesNothing(tree)
}

// growsAgain reports whether a replacement, if it can be told, is changed by a
// second run.
func growsAgain(n *script.Replace, p *pattern.Pattern, with *program.Template) bool {
	whole := func(p program.Part) bool { return p.From == program.FromGroup && p.Group == 0 && len(p.Filters) == 0 }
	guarded := len(n.Pattern.Guards) > 0
	if n.Pattern.Kind == script.Regex && !guarded && onlyAnchors(n.Pattern.Text.Raw) {
		return len(with.Parts) > 0 // a place is there again
	}
	if slices.ContainsFunc(with.Parts, whole) && !guarded {
		return len(with.Parts) > 1 && n.Which == (script.Which{})
	}
	text := ""
	for _, part := range with.Parts {
		if part.From != program.FromLiteral {
			return (guarded || n.Pattern.Kind == script.Regex) && n.Which == (script.Which{}) && growsOnSample(n.Pattern, p, with)
		}
		text += part.Literal
	}
	changes := false
	p.Find([]byte(text), 0, len(text), func(loc []int) bool {
		fresh := []byte(text)
		if n.KeepCase {
			fresh = program.KeepCase([]byte(text[loc[0]:loc[1]]), fresh)
		}
		changes = loc[0] < loc[1] && text[loc[0]:loc[1]] != string(fresh)
		return !changes
	})
	return changes
}

// growsOnSample reports whether a text that a pattern matches is changed by a second run, too.
func growsOnSample(n *script.Pattern, p *pattern.Pattern, with *program.Template) bool {
	sample, ok := sampleOf(n)
	if !ok {
		return false
	}
	once, ok := replaced(p, with, sample)
	if !ok || once == sample {
		return false
	}
	twice, ok := replaced(p, with, once)
	return ok && twice != once
}

// sampleOf returns a text that a pattern matches, between what its guards want there.
func sampleOf(n *script.Pattern) (string, bool) {
	s := sampler{next: 'a'}
	ok := true
	write := func(kind script.PatternKind, text *script.Text) {
		if kind != script.Regex {
			s.b.WriteString(text.Raw)
		} else if tree, err := syntax.Parse(text.Raw, syntax.Perl); err == nil {
			s.write(tree)
		} else {
			ok = false
		}
	}
	guards := func(preceded bool) {
		for _, g := range n.Guards {
			if g.Preceded == preceded && !g.Not {
				write(g.Kind, g.Text)
			}
		}
	}
	guards(true)
	write(n.Kind, n.Text)
	guards(false)
	return s.b.String(), ok
}

// replaced returns a text with each match replaced. It reports false if that depends on more than the match.
func replaced(p *pattern.Pattern, with *program.Template, text string) (string, bool) {
	var b strings.Builder
	done, ok := 0, true
	p.Find([]byte(text), 0, len(text), func(loc []int) bool {
		b.WriteString(text[done:loc[0]])
		done = loc[1]
		for _, part := range with.Parts {
			switch {
			case part.From == program.FromLiteral:
				b.WriteString(part.Literal)
			case program.FromCount <= part.From && part.From <= program.FromPseudonym && len(part.Filters) == 0:
				b.WriteByte('1')
			case part.From != program.FromGroup || len(part.Filters) > 0:
				ok = false
			case 2*part.Group < len(loc) && loc[2*part.Group] >= 0:
				b.WriteString(text[loc[2*part.Group]:loc[2*part.Group+1]])
			}
		}
		return ok
	})
	return b.String() + text[done:], ok
}

// A sampler writes a text that an expression matches, with another letter for each class of characters.
type sampler struct {
	b    strings.Builder
	next rune
}

func (s *sampler) write(re *syntax.Regexp) {
	const most = 4 // of repeated parts
	switch re.Op {
	case syntax.OpLiteral:
		s.b.WriteString(string(re.Rune))
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		s.b.WriteRune(s.letter())
	case syntax.OpCharClass:
		s.b.WriteRune(s.of(re.Rune))
	case syntax.OpRepeat:
		for range min(max(re.Min, 1), most) {
			s.write(re.Sub[0])
		}
	case syntax.OpAlternate, syntax.OpCapture, syntax.OpStar, syntax.OpPlus, syntax.OpQuest:
		s.write(re.Sub[0])
	default:
		for _, sub := range re.Sub {
			s.write(sub)
		}
	}
}

// letter returns the next letter.
func (s *sampler) letter() rune {
	r := s.next
	if s.next++; s.next > 'z' {
		s.next = 'a'
	}
	return r
}

// of returns a character of a class, given as ranges: the next letter if it is one, else the next digit, else the first.
func (s *sampler) of(class []rune) rune {
	r := s.letter()
	for _, want := range []rune{r, '1' + (r-'a')%9} {
		for i := 0; i+1 < len(class); i += 2 {
			if class[i] <= want && want <= class[i+1] {
				return want
			}
		}
	}
	if len(class) == 0 {
		return r
	}
	return class[0]
}

var member = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^\s*(?:- )?["']?([\w-]+)["']?\s*[:=]\s*["']?(.*?)["']?,?\s*$`)
})

// addsToItem warns of a line that would be added to an item of a list, as text, and says how a member is set.
func (c *compiler) addsToItem(pos script.Pos, t *script.Text) {
	if len(c.within) == 0 {
		return
	}
	if path := c.within[len(c.within)-1].Path(); path == nil || !path.SelectsItems() {
		return
	}
	remedy := "for a member say settle value '@.NAME' as \"…\""
	if m := member().FindStringSubmatch(t.Raw); m != nil {
		remedy = fmt.Sprintf("for a member say settle value '@.%s' as %q", m[1], m[2])
	}
	c.warn(pos, remedy, "this may add a line to an item of a list, whatever its layout is")
}

// swaps warns of pairs of which one writes what another looks for, so that a second run changes it again.
func (c *compiler) swaps(n *script.ReplaceEach) {
	if c.guarded() {
		return
	}
	old := map[string]bool{}
	for _, pair := range n.Pairs {
		old[folded(c.fixed(pair.Old), n.IgnoreCase || n.KeepCase)] = true
	}
	for _, pair := range n.Pairs {
		with := folded(c.fixed(pair.With), n.IgnoreCase || n.KeepCase)
		if with != "" && old[with] && with != folded(c.fixed(pair.Old), n.IgnoreCase || n.KeepCase) {
			c.warn(pair.With.Pos, "say when: when file lacks what is written, or apply the script once", "a second run would replace this text again")
			return
		}
	}
}

// countsLines warns of a line number that an earlier statement may have moved.
func (c *compiler) countsLines(pos script.Pos) {
	if c.moved != "" {
		c.warn(pos, "number the lines first, or select them by what they hold",
			"the line numbers here are those after %s, which may add or remove lines", c.moved)
	}
}

// moves notes that a statement may change the number of lines.
func (c *compiler) moves(pos script.Pos) {
	if c.moved == "" {
		c.moved = c.place(pos)
	}
}

// empty warns of a script that does nothing.
func (c *compiler) empty(s *script.Script) {
	for _, item := range s.Items {
		switch item.(type) {
		case *script.Version, *script.Title, *script.Param, *script.Files, *script.Joiners, *script.Encoding, *script.Syntax, *script.Example:
		default:
			return
		}
	}
	for line := range strings.Lines(s.Source.Text) {
		if line = strings.TrimSpace(line); len(s.Items) == 0 && line != "" && line[0] != '#' { // which could not be read
			return
		}
	}
	c.source = s.Source
	c.warn(script.Pos{Line: 1, Column: 1, Width: 1}, "", "this script holds no rule, and so changes nothing")
}

// unused warns of parameters that nothing refers to.
func (c *compiler) unused(s *script.Script) {
	c.source = s.Source
	for _, item := range s.Items {
		switch item := item.(type) {
		case *script.Param:
			if !c.used[item.Name] {
				c.warn(item.Pos, "", "the parameter %s is never used", item.Name)
			}
		case *script.UseScript:
			if used := c.uses[item]; used != nil {
				c.unused(used)
				c.source = s.Source
			}
		}
	}
}

// breaksLines reports whether a text may hold a line break.
func (c *compiler) breaksLines(t *script.Text) bool {
	if t != nil && t.File != nil {
		return strings.Contains(c.constant(t), "\n")
	}
	return t != nil && (t.Block && strings.Contains(t.Raw, "\n") || strings.Contains(t.Raw, "{=newline"))
}

func isWithout(a *program.Address) bool {
	f, ok := a.Form.(*program.LinesWith)
	return ok && f.Without
}
