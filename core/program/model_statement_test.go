package program_test

import (
	"slices"
	"strconv"
	"strings"

	"frizzel/core/program"
	"frizzel/core/script"
)

// statement does what a statement does to the model's lines.
func (m *model) statement(n script.Node) {
	spans := m.spans()
	var was *modelLine
	before := m.String()
	if k := len(m.lines); k > 0 {
		was = m.lines[k-1]
	}
	m.act(n, spans)
	if k := len(m.lines); k > 0 && m.lines[k-1] != was && m.String() != before {
		last := m.lines[k-1]
		switch {
		case m.ended && last.end == "":
			last.end = m.ending
		case !m.ended && last.text != "":
			last.end = ""
		case !m.ended && last.end == "":
			last.end = m.ending
		}
	}
	if k := len(m.lines); k > 0 && m.lines[k-1].text == "" && m.lines[k-1].end == "" {
		m.lines, m.emptied = m.lines[:k-1], true
	}
}

func (m *model) act(n script.Node, spans []modelSpan) {
	switch n := n.(type) {
	case *script.Replace:
		m.replace(n, spans)
	case *script.Delete:
		for _, s := range slices.Backward(spans) {
			m.lines = slices.Delete(m.lines, s.from, s.to)
		}
	case *script.Insert:
		m.insert(n, spans)
	case *script.Rewrite:
		for _, s := range slices.Backward(spans) {
			m.rewrite(s, strings.Split(n.Text.Raw, "\n"))
		}
	case *script.Settle:
		var acts []func()
		for _, s := range m.wholes() {
			if act := m.settle(n, s); act != nil {
				acts = append(acts, act)
			}
		}
		for _, act := range acts {
			act()
		}
	case *script.Comment:
		direct := m.level > 0 && m.direct(m.level-1)
		for _, s := range m.wholes() {
			m.comment(n, m.own([]modelSpan{s}, direct))
		}
	case *script.Sort:
		m.sort(n, spans)
	case *script.DropRepeated:
		m.drop(spans)
	case *script.Transfer:
		m.transfer(n, spans)
	case *script.Squeeze:
		for _, s := range slices.Backward(spans) {
			run := 0
			var kept []*modelLine
			for i, l := range m.lines[s.from:s.to] {
				if run++; !m.blank(s.from + i) {
					run = 0
				}
				if run <= n.To {
					kept = append(kept, l)
				}
			}
			m.lines = slices.Concat(m.lines[:s.from], kept, m.lines[s.to:])
		}
	case *script.TrimEnds:
		for _, s := range spans {
			for _, l := range m.lines[s.from:s.to] {
				l.text = strings.TrimRight(l.text, " \t\r")
			}
		}
	case *script.UseEndings:
		m.ending = "\n"
		if n.CRLF {
			m.ending = "\r\n"
		}
		for _, l := range m.lines {
			if l.end != "" {
				l.end = m.ending
			}
		}
	case *script.UseFinalEnding:
		if k := len(m.lines); k > 0 && m.lines[k-1].end == "" {
			m.lines[k-1].end = m.ending
		}
		m.ended = true
	}
}

func (m *model) replace(n *script.Replace, spans []modelSpan) {
	p := *n.Pattern
	p.IgnoreCase = p.IgnoreCase || n.KeepCase
	count, seen, total := 0, 0, 0
	if n.InFile {
		for _, s := range spans {
			for _, l := range m.lines[s.from:s.to] {
				total += len(m.find(l.text, &p))
			}
		}
	}
	for _, s := range spans {
		for i := s.from; i < s.to; i++ {
			l := m.lines[i]
			found := m.find(l.text, &p)
			if !n.InFile {
				seen, total = 0, len(found)
			}
			var out strings.Builder
			at := 0
			for _, loc := range found {
				seen++
				if !chosen(n.Which, seen, total) {
					continue
				}
				fresh := ""
				if n.With != nil {
					count++
					fresh = strings.NewReplacer("{=0}", l.text[loc[0]:loc[1]], "{=count}", strconv.Itoa(count),
						"{=line}", strconv.Itoa(i+1)).Replace(n.With.Raw)
				}
				if n.KeepCase {
					fresh = string(program.KeepCase([]byte(l.text[loc[0]:loc[1]]), []byte(fresh)))
				}
				out.WriteString(l.text[at:loc[0]] + fresh)
				at = loc[1]
			}
			l.text = out.String() + l.text[at:]
		}
	}
}

