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
	ended   bool // the last line has an ending, as the run read it
	failed  bool // settle would write what it does not look for
	joiners string
	within  []*script.Address    // by level
	inner   []map[deeperLine]int // by level: which lines are deeper than their block's own level, and in which run
}

type modelLine struct {
	text, end string
	in        []int // the span, by the address's level; -1 for none
	under     []int // the same, of lines that were inserted below one
}

// deeperLine is a line within a span's gaps.
type deeperLine struct {
	id   int // the span's
	line *modelLine
}

func newModel(text, joiners string) *model {
	m := &model{ending: "\n", joiners: joiners, ended: text == "" || strings.HasSuffix(text, "\n")}
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
	gaps     []modelSpan
	direct   bool // gaps are passed over
}

// wholes returns what the statement acts on, each span with its gaps as one.
func (m *model) wholes() []modelSpan {
	var out []modelSpan
	at := map[int]int{}
	for _, s := range m.spans() {
		id := -1
		if m.level > 0 {
			id = m.lines[s.from].in[m.level-1]
		}
		if k, ok := at[id]; ok && id >= 0 {
			out[k].to, out[k].direct = s.to, true
			continue
		}
		at[id] = len(out)
		out = append(out, s)
	}
	return out
}

// spans returns what the statement acts on.
func (m *model) spans() []modelSpan {
	if m.level == 0 {
		return []modelSpan{{to: len(m.lines)}}
	}
	var out []modelSpan
	last := -1
	for i, l := range m.lines {
		id := l.in[m.level-1]
		if id >= 0 && id == last {
			out[len(out)-1].to = i + 1
		} else if id >= 0 {
			out = append(out, modelSpan{from: i, to: i + 1, closed: id%2 == 1})
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
		spans := m.selected(a.Address)
		for _, l := range m.lines {
			l.in = append(l.in[:m.level:m.level], -1)
			l.under = append(l.under[:m.level:m.level], -1)
		}
		if len(spans) == 0 {
			continue
		}
		inner := map[deeperLine]int{}
		for id, s := range spans {
			for _, g := range s.gaps {
				for _, l := range m.lines[g.from:g.to] {
					inner[deeperLine{id, l}] = g.from + 1
				}
			}
			for i := s.from; i < s.to; i++ {
				if s.direct && inGaps(s, i) {
					continue
				}
				m.lines[i].in[m.level] = 2 * id
				if s.closed {
					m.lines[i].in[m.level]++
				}
			}
		}
		m.within = append(m.within[:m.level], a.Address)
		m.inner = append(m.inner[:m.level], inner)
		m.level++
		m.run(a.Body)
		m.level--
	}
}

func inGaps(s modelSpan, i int) bool {
	return slices.ContainsFunc(s.gaps, func(g modelSpan) bool { return g.from <= i && i < g.to })
}

// selected returns the spans of an address.
func (m *model) selected(a *script.Address) (out []modelSpan) {
	for _, e := range m.spans() {
		found, closed := m.selects(a, e)
		if a.Outside && !closed {
			continue
		}
		var kept []modelSpan
		for _, s := range found {
			if a.Kind >= script.Section || m.holds(a, s) { // parts of the file were asked whole
				kept = append(kept, s)
			}
		}
		if !a.Direct {
			kept = joinSpans(kept)
		}
		if a.Outside {
			kept = otherLines(kept, e)
		}
		out = append(out, kept...)
	}
	return out
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
			taken[i] = taken[i] || !s.direct || !inGaps(s, i)
		}
	}
	for i := e.from; i < e.to; i++ {
		switch {
		case taken[i]:
		case i > e.from && !taken[i-1]:
			out[len(out)-1].to = i + 1
		default:
			out = append(out, modelSpan{from: i, to: i + 1})
		}
	}
	return out
}

