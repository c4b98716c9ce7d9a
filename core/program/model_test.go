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
	emptied bool // a last line without an ending became empty, and so is not a line; a span of it is left, which the model cannot have
	failed  bool // settle would write what it does not look for
	joiners string
	within  []*script.Address // by level
}

type modelLine struct {
	text, end string
	in        []int // the span, by the address's level; -1 for none
	under     []int // the same, of lines that were inserted below one
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
}

// wholes returns what the statement acts on, with what it passes over.
func (m *model) wholes() []modelSpan {
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

// spans returns what the statement acts on: of a block directly the runs of its own lines.
func (m *model) spans() []modelSpan {
	return m.own(m.wholes(), m.level > 0 && m.direct(m.level-1))
}

func (m *model) direct(level int) bool { return m.within[level].Direct && !m.within[level].Outside }

// own returns the runs of lines of spans that lie in no block within them, if direct is set.
func (m *model) own(spans []modelSpan, direct bool) (out []modelSpan) {
	if !direct {
		return spans
	}
	items := m.outline()
	for _, s := range spans {
		run := modelSpan{from: s.from, to: s.from + 1}
		for i := s.from + 1; i < s.to; {
			if k := items[i].kind; k != "block" && k != "section" {
				if run.to < i {
					out = append(out, run)
					run = modelSpan{from: i}
				}
				i++
				run.to = i
				continue
			}
			i = items[i].to
		}
		out = append(out, run)
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
		for id, s := range spans {
			for i := s.from; i < s.to; i++ {
				m.lines[i].in[m.level] = 2 * id
				if s.closed {
					m.lines[i].in[m.level]++
				}
			}
		}
		m.within = append(m.within[:m.level], a.Address)
		m.level++
		m.run(a.Body)
		m.level--
	}
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
			if isPart(a) || m.holds(a, s) { // parts of the file were asked whole
				kept = append(kept, s)
			}
		}
		kept = joinSpans(kept)
		if a.Outside {
			kept = otherLines(m.own(kept, a.Direct), e)
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
			taken[i] = true
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
	each := func(above, below int, ok func(i int) bool) {
		for i := e.from; i < e.to; i++ {
			if ok(i) {
				out = append(out, modelSpan{from: max(i-above, e.from), to: min(i+1+below, e.to)})
			}
		}
	}
	switch f := a.Form.(type) {
	case *script.Lines:
		to := f.To
		if to == 0 {
			to = len(m.lines)
		}
		if from, to := max(f.From-1, e.from), min(to, e.to); from < to {
			out = append(out, modelSpan{from: from, to: to})
		}
	case *script.EdgeLines:
		if f.Pattern != nil {
			each(0, 0, func(i int) bool { return m.has(i, f.Pattern) })
			if n := min(f.Count, len(out)); f.Last {
				out = out[len(out)-n:]
			} else {
				out = out[:n]
			}
			return inRuns(out), true
		}
		s := modelSpan{from: e.from, to: min(e.from+f.Count, e.to)}
		if f.Last {
			s = modelSpan{from: max(e.to-f.Count, e.from), to: e.to}
		}
		out = append(out, s)
	case *script.LinesNear:
		each(0, 0, func(i int) bool {
			near := false
			for k := 1; k <= f.Count; k++ {
				j := i + k
				if f.Below {
					j = i - k
				}
				near = near || j >= e.from && j < e.to && m.has(j, f.Pattern)
			}
			return near && !m.has(i, f.Pattern)
		})
		return inRuns(out), true
	case *script.LinesWith:
		each(f.Above, f.Below, func(i int) bool { return m.has(i, f.Pattern) != f.Without })
	case *script.Paragraph:
		return m.cut(a, m.paragraphs(f.Pattern), e), true
	case *script.Section, *script.Block:
		parts, closed := m.parts(a)
		return m.cut(a, parts, e), closed
	case *script.Range:
		return m.ranges(f, e)
	}
	if len(out) > 0 && out[0].from == out[0].to {
		out = nil
	}
	return out, true
}

// inRuns joins spans of which one ends where the next begins.
func inRuns(spans []modelSpan) (out []modelSpan) {
	for _, s := range spans {
		if n := len(out); n > 0 && out[n-1].to == s.from {
			out[n-1].to = s.to
		} else {
			out = append(out, s)
		}
	}
	return out
}

func isPart(a *script.Address) bool {
	switch a.Form.(type) {
	case *script.Section, *script.Block, *script.Paragraph:
		return true
	}
	return false
}

// cut returns what lies in a span of those parts of the file that hold what they must.
func (m *model) cut(a *script.Address, parts []modelSpan, e modelSpan) (out []modelSpan) {
	parts = joinSpans(slices.DeleteFunc(parts, func(s modelSpan) bool { return !m.holds(a, s) }))
	for _, s := range parts {
		c := modelSpan{max(s.from, e.from), min(s.to, e.to), s.closed && s.to <= e.to && s.to > e.from}
		if c.from >= c.to {
			continue
		}
		if a.Direct && (c.from > s.from || c.to < s.to) { // its own lines, one run after another
			for _, own := range m.own([]modelSpan{s}, true) {
				if from, to := max(own.from, e.from), min(own.to, e.to); from < to {
					out = append(out, modelSpan{from: from, to: to})
				}
			}
			continue
		}
		out = append(out, c)
	}
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

func (m *model) ranges(a *script.Range, e modelSpan) (out []modelSpan, closed bool) {
	var at []int // where a range opens on line i, nil for not yet
	for i := e.from; i < e.to; {
		if at == nil {
			at = m.markAt(a.Open, i, 0, e)
		}
		if at == nil {
			i++
			continue
		}
		close := -1
		var closing []int
		for j := i; j < e.to && close < 0; j++ {
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
		case close < 0 && a.Form != script.Until:
			return out, false
		case close < 0:
			return append(out, m.trimmed(i, e.to)), true
		case a.Form == script.FromTo:
			out = append(out, modelSpan{from: i, to: close + 1, closed: a.Close != nil})
		case a.Form == script.Between && i+1 < close:
			out = append(out, modelSpan{from: i + 1, to: close})
		case a.Form == script.Until && i < close:
			out = append(out, m.trimmed(i, close))
		}
		if a.Form == script.Until && (i < close || closing[0] > opening) {
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
// byte from. The last line is a mark, too, if p is nil.
func (m *model) markAt(p *script.Pattern, i, from int, e modelSpan) []int {
	if p == nil {
		if i == e.to-1 {
			return []int{from, from}
		}
		return nil
	}
	for _, loc := range m.find(m.lines[i].text, p) {
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
		if _, ranged := m.within[level].Form.(*script.Range); !ranged && !isPart(m.within[level]) {
			continue
		}
		id := m.lines[s.from].in[level]
		var whole modelSpan
		for i, l := range m.lines {
			if l.in[level] != id {
				continue
			}
			if whole.to == 0 {
				whole.from = i
			}
			whole.to = i + 1
		}
		return m.own([]modelSpan{whole}, m.direct(level))
	}
	return []modelSpan{{to: len(m.lines)}}
}

func (m *model) scopeHas(s modelSpan, want []string) bool {
	for i := s.from; i+len(want) <= s.to; i++ {
		same := true
		for j := range want {
			same = same && strings.TrimSpace(m.lines[i+j].text) == strings.TrimSpace(want[j])
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

// parts returns the sections or the blocks of the file; false if a block is never closed.
func (m *model) parts(a *script.Address) (out []modelSpan, closed bool) {
	closed = true
	for i, it := range m.outline() {
		switch f := a.Form.(type) {
		case *script.Section:
			if it.kind == "section" && strings.TrimSpace(m.lines[i].text) == "["+f.Name.Raw+"]" {
				out = append(out, modelSpan{from: i, to: it.to})
			}
		case *script.Block:
			if !m.has(i, f.Pattern) || it.kind != "entry" && it.kind != "block" {
				continue
			}
			if it.unclosed {
				closed = false
				continue
			}
			out = append(out, modelSpan{from: i, to: it.to, closed: it.kind == "block" && it.by != ""})
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