func chosen(w script.Which, n, total int) bool {
	switch {
	case w.Last:
		return n == total
	case w.From == 0:
		return true
	}
	return n >= w.From && (w.To == 0 || n <= w.To)
}

func (m *model) insert(n *script.Insert, spans []modelSpan) {
	want := strings.Split(n.Text.Raw, "\n")
	if n.Where == script.Top || n.Where == script.End {
		at := 0
		if n.Where == script.End {
			at = len(m.lines)
		}
		if !n.UnlessPresent || !m.scopeHas(modelSpan{to: len(m.lines)}, want) {
			m.putAll(at, want)
		}
		return
	}
	// Where the lines are present is asked of the text as the statement finds it;
	// one scope takes them once.
	var places []int
	taken := map[int]bool{}
	for _, s := range m.wholes() {
		at := s.from
		if n.Where == script.Below {
			at = m.below2(s.to)
		}
		scope := m.scope(s)
		present := false
		for _, part := range scope {
			present = present || m.scopeHas(part, want)
		}
		adjacent := modelSpan{from: max(at-len(want), 0), to: at}
		if n.Where == script.Below {
			adjacent = modelSpan{from: at, to: min(at+len(want), len(m.lines))}
		}
		if n.UnlessPresent && (taken[scope[0].from] || present || m.scopeHas(adjacent, want)) {
			continue
		}
		taken[scope[0].from] = true
		places = append(places, at)
	}
	slices.Sort(places)
	for _, at := range slices.Backward(places) {
		if n.Where == script.Below && m.level > 0 {
			m.putUnder(at, want)
		} else {
			m.putAll(at, want)
		}
	}
}

// below2 is below for the innermost address, if there is one.
func (m *model) below2(to int) int {
	if m.level == 0 || to == 0 {
		return to
	}
	return m.below(m.level-1, to)
}

func (m *model) putAll(at int, lines []string) {
	for i, text := range lines {
		m.put(at+i, text, nil)
	}
}

func (m *model) rewrite(s modelSpan, want []string) {
	if s.from == s.to {
		m.putAll(s.from, want)
		return
	}
	same := len(want) == s.to-s.from
	for i, l := range m.lines[s.from:s.to] {
		same = same && l.text == want[i] && (l.end == m.ending || i == len(want)-1)
	}
	if same {
		return
	}
	m.open(s)
	last := *m.lines[s.to-1]
	fresh := make([]*modelLine, len(want))
	for i, text := range want {
		fresh[i] = &modelLine{text: text, end: m.ending, in: slices.Clone(last.in), under: slices.Clone(last.under)}
	}
	fresh[len(fresh)-1].end = last.end
	m.lines = slices.Concat(m.lines[:s.from], fresh, m.lines[s.to:])
}

// comment puts a mark before the lines of a span, or takes it away.
func (m *model) comment(n *script.Comment, runs []modelSpan) {
	mark := strings.TrimRight(n.Mark.Raw, " \t")
	least, spaced := 1<<30, true
	each := func(act func(l *modelLine, indentation, rest string, marked bool)) {
		for _, s := range runs {
			for i := s.from; i < s.to; i++ {
				if l := m.lines[i]; !m.blank(i) {
					rest, marked := strings.CutPrefix(strings.TrimLeft(l.text, " \t"), mark)
					act(l, indentation(l.text), rest, marked)
				}
			}
		}
	}
	each(func(_ *modelLine, indentation, rest string, marked bool) {
		least = min(least, len(indentation))
		spaced = spaced && (!marked || rest == "" || strings.ContainsAny(rest[:1], " \t"))
	})
	each(func(l *modelLine, indentation, rest string, marked bool) {
		switch {
		case n.Out && !marked:
			l.text = l.text[:least] + n.Mark.Raw + l.text[least:]
		case !n.Out && marked && spaced:
			l.text = indentation + strings.TrimPrefix(rest, " ")
		case !n.Out && marked:
			l.text = indentation + rest
		}
	})
}

