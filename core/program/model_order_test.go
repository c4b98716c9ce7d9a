package program_test

import (
	"math/big"
	"regexp"
	"slices"
	"strings"

	"frizzel/core/script"
)

// Lines in order, on the model: what moves, what stays, and what is refused.

// ordered returns the lines of a span that a statement may put in order: false for none, if a block is among them.
func (m *model) ordered(s modelSpan) (free []bool, ok bool) {
	items := m.outline()
	opens := false // the address opens its spans with a line of its own
	if a := m.innermost(); a != nil && !a.Outside && s.from < s.to {
		f, ranged := a.Form.(*script.Range)
		_, block := a.Form.(*script.Block)
		opens = block || ranged && f.Form != script.Between || items[s.from].kind == "section"
		if !ranged && !block && !isPart(a) {
			opens = false
		}
	}
	for i := s.from; i < s.to; i++ {
		it := items[i]
		own := i == s.from && opens
		inner := it.kind == "section" || it.kind == "block" && !it.unclosed
		turns := it.inner && strings.Contains(code(m.lines[i].text), "}") && m.goesOn(i)
		if inner && !own || turns {
			return nil, false
		}
		free = append(free, !own && !(i == s.to-1 && s.closed) && !m.blank(i) && !it.inner)
	}
	return free, true
}

// goesOn reports whether line i closes a part of the block around it, and not the block.
func (m *model) goesOn(i int) bool {
	items := m.outline()
	for up := items[i].parent; up >= 0; up = items[up].parent {
		if items[up].to == i+1 {
			return false
		}
	}
	return true
}

func (m *model) sort(n *script.Sort, spans []modelSpan) {
	items := m.outline()
	type slot struct {
		lines []*modelLine
		key   string
		num   *big.Rat
		has   bool
	}
	for _, s := range spans {
		free, ok := m.ordered(s)
		if !ok {
			m.failed = true
			continue
		}
		var slots []slot
		var at []int // the first line of each slot
		var above []*modelLine
		for i := s.from; i < s.to; i++ {
			switch l := m.lines[i]; {
			case !free[i-s.from] || items[i].kind == "block": // an opening line that nothing closes
				above = nil
			case items[i].kind == "comment":
				above = append(above, l)
			default:
				one := slot{lines: append(above, l), key: l.text, has: true}
				if n.By != nil {
					expr := n.By.Text.Raw
					if n.IgnoreCase {
						expr = "(?i)" + expr
					}
					by := regexp.MustCompile(expr)
					one.key, one.has = by.FindString(l.text), by.MatchString(l.text)
				}
				if n.ByNumber && one.has {
					number := regexp.MustCompile(`\d+`).FindString(one.key) // in this small world neither signs nor points touch digits
					one.num, one.has = new(big.Rat).SetString(number)
				}
				if n.IgnoreCase {
					one.key = strings.ToLower(one.key)
				}
				slots, at = append(slots, one), append(at, i-len(above))
				above = nil
			}
		}
		sorted := slices.Clone(slots)
		slices.SortStableFunc(sorted, func(a, b slot) int {
			order := 0
			switch {
			case a.has != b.has && b.has:
				return -1
			case a.has != b.has:
				return 1
			case !a.has:
				return 0
			case n.ByNumber:
				order = a.num.Cmp(b.num)
			default:
				order = strings.Compare(a.key, b.key)
			}
			if n.Descending {
				return -order
			}
			return order
		})
		var out []*modelLine
		next := 0
		for i := s.from; i < s.to; {
			if next < len(at) && i == at[next] {
				out = append(out, sorted[next].lines...)
				i += len(slots[next].lines)
				next++
				continue
			}
			out = append(out, m.lines[i])
			i++
		}
		m.reorder(s, out)
	}
}

// reorder puts lines in the place of a span's. The last line of the file may have no ending, and no other.
func (m *model) reorder(s modelSpan, out []*modelLine) {
	in := [][]int{} // a place keeps its spans, whichever line stands there
	for _, l := range m.lines[s.from:s.to] {
		in = append(in, l.in)
	}
	unended := s.to == len(m.lines) && s.to > 0 && m.lines[s.to-1].end == ""
	for i, l := range out {
		c := *l
		c.in = in[i]
		if c.end == "" {
			c.end = m.ending
		}
		m.lines[s.from+i] = &c
	}
	if unended {
		m.lines[s.to-1].end = ""
	}
}

func (m *model) drop(spans []modelSpan) {
	gone := map[*modelLine]bool{}
	for _, s := range spans {
		free, ok := m.ordered(s)
		if !ok {
			m.failed = true
			continue
		}
		seen := map[string]bool{}
		for i := s.from; i < s.to; i++ {
			l := m.lines[i]
			closing := i == s.to-1 && s.closed
			if (free[i-s.from] || i == s.from) && !closing && seen[l.text] {
				gone[l] = true
			}
			seen[l.text] = true
		}
	}
	m.lines = slices.DeleteFunc(m.lines, func(l *modelLine) bool { return gone[l] })
}

// settledAll returns the lines that settle writes.
func (m *model) settledAll(n *script.Settle, indentation, old string, bare int) (out []string, ok bool) {
	for _, text := range strings.Split(n.Text.Raw, "\n") {
		one := *n
		one.Text = &script.Text{Raw: text}
		line, ok := m.settled(&one, indentation, old, bare)
		if !ok {
			return nil, false
		}
		out = append(out, line)
	}
	return out, true
}

// putSettled puts the lines in the place of the first that was found, and takes the others away.
func (m *model) putSettled(found []*modelLine, texts []string) {
	first := found[0]
	at := slices.Index(m.lines, first)
	var fresh []*modelLine
	for _, text := range texts {
		fresh = append(fresh, &modelLine{text: text, end: m.ending, in: slices.Clone(first.in), under: slices.Clone(first.under)})
	}
	fresh[len(fresh)-1].end = first.end
	m.lines = slices.Concat(m.lines[:at], fresh, m.lines[at+1:])
	m.lines = slices.DeleteFunc(m.lines, func(l *modelLine) bool { return slices.Contains(found[1:], l) })
}

// placed returns the line before which a settle adds, and the line whose indentation that takes, -1 for neither: at the
// end. In this model not in blocks.
func (m *model) placed(n *script.Settle, s modelSpan) (at, like int) {
	items := m.outline()
	top := s.from
	if a := m.innermost(); a != nil && s.from < s.to {
		f, ranged := a.Form.(*script.Range)
		if items[s.from].kind == "section" || ranged && !a.Outside && f.Form != script.Between {
			top++
		}
	}
	last := s.to
	if s.closed {
		last--
	}
	top = min(top, last)
	at, like = -1, -1
	if n.Added.Top {
		return top, top
	}
	for i := top; i < last && n.Added.Pattern != nil; i++ {
		if !m.has(i, n.Added.Pattern) || items[i].kind == "section" {
			continue
		}
		if !n.Added.Below {
			return i, i
		}
		at, like = i+1, i
		if items[i].kind == "block" { // behind all that it holds
			at = min(max(items[i].to, i+1), last)
		}
	}
	return at, like
}

// wouldOpen reports whether a line before line at would open a block of what follows.
func (m *model) wouldOpen(at int, text string) bool {
	for i := at; i < len(m.lines); i++ {
		if m.blank(i) {
			continue
		}
		return strings.HasPrefix(strings.TrimSpace(m.lines[i].text), "{") || indent(m.lines[i].text) > indent(text)
	}
	return false
}
