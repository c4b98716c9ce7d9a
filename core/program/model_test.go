package program_test

import (
	"regexp"
	"slices"
	"strings"
	"unicode"

	"frizzel/core/script"
)

// model is the language on a list of lines, slow and obvious: what the engine is
// held against. A line knows, for each address around the statement at work, in
// which span it lies.
type model struct {
	lines   []*modelLine
	level   int
	ending  string
	joiners string
	scopes  []bool // by level: a section, block, paragraph or range
}

type modelLine struct {
	text, end string
	in        []int // the span, by the address's level; -1 for none
}

func newModel(text, joiners string) *model {
	m := &model{ending: "\n", joiners: joiners}
	for _, l := range strings.SplitAfter(text, "\n") {
		line := &modelLine{text: l}
		for _, end := range []string{"\r\n", "\n"} {
			if s, ok := strings.CutSuffix(l, end); ok {
				line.text, line.end = s, end
				break
			}
		}
		if l != "" {
			m.lines = append(m.lines, line)
		}
	}
	if len(m.lines) > 0 && m.lines[0].end != "" {
		m.ending = m.lines[0].end
	}
	return m
}

func (m *model) String() string {
	var b strings.Builder
	for _, l := range m.lines {
		b.WriteString(l.text + l.end)
	}
	return b.String()
}

// modelSpan is the lines from from to to, to left out.
type modelSpan struct {
	from, to int
	closed   bool // the last line closes it
}

// spans returns what the statement acts on.
func (m *model) spans() []modelSpan {
	if m.level == 0 {
		return []modelSpan{{0, len(m.lines), false}}
	}
	var out []modelSpan
	last := -1
	for i, l := range m.lines {
		id := l.in[m.level-1]
		if id >= 0 && id == last {
			out[len(out)-1].to = i + 1
		} else if id >= 0 {
			out = append(out, modelSpan{i, i + 1, id%2 == 1})
		}
		last = id
	}
	return out
}

func (m *model) run(nodes []script.Node) {
	for _, n := range nodes {
		a, ok := n.(*script.Addressed)
		if !ok {
			m.statement(n)
			continue
		}
		spans, ok := m.selected(a.Address)
		for _, l := range m.lines {
			l.in = append(l.in[:m.level:m.level], -1)
		}
		if !ok || len(spans) == 0 {
			continue
		}
		for id, s := range spans {
			for i := s.from; i < s.to; i++ {
				m.lines[i].in[m.level] = 2 * id
				if s.closed {
					m.lines[i].in[m.level]++
				}
			}
		}
		m.scopes = append(m.scopes[:m.level], a.Address.Kind.Takes())
		m.level++
		m.run(a.Body)
		m.level--
	}
}

// selected returns the spans of an address; false where one is never closed.
func (m *model) selected(a *script.Address) (out []modelSpan, ok bool) {
	ok = true
	for _, e := range m.spans() {
		found, closed := m.within(a, e)
		if a.Outside && !closed {
			continue
		}
		var kept []modelSpan
		for _, s := range found {
			if a.Kind >= script.Section || m.holds(a, s) { // parts of the file were asked whole
				kept = append(kept, s)
			}
		}
		kept = joinSpans(kept)
		if a.Outside {
			kept = otherLines(kept, e)
		}
		out = append(out, kept...)
	}
	return out, ok
}

func (m *model) holds(a *script.Address, s modelSpan) bool {
	for _, h := range a.Having {
		has := false
		for i := s.from; i < s.to; i++ {
			has = has || m.has(i, h.Pattern)
		}
		if has == h.Lacking {
			return false
		}
	}
	return true
}

func joinSpans(spans []modelSpan) (out []modelSpan) {
	for _, s := range spans {
		if n := len(out); n > 0 && s.from < out[n-1].to {
			if s.to > out[n-1].to {
				out[n-1].to, out[n-1].closed = s.to, s.closed
			}
			continue
		}
		out = append(out, s)
	}
	return out
}