// innermost returns the address around the statement, nil for none.
func (m *model) innermost() *script.Address {
	if m.level == 0 {
		return nil
	}
	return m.within[m.level-1]
}

// settle returns what makes one line of a span the one, nil for nothing.
func (m *model) settle(n *script.Settle, s modelSpan) func() {
	a := m.innermost()
	block := -1
	if a != nil && !a.Outside {
		if _, ok := a.Form.(*script.Block); ok {
			block = s.from
		}
		f, ranged := a.Form.(*script.Range)
		if s.to-s.from == 1 && (block >= 0 || !isPart(a)) && !(ranged && f.Form == script.Between) {
			return nil
		}
	}
	items := m.outline()
	child := func(i int) bool { return block < 0 || items[i].parent == block && !items[i].inner }
	opens := func(i int) bool { return items[i].inner || items[i].kind == "block" || items[i].kind == "section" }
	var found []int
	opening := false
	for i := s.from; i < s.to; i++ {
		if !child(i) || !m.has(i, n.Pattern) {
			continue
		}
		switch {
		case opens(i):
			opening = true
		case items[i].kind == "entry":
			found = append(found, i)
		}
	}
	if len(found) == 0 && opening {
		return nil
	}
	bare := 0
	var apart []int // commented lines with white space behind the mark
	for i := s.from; i < s.to && len(found) == 0 && len(n.Commented) > 0; i++ {
		inside := strings.TrimLeft(m.lines[i].text, " \t")
		text, commented := strings.CutPrefix(inside, n.Commented[0].Raw)
		if !child(i) || !commented || opens(i) {
			continue
		}
		touches := text == strings.TrimLeft(text, " \t")
		text = strings.TrimLeft(text, " \t")
		indentation := m.lines[i].text[:len(m.lines[i].text)-len(inside)]
		if len(m.find(text, n.Pattern))+len(m.find(indentation+text, n.Pattern)) == 0 {
			continue
		}
		if touches {
			found, bare = append(found, i), len(m.lines[i].text)-len(text)
		} else {
			apart = append(apart, i)
		}
	}
	if len(found) == 0 && len(apart) == 1 {
		found = apart
		line := m.lines[apart[0]].text
		inside := strings.TrimLeft(strings.TrimLeft(line, " \t")[len(n.Commented[0].Raw):], " \t")
		bare = len(line) - len(inside)
	}
	if len(found) > 0 {
		old := m.lines[found[0]].text
		texts, ok := m.settledAll(n, indentation(old), old, bare)
		if !ok {
			m.failed = true
			return nil
		}
		if opening && len(texts) > 1 {
			return nil
		}
		var lines []*modelLine
		same := len(texts) == len(found)
		for k, i := range found {
			lines = append(lines, m.lines[i])
			same = same && i == found[0]+k && m.lines[i].text == texts[k]
		}
		if same || block >= 0 && !s.closed && slices.ContainsFunc(texts, func(text string) bool { return indent(text) <= indent(m.lines[s.from].text) }) {
			return nil
		}
		return func() { m.putSettled(lines, texts) }
	}
	return m.settleBehind(n, s, block)
}

func indentation(s string) string { return s[:len(s)-len(strings.TrimLeft(s, " \t"))] }

