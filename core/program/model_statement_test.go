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
	switch n.(type) {
	case *script.Delete, *script.Transfer, *script.Squeeze, *script.Settle:
		if k := len(m.lines); k > 0 && m.lines[k-1].end == "" {
			defer m.keepEnd(m.lines[k-1])
		}
	}
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
		var before []string
		for _, l := range m.lines {
			before = append(before, l.text)
		}
		for _, s := range slices.Backward(spans) {
			m.settle(n, s, before)
		}
	case *script.Comment:
		for _, s := range spans {
			for _, l := range m.lines[s.from:s.to] {
				inside := strings.TrimLeft(l.text, " \t")
				indent := l.text[:len(l.text)-len(inside)]
				switch marked := strings.HasPrefix(inside, n.Mark.Raw); {
				case n.Out && !marked && strings.TrimSpace(inside) != "":
					l.text = indent + n.Mark.Raw + inside
				case !n.Out && marked:
					l.text = indent + inside[len(n.Mark.Raw):]
				}
			}
		}
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
	}
}

// keepEnd sees to it that a file whose last line has no ending stays one when that
// line is gone.
func (m *model) keepEnd(was *modelLine) {
	if k := len(m.lines); k > 0 && m.lines[k-1] != was && !m.blank(k-1) {
		m.lines[k-1].end = ""
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
		if !n.UnlessPresent || !m.scopeHas(modelSpan{0, len(m.lines), false}, want) {
			m.putAll(at, want)
		}
		return
	}
	// Where the lines are present is asked of the text as the statement finds it;
	// one scope takes them once.
	var places []int
	taken := map[int]bool{}
	for _, s := range spans {
		at := s.from
		if n.Where == script.Below {
			at = s.to
		}
		scope := m.scope(s)
		adjacent := modelSpan{from: max(at-len(want), 0), to: at}
		if n.Where == script.Below {
			adjacent = modelSpan{from: at, to: min(at+len(want), len(m.lines))}
		}
		if n.UnlessPresent && (taken[scope.from] || m.scopeHas(scope, want) || m.scopeHas(adjacent, want)) {
			continue
		}
		taken[scope.from] = true
		places = append(places, at)
	}
	for _, at := range slices.Backward(places) {
		m.putAll(at, want)
	}
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
	m.open(s)
	last := *m.lines[s.to-1]
	fresh := make([]*modelLine, len(want))
	for i, text := range want {
		fresh[i] = &modelLine{text: text, end: m.ending, in: slices.Clone(last.in)}
	}
	fresh[len(fresh)-1].end = last.end
	m.lines = slices.Concat(m.lines[:s.from], fresh, m.lines[s.to:])
}

func (m *model) settle(n *script.Settle, s modelSpan, before []string) {
	indented := func(like string) string {
		indent := like[:len(like)-len(strings.TrimLeft(like, " \t"))]
		if strings.TrimLeft(n.Text.Raw, " \t") != n.Text.Raw {
			indent = ""
		}
		return indent + n.Text.Raw
	}
	first := -1
	for i := s.from; i < s.to; i++ {
		switch {
		case !m.has(i, n.Pattern):
		case first < 0:
			first = i
		default:
			m.lines = slices.Delete(m.lines, i, i+1)
			i, s.to = i-1, s.to-1
		}
	}
	for i := s.from; i < s.to && first < 0 && n.Commented != nil; i++ {
		inside := strings.TrimLeft(m.lines[i].text, " \t")
		bare := strings.TrimLeft(inside, n.Commented.Raw)
		if bare != inside && len(m.find(strings.TrimLeft(bare, " \t"), n.Pattern)) > 0 {
			first = i
		}
	}
	if first >= 0 {
		m.lines[first].text = indented(m.lines[first].text)
		return
	}
	end := s.to
	if s.closed {
		if end--; end == s.from {
			return
		}
	}
	for end > s.from && m.blank(end-1) {
		end--
	}
	if end == s.from {
		like := (*modelLine)(nil)
		if s.from < s.to {
			like = m.lines[s.from]
		}
		m.put(end, n.Text.Raw, like)
		return
	}
	text := indented(m.lines[end-1].text)
	if end < len(before) && before[end] == text { // it stands there already
		return
	}
	m.put(end, text, m.lines[end-1])
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
		ok := n.Dest.First && i == 0 || n.Dest.Last && i == len(stay)-1 ||
			n.Dest.Line > 0 && n.Dest.Line <= len(m.lines) && m.lines[n.Dest.Line-1] == l ||
			n.Dest.Pattern != nil && len(m.find(l.text, n.Dest.Pattern)) > 0
		if ok && at < 0 {
			at = i
		}
	}
	if at < 0 || len(lines) == 0 {
		return
	}
	if n.Dest.Below {
		at++
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
	m.lines = slices.Concat(stay[:at], lines, stay[at:])
}