func otherLines(spans []modelSpan, e modelSpan) (out []modelSpan) {
	taken := map[int]bool{}
	for _, s := range spans {
		for i := s.from; i < s.to; i++ {
			taken[i] = true
		}
	}
	for i := e.from; i < e.to; i++ {
		switch {
		case taken[i]:
		case i > e.from && !taken[i-1]:
			out[len(out)-1].to = i + 1
		default:
			out = append(out, modelSpan{i, i + 1, false})
		}
	}
	return out
}

// within returns what an address selects of one span.
func (m *model) within(a *script.Address, e modelSpan) (out []modelSpan, closed bool) {
	each := func(ok func(i int) bool) {
		for i := e.from; i < e.to; i++ {
			if ok(i) {
				out = append(out, modelSpan{max(i-a.Above, e.from), min(i+1+a.Below, e.to), false})
			}
		}
	}
	switch a.Kind {
	case script.Line, script.Lines:
		to := a.To
		if to == 0 {
			to = len(m.lines)
		}
		if from, to := max(a.From-1, e.from), min(to, e.to); from < to {
			out = append(out, modelSpan{from, to, false})
		}
	case script.FirstLines:
		out = append(out, modelSpan{e.from, min(e.from+a.From, e.to), false})
	case script.LastLines:
		out = append(out, modelSpan{max(e.to-a.From, e.from), e.to, false})
	case script.LinesWith:
		each(func(i int) bool { return m.has(i, a.Pattern) })
	case script.LinesWithout:
		each(func(i int) bool { return !m.has(i, a.Pattern) })
	case script.Paragraph:
		for _, s := range m.paragraphs(a.Pattern) {
			if from, to := max(s.from, e.from), min(s.to, e.to); from < to && m.holds(a, s) {
				out = append(out, modelSpan{from, to, false})
			}
		}
	case script.Section, script.Block:
		parts, closed := m.parts(a)
		parts = slices.DeleteFunc(parts, func(s modelSpan) bool { return !m.holds(a, s) })
		for _, s := range joinSpans(parts) {
			if from, to := max(s.from, e.from), min(s.to, e.to); from < to {
				out = append(out, modelSpan{from, to, s.closed && s.to <= e.to && s.to > e.from})
			}
		}
		return out, closed
	case script.Range, script.Between, script.Until:
		return m.ranges(a, e)
	}
	if len(out) > 0 && out[0].from == out[0].to {
		out = nil
	}
	return out, true
}

func (m *model) paragraphs(p *script.Pattern) (out []modelSpan) {
	for i := range m.lines {
		if !m.has(i, p) {
			continue
		}
		s := modelSpan{i, i + 1, false}
		if !m.blank(i) {
			for s.from > 0 && !m.blank(s.from-1) {
				s.from--
			}
			for s.to < len(m.lines) && !m.blank(s.to) {
				s.to++
			}
		}
		out = append(out, s)
	}
	return out
}

func (m *model) ranges(a *script.Address, e modelSpan) (out []modelSpan, closed bool) {
	for i := e.from; i < e.to; {
		at := m.markAt(a.Open, i, 0, e)
		if at == nil {
			i++
			continue
		}
		close := -1
		for j := i; j < e.to && close < 0; j++ {
			from := 0
			if j == i {
				from = at[1]
			}
			if m.markAt(a.Close, j, from, e) != nil {
				close = j
			}
		}
		switch {
		case close < 0 && a.Kind != script.Until:
			return out, false
		case close < 0:
			return append(out, modelSpan{i, e.to, false}), true
		case a.Kind == script.Range:
			out = append(out, modelSpan{i, close + 1, a.Close.Pattern != nil})
		case a.Kind == script.Between && i+1 < close:
			out = append(out, modelSpan{i + 1, close, false})
		case a.Kind == script.Until && i < close:
			out = append(out, modelSpan{i, close, false})
			close--
		}
		i = close + 1
	}
	return out, true
}