// settled returns the line that settle writes.
func (m *model) settled(n *script.Settle, indentation, old string, bare int) (string, bool) {
	texts := []string{indentation + n.Text.Raw, n.Text.Raw}
	if strings.TrimLeft(n.Text.Raw, " \t") != n.Text.Raw {
		texts = texts[1:]
	}
	for _, text := range texts {
		marked := len(n.Commented) > 0
		if at := trailing(old, bare, marked); n.KeepComment && at >= 0 && trailing(text, 0, marked) < 0 {
			space := old[len(strings.TrimRight(old[:at], " \t")):at]
			if !strings.Contains(space, "\t") {
				space = strings.Repeat(" ", max(len([]rune(old[:at]))-len([]rune(text)), 1))
			}
			if with := text + space + old[at:]; len(m.find(with, n.Pattern)) > 0 {
				return with, true
			}
		}
		if len(m.find(text, n.Pattern)) > 0 {
			return text, true
		}
	}
	return "", false
}

// trailing returns where a comment begins behind something in line[from:], or -1. A mark that the script names
// is one whatever follows it.
func trailing(line string, from int, marked bool) int {
	for at := from + 1; at < len(line); at++ {
		if !marked && at+1 < len(line) && line[at+1] != ' ' && line[at+1] != '\t' {
			continue
		}
		if line[at] == '#' && (line[at-1] == ' ' || line[at-1] == '\t') && strings.TrimSpace(line[from:at]) != "" {
			return at
		}
	}
	return -1
}

// settleBehind adds the lines at a span's end, or where the statement says.
func (m *model) settleBehind(n *script.Settle, s modelSpan, block int) func() {
	end := s.to
	if s.closed {
		end--
	}
	for end > s.from && m.blank(end-1) {
		end--
	}
	place, like := -1, -1
	if block < 0 {
		place, like = m.placed(n, s)
	}
	if like >= 0 {
		end = place
	}
	for level, a := range m.within[:m.level] {
		f, ranged := a.Form.(*script.Range)
		shifts := a.Outside || !ranged && !isPart(a) || ranged && f.Form == script.Until
		edge := end > 0 && m.lines[end-1].in[level] >= 0 && m.around(level, end, m.lines[end-1].in[level]) < 0
		if shifts && (level == m.level-1 || edge) {
			return nil
		}
	}
	blanks, last := "", -1 // the last item of the block that a deeper line behind it would be part of
	switch {
	case like >= 0 && like < len(m.lines):
		blanks = indentation(m.lines[like].text)
	case end > s.from:
		blanks = indentation(m.lines[end-1].text)
	}
	if block >= 0 && end > s.from {
		blanks, last = m.blockIndentation(block, end)
	}
	texts, ok := m.settledAll(n, blanks, "", 0)
	if m.failed = m.failed || !ok; !ok || last == -2 {
		return nil
	}
	for _, text := range texts {
		if last >= 0 && indent(text) > indent(m.lines[last].text) || block >= 0 && !s.closed && end > s.from && indent(text) <= indent(m.lines[s.from].text) {
			return nil
		}
	}
	if like >= 0 && m.wouldOpen(end, texts[len(texts)-1]) {
		return nil
	}
	if s.from == s.to { // of an empty file
		return func() { m.putAll(end, texts) }
	}
	first := m.lines[s.from] // it is in all the spans that this one is in
	if end == s.from {
		first = m.lines[end]
		return func() { m.putLike(slices.Index(m.lines, first), texts, first) }
	}
	before := m.lines[end-1]
	return func() { m.putLike(slices.Index(m.lines, before)+1, texts, first) }
}

func (m *model) putLike(at int, texts []string, like *modelLine) {
	for k, text := range texts {
		m.put(at+k, text, like)
	}
}