// selects returns what an address selects of one span.
func (m *model) selects(a *script.Address, e modelSpan) (out []modelSpan, closed bool) {
	each := func(ok func(i int) bool) {
		for i := e.from; i < e.to; i++ {
			if ok(i) {
				out = append(out, modelSpan{from: max(i-a.Above, e.from), to: min(i+1+a.Below, e.to)})
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
			out = append(out, modelSpan{from: from, to: to})
		}
	case script.FirstLines:
		out = append(out, modelSpan{from: e.from, to: min(e.from+a.From, e.to)})
	case script.LastLines:
		out = append(out, modelSpan{from: max(e.to-a.From, e.from), to: e.to})
	case script.LinesWith:
		each(func(i int) bool { return m.has(i, a.Pattern) })
	case script.LinesWithout:
		each(func(i int) bool { return !m.has(i, a.Pattern) })
	case script.Paragraph:
		for _, s := range m.paragraphs(a.Pattern) {
			if from, to := max(s.from, e.from), min(s.to, e.to); from < to && m.holds(a, s) {
				out = append(out, modelSpan{from: from, to: to})
			}
		}
	case script.Section, script.Block:
		parts, closed := m.parts(a)
		parts = slices.DeleteFunc(parts, func(s modelSpan) bool { return !m.holds(a, s) })
		if a.Direct {
			parts = ownLevels(parts)
		} else {
			parts = joinSpans(parts)
		}
		for _, s := range parts {
			if from, to := max(s.from, e.from), min(s.to, e.to); from < to {
				c := modelSpan{from, to, s.closed && s.to <= e.to && s.to > e.from, s.gaps, s.direct}
				for c.direct && c.from < c.to && inGaps(c, c.from) {
					c.from++
				}
				for c.direct && c.from < c.to && inGaps(c, c.to-1) {
					c.to, c.closed = c.to-1, false
				}
				if c.from < c.to {
					out = append(out, c)
				}
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

// ownLevels makes blocks that share a line of their own level one.
func ownLevels(spans []modelSpan) (out []modelSpan) {
	own := func(s modelSpan, i int) bool { return s.from <= i && i < s.to && !inGaps(s, i) }
	for _, s := range spans {
		for again := true; again; {
			again = false
			for k, o := range out {
				both := modelSpan{from: min(o.from, s.from), to: max(o.to, s.to), closed: o.closed, direct: s.direct}
				shares := false
				for i := both.from; i < both.to; i++ {
					shares = shares || own(o, i) && own(s, i)
					if !own(o, i) && !own(s, i) {
						both.gaps = append(both.gaps, modelSpan{from: i, to: i + 1})
					}
				}
				if s.to > o.to || s.to == o.to && s.from < o.from {
					both.closed = s.closed
				}
				if shares {
					s, again, out = both, true, slices.Delete(out, k, k+1)
					break
				}
			}
		}
		out = append(out, s)
	}
	slices.SortStableFunc(out, func(a, b modelSpan) int { return a.from - b.from })
	return out
}

func (m *model) paragraphs(p *script.Pattern) (out []modelSpan) {
	for i := range m.lines {
		if !m.has(i, p) || m.blank(i) {
			continue
		}
		s := modelSpan{from: i, to: i + 1}
		for s.from > 0 && !m.blank(s.from-1) {
			s.from--
		}
		for s.to < len(m.lines) && !m.blank(s.to) {
			s.to++
		}
		out = append(out, s)
	}
	return out
}

func (m *model) ranges(a *script.Address, e modelSpan) (out []modelSpan, closed bool) {
	var at []int // where a range opens on line i, nil for not yet
	for i := e.from; i < e.to; {
		if at == nil {
			at = m.markAt(a.Open, i, 0, e)
		}
		if at == nil {
			i++
			continue
		}
		close, first := -1, i
		if a.Open.Pattern == nil {
			first++
		}
		var closing []int
		for j := first; j < e.to && close < 0; j++ {
			from := 0
			if j == i {
				from = at[1]
			}
			if closing = m.markAt(a.Close, j, from, e); closing != nil {
				close = j
			}
		}
		opening := at[0]
		at = nil
		switch {
		case close < 0 && a.Kind != script.Until:
			return out, false
		case close < 0:
			return append(out, m.trimmed(i, e.to)), true
		case a.Kind == script.Range:
			out = append(out, modelSpan{from: i, to: close + 1, closed: a.Close.Pattern != nil})
		case a.Kind == script.Between && i+1 < close:
			out = append(out, modelSpan{from: i + 1, to: close})
		case a.Kind == script.Until && i < close:
			out = append(out, m.trimmed(i, close))
		}
		if a.Kind == script.Until && (i < close || closing[0] > opening) {
			if again := m.markAt(a.Open, close, closing[0], e); again != nil && again[0] == closing[0] {
				at, i = again, close
				continue
			}
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
// share, and where like is not nil within those of that line.
func (m *model) put(i int, text string, like *modelLine) *modelLine {
	l := &modelLine{text: text, end: m.ending}
	for level := range m.level {
		id := -1
		if i > 0 && i < len(m.lines) {
			id = m.around(level, i, m.lines[i-1].in[level], m.lines[i].in[level])
		}
		if like != nil {
			id = like.in[level]
		}
		l.in = append(l.in, id)
		l.under = append(l.under, -1)
	}
	if i == len(m.lines) && i > 0 && m.lines[i-1].end == "" {
		m.lines[i-1].end, l.end = m.ending, ""
	}
	m.lines = slices.Insert(m.lines, i, l)
	return l
}

// around returns the innermost of two spans, -1 for none, that line i lies within.
func (m *model) around(level, i int, ids ...int) int {
	best, least := -1, -1
	for _, id := range ids {
		first, last := -1, -1
		for k, l := range m.lines {
			if l.in[level] == id && id >= 0 {
				last = k
				if first < 0 {
					first = k
				}
			}
		}
		if first >= 0 && first < i && i <= last && first > least {
			best, least = id, first
		}
	}
	return best
}

// below returns where the next lines below the span that ends before line i go: behind
// those that were inserted there.
func (m *model) below(level, i int) int {
	id := m.lines[i-1].in[level]
	for i < len(m.lines) && id >= 0 && m.lines[i].under[level] == id {
		i++
	}
	return i
}

// putUnder inserts lines before line i, as ones below the spans that end there.
func (m *model) putUnder(i int, texts []string) {
	var under []int
	for level := range m.level {
		id := m.lines[i-1].in[level]
		if id < 0 {
			id = m.lines[i-1].under[level]
		} else if m.around(level, i, id) >= 0 {
			id = -1
		}
		under = append(under, id)
	}
	for k, text := range texts {
		l := m.put(i+k, text, nil)
		l.under = slices.Clone(under)
	}
}

// scope returns what `unless present` looks through: runs of lines.
func (m *model) scope(s modelSpan) []modelSpan {
	for _, a := range m.within[:m.level] {
		if a.Outside {
			return []modelSpan{{to: len(m.lines)}}
		}
	}
	for level := m.level - 1; level >= 0; level-- {
		if !m.within[level].Kind.Takes() {
			continue
		}
		var out []modelSpan
		id := m.lines[s.from].in[level]
		for i, l := range m.lines {
			switch n := len(out); {
			case l.in[level] != id:
			case n > 0 && out[n-1].to == i:
				out[n-1].to++
			default:
				out = append(out, modelSpan{from: i, to: i + 1})
			}
		}
		return out
	}
	return []modelSpan{{to: len(m.lines)}}
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
				s.gaps, s.direct = m.deeper(s), a.Direct
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
	return modelSpan{from: from, to: to}
}

// code returns a line without its comment.
func code(line string) string {
	for i, c := range line {
		if c != '#' {
			continue
		}
		before, after := line[:i], line[i+1:]
		if strings.Trim(before, " \t") == "" ||
			strings.HasSuffix(strings.ReplaceAll(before, "\t", " "), " ") && (after == "" || after[0] == ' ' || after[0] == '\t') {
			return before
		}
	}
	return line
}

func comment(line string) bool { return strings.HasPrefix(strings.TrimLeft(line, " \t"), "#") }

// levels walks through the brackets, or the elements, from line i on, and calls each with
// every line: how many are open that the block's own lines did not open, before it and
// behind it, and how many in all behind it. It ends when each returns false.
func (m *model) levels(i int, open, close string, each func(line, before, behind, all int) bool) {
	var own []bool // of what is open
	inner := func() (n int) {
		for _, o := range own {
			if !o {
				n++
			}
		}
		return n
	}
	heads := map[int]bool{i: true}
	begun := false
	for k := i; k < len(m.lines); k++ {
		before := inner()
		text := m.lines[k].text
		if open == "{" {
			text = code(text)
		}
		if !begun && strings.Contains(text, open) { // the next line opens it, where this one does not
			heads[k] = true
		}
		for at := range text {
			switch {
			case strings.HasPrefix(text[at:], open):
				begun = true
				own = append(own, heads[k])
			case strings.HasPrefix(text[at:], close) && len(own) > 0:
				heads[k] = heads[k] || own[len(own)-1] // it may go on
				own = own[:len(own)-1]
			}
		}
		if len(own) == 0 && k == i {
			begun = false
		}
		if !each(k, before, inner(), len(own)) {
			return
		}
	}
}

// block returns what line i opens, in a world of braces and <a> alone.
func (m *model) block(i int) (s modelSpan, ok bool) {
	open, close, _ := m.kind(i)
	if open == "" {
		return modelSpan{from: i, to: m.indentedEnd(i)}, true
	}
	s = modelSpan{from: i}
	opened := false
	m.levels(i, open, close, func(line, _, _, all int) bool {
		opened = opened || all > 0 || line > i && !m.blank(line)
		if opened && all == 0 {
			s.to, s.closed = line+1, true
		}
		return s.to == 0
	})
	return s, s.to > 0
}

// kind returns what makes the block of line i: braces, elements, or "" for indentation, and
// then whether the line opens anything.
func (m *model) kind(i int) (open, close string, opens bool) {
	text := m.lines[i].text
	element := false
	m.levels(i, "<a>", "</a>", func(_, _, _, all int) bool {
		element = all > 0
		return false
	})
	if strings.HasPrefix(strings.TrimSpace(text), "<a>") {
		if element {
			return "<a>", "</a>", true
		}
		return "", "", false
	}
	brace := false
	m.levels(i, "{", "}", func(_, _, _, all int) bool {
		brace = all > 0
		return false
	})
	next := i + 1
	for next < len(m.lines) && m.blank(next) {
		next++
	}
	ends := strings.ContainsAny(lastRune(strings.TrimRight(text, " \t")), ",;}]")
	if brace || !ends && next < len(m.lines) && strings.HasPrefix(strings.TrimSpace(m.lines[next].text), "{") {
		return "{", "}", true
	}
	if element {
		return "<a>", "</a>", true
	}
	return "", "", true
}

// indentedEnd returns the line behind line i and the deeper ones below it.
func (m *model) indentedEnd(i int) int {
	if _, _, opens := m.kind(i); m.blank(i) || comment(m.lines[i].text) || !opens {
		return i + 1
	}
	return m.deeperEnd(i)
}

// deeperEnd is indentedEnd for a line that is no comment.
func (m *model) deeperEnd(i int) int {
	own, last := indent(m.lines[i].text), i
	for j := i + 1; j < len(m.lines); j++ {
		switch {
		case m.blank(j), comment(m.lines[j].text):
		case indent(m.lines[j].text) > own:
			last = j
		default:
			j = len(m.lines)
		}
	}
	if last == i {
		return i + 1
	}
	for end := last + 1; end < len(m.lines); end++ {
		if m.blank(end) {
			continue
		}
		if !comment(m.lines[end].text) || indent(m.lines[end].text) <= own {
			break
		}
		last = end
	}
	return last + 1
}

// deeper returns the runs of lines of a block that are deeper than its own level.
func (m *model) deeper(s modelSpan) (gaps []modelSpan) {
	open, close, _ := m.kind(s.from)
	if open == "" {
		for k := s.from + 1; k < s.to; k++ {
			in, ok := m.block(k)
			if !ok {
				in = modelSpan{from: k, to: m.deeperEnd(k)}
			}
			if in.to > k+1 {
				gaps = append(gaps, modelSpan{from: k, to: min(in.to, s.to)})
				k = in.to - 1
			}
		}
		return gaps
	}
	m.levels(s.from, open, close, func(line, before, behind, _ int) bool {
		switch n := len(gaps); {
		case before == 0 && behind == 0:
		case before > 0 && n > 0 && gaps[n-1].to == line:
			gaps[n-1].to++
		default:
			gaps = append(gaps, modelSpan{from: line, to: line + 1})
		}
		return line+1 < s.to
	})
	return gaps
}

func lastRune(s string) string {
	if s == "" {
		return ""
	}
	return s[len(s)-1:]
}

func indent(s string) (n int) {
	for _, c := range s {
		switch c {
		case ' ':
			n++
		case '\t':
			n += 8 - n%8
		default:
			return n
		}
	}
	return n
}