// markAt returns the first of the places of a mark on line i that begins at or after
// byte from.
func (m *model) markAt(k *script.Mark, i, from int, e modelSpan) []int {
	switch {
	case k.Last && i == e.to-1, k.Line > 0 && i == k.Line-1:
		return []int{0, 0}
	case k.Pattern == nil:
		return nil
	}
	for _, loc := range m.find(m.lines[i].text, k.Pattern) {
		if loc[0] >= from {
			return loc
		}
	}
	return nil
}

func (m *model) blank(i int) bool { return strings.TrimSpace(m.lines[i].text) == "" }

func (m *model) has(i int, p *script.Pattern) bool { return len(m.find(m.lines[i].text, p)) > 0 }

// find returns the places of a pattern in a line, with those of its groups.
func (m *model) find(line string, p *script.Pattern) (out [][]int) {
	if p.Kind == script.Regex {
		expr := "(?:" + p.Text.Raw + ")"
		if p.IgnoreCase {
			expr = "(?i)" + expr
		}
		re := regexp.MustCompile(expr)
		if p.Whole {
			re.Longest()
		}
		for _, loc := range re.FindAllStringSubmatchIndex(line, -1) {
			if m.accepts(line, p, loc) {
				out = append(out, loc)
			}
		}
		return out
	}
	for at := 0; at+len(p.Text.Raw) <= len(line); at++ {
		loc := []int{at, at + len(p.Text.Raw)}
		s := line[loc[0]:loc[1]]
		if (s == p.Text.Raw || p.IgnoreCase && strings.EqualFold(s, p.Text.Raw)) && m.accepts(line, p, loc) {
			out = append(out, loc)
			at = loc[1] - 1
		}
	}
	return out
}

func (m *model) accepts(line string, p *script.Pattern, loc []int) bool {
	if p.Kind == script.WholeWord || p.Whole {
		runes := []rune(line)
		from, to := len([]rune(line[:loc[0]])), len([]rune(line[:loc[1]]))
		if m.wordAt(runes, from-1) || m.wordAt(runes, to) {
			return false
		}
	}
	for _, g := range p.Guards {
		want := g.Text.Raw
		if p.IgnoreCase {
			line, want = strings.ToLower(line), strings.ToLower(want) // in this small world, of the same length
		}
		ok := strings.HasPrefix(line[loc[1]:], want)
		if g.Preceded {
			ok = strings.HasSuffix(line[:loc[0]], want)
		}
		if ok == g.Not {
			return false
		}
	}
	return true
}

func (m *model) wordAt(line []rune, i int) bool {
	plain := func(i int) bool {
		return i >= 0 && i < len(line) &&
			(unicode.IsLetter(line[i]) || unicode.IsMark(line[i]) || unicode.IsDigit(line[i]) || line[i] == '_')
	}
	return plain(i) || i >= 0 && i < len(line) && strings.ContainsRune(m.joiners, line[i]) && plain(i-1) && plain(i+1)
}

// put inserts a line before line i, within the spans that both its neighbours
// share, and within the one of level own, where that is not -1.
func (m *model) put(i int, text string, like *modelLine) {
	l := &modelLine{text: text, end: m.ending}
	for level := range m.level {
		id := -1
		if i > 0 && i < len(m.lines) && m.lines[i-1].in[level] == m.lines[i].in[level] {
			id = m.lines[i].in[level]
		}
		if like != nil {
			id = like.in[level]
		}
		l.in = append(l.in, id)
	}
	if i == len(m.lines) && i > 0 && m.lines[i-1].end == "" {
		m.lines[i-1].end, l.end = m.ending, ""
	}
	m.lines = slices.Insert(m.lines, i, l)
}