// blockIndentation returns what a line added to a block begins with, and the block's last item, if it is an entry or
// one by indentation; else -1.
func (m *model) blockIndentation(block, to int) (string, int) {
	items := m.outline()
	entry, inner, last := -1, -1, -1
	for i := block + 1; i < to; i++ {
		if items[i].parent != block {
			continue
		}
		switch it := items[i]; {
		case it.kind == "section":
			return "", -2 // whatever is added is part of it
		case it.kind == "block":
			if last = -1; it.by == "" || it.unclosed {
				last = i
			}
			if !it.inner && it.kind == "block" {
				inner = i
			}
		case it.kind == "entry" && i == block+1 && strings.TrimSpace(m.lines[i].text) == "{": // it opens the block
		case it.kind == "entry":
			if last = i; !it.inner {
				entry = i
			}
		}
	}
	switch {
	case entry >= 0:
		return indentation(m.lines[entry].text), last
	case inner >= 0:
		return indentation(m.lines[inner].text), last
	}
	step := ""
	for i, l := range m.lines {
		blanks := indentation(l.text)
		if k := items[i].kind; blanks == "" || k != "entry" && k != "block" || strings.HasPrefix(l.text[len(blanks):], "*") {
			continue
		}
		if step == "" || indent(blanks) < indent(step) {
			step = blanks
		}
	}
	if step == "" {
		step = "    "
	}
	return indentation(m.lines[block].text) + step, last
}

func (m *model) transfer(n *script.Transfer, spans []modelSpan) {
	moved := map[*modelLine]bool{}
	var lines []*modelLine
	for _, s := range spans {
		for _, l := range m.lines[s.from:s.to] {
			c := *l
			lines = append(lines, &c)
			moved[l] = n.Move
		}
	}
	var stay []*modelLine
	for _, l := range m.lines {
		if !moved[l] {
			stay = append(stay, l)
		}
	}
	at := -1
	for i, l := range stay {
		ok := n.Dest.Line > 0 && n.Dest.Line <= len(m.lines) && m.lines[n.Dest.Line-1] == l
		edge, _ := n.Dest.Form.(*script.EdgeLines)
		if edge != nil {
			ok = edge.Pattern == nil || len(m.find(l.text, edge.Pattern)) > 0
		}
		if ok && (at < 0 || edge != nil && edge.Last) {
			at = i
		}
	}
	if at < 0 || len(lines) == 0 {
		return
	}
	if n.Dest.Below {
		at++
	}
	for level := range m.level {
		if at == 0 || !n.Dest.Below {
			break
		}
		if id := stay[at-1].in[level]; id >= 0 && (at == len(stay) || stay[at].in[level] != id) {
			for at < len(stay) && stay[at].under[level] == id {
				at++
			}
		}
	}
	if at == len(stay) && m.lines[len(m.lines)-1] == stay[at-1] && stay[at-1].end == "" {
		stay[at-1].end = m.ending
		for i, l := range lines {
			if l.end == "" {
				lines[i].end = m.ending
			}
		}
		if last := lines[len(lines)-1]; strings.TrimSpace(last.text) != "" {
			last.end = ""
		}
	} else {
		for i, l := range lines {
			if l.end == "" {
				lines[i].end = m.ending
			}
		}
	}
	// A span of which every line moves goes with them; else they are within the spans that
	// lines on both sides of their new place are in.
	gone := make([]map[int]bool, m.level)
	for level := range m.level {
		gone[level] = map[int]bool{}
		for _, l := range m.lines {
			if id := l.in[level]; id >= 0 {
				whole, seen := gone[level][id]
				gone[level][id] = moved[l] && (whole || !seen)
			}
		}
	}
	m.lines = stay
	for _, l := range lines {
		in := slices.Clone(l.in)
		l.in, l.under = nil, nil
		for level := range m.level {
			id := in[level]
			if id < 0 || !gone[level][id] {
				id = -1
				if at > 0 && at < len(stay) {
					id = m.around(level, at, stay[at-1].in[level], stay[at].in[level])
				}
			}
			l.in, l.under = append(l.in, id), append(l.under, -1)
		}
	}
	m.lines = slices.Concat(stay[:at:at], lines, stay[at:])
}