// scope returns what `unless present` looks through.
func (m *model) scope(s modelSpan) modelSpan {
	for level := m.level - 1; level >= 0; level-- {
		if !m.scopes[level] {
			continue
		}
		id := m.lines[s.from].in[level]
		for s.from > 0 && m.lines[s.from-1].in[level] == id {
			s.from--
		}
		for s.to < len(m.lines) && m.lines[s.to].in[level] == id {
			s.to++
		}
		return s
	}
	return modelSpan{0, len(m.lines), false}
}

func (m *model) scopeHas(s modelSpan, want []string) bool {
	for i := s.from; i+len(want) <= s.to; i++ {
		same := true
		for j := range want {
			same = same && m.lines[i+j].text == want[j]
		}
		if same {
			return true
		}
	}
	return false
}

// open makes the spans whose closing line is rewritten with the lines of s, and not
// alone, spans that nothing closes.
func (m *model) open(s modelSpan) {
	for level := range m.level {
		id := m.lines[s.to-1].in[level]
		last := s.to == len(m.lines) || m.lines[s.to].in[level] != id
		first := s.from == 0 || m.lines[s.from-1].in[level] != id
		if id%2 == 0 || id < 0 || !last || s.to-s.from < 2 && !first {
			continue
		}
		for _, l := range m.lines {
			if l.in[level] == id {
				l.in[level]--
			}
		}
	}
}

// parts returns the sections or the blocks of the file; false where a block is
// never closed.
func (m *model) parts(a *script.Address) (out []modelSpan, closed bool) {
	closed = true
	for i, l := range m.lines {
		switch {
		case a.Kind == script.Section && l.text == "["+a.Section.Raw+"]":
			to := i + 1
			for to < len(m.lines) && !strings.HasPrefix(m.lines[to].text, "[") {
				to++
			}
			out = append(out, m.trimmed(i, to))
		case a.Kind == script.Block && m.has(i, a.Pattern):
			s, ok := m.block(i)
			if ok {
				out = append(out, s)
			}
			closed = closed && ok
		}
	}
	return out, closed
}

// trimmed leaves out the blank lines at a part's end.
func (m *model) trimmed(from, to int) modelSpan {
	for to > from+1 && m.blank(to-1) {
		to--
	}
	return modelSpan{from, to, false}
}

// block returns what line i opens, in a world of braces and <a> alone.
func (m *model) block(i int) (modelSpan, bool) {
	open, close := "{", "}"
	if strings.HasPrefix(strings.TrimSpace(m.lines[i].text), "<a>") {
		open, close = "<a>", "</a>"
	}
	depth := 0
	count := func(line string) {
		for at := range line {
			switch {
			case strings.HasPrefix(line[at:], open):
				depth++
			case strings.HasPrefix(line[at:], close) && depth > 0:
				depth--
			}
		}
	}
	count(m.lines[i].text)
	next := i + 1
	if depth == 0 {
		for next < len(m.lines) && m.blank(next) {
			next++
		}
		ends := strings.ContainsAny(lastRune(strings.TrimSpace(m.lines[i].text)), ",;}]")
		if open != "{" || ends || next == len(m.lines) || !strings.HasPrefix(strings.TrimSpace(m.lines[next].text), "{") {
			if open != "{" {
				return modelSpan{i, i + 1, false}, true
			}
			to := i + 1
			for to < len(m.lines) && (m.blank(to) || indent(m.lines[to].text) > indent(m.lines[i].text)) {
				to++
			}
			return m.trimmed(i, to), true
		}
	}
	for ; next < len(m.lines); next++ {
		if count(m.lines[next].text); depth == 0 {
			return modelSpan{i, next + 1, true}, true
		}
	}
	return modelSpan{}, false
}

func lastRune(s string) string {
	if s == "" {
		return ""
	}
	return s[len(s)-1:]
}

func indent(s string) int { return len(s) - len(strings.TrimLeft(s, " ")) }
