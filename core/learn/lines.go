package learn

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"

	"frizzel/core/lines"
	"frizzel/core/syntax"
	"frizzel/core/tree"
)

// lines proposes statements about lines, hunk by hunk, until none is taken any more.
func (l *learner) lines() {
	for again := true; again; {
		again = false
		for _, s := range l.states {
			for i := 0; i < len(s.hunks) && !again; i++ {
				again = l.hunk(s, s.hunks[i])
			}
			if !again && len(l.states) > 1 { // nothing fits all files: try statements for this one
				l.only = s.Name
				for i := 0; i < len(s.hunks) && !again; i++ {
					again = l.hunk(s, s.hunks[i])
				}
				l.only = ""
			}
			if again {
				break
			}
		}
	}
}

// moves proposes moves of lines, as long as one is taken.
func (l *learner) moves() {
	for again := true; again; {
		again = false
		for _, s := range l.states {
			for i := 0; i < len(s.hunks) && !again; i++ {
				if h := s.hunks[i]; len(h.fresh) == 0 {
					again = l.moved(s, h, contents(s.now[h.start:h.end]), nil)
				}
			}
		}
	}
}

// hunk proposes statements for one hunk. It reports whether one was taken.
func (l *learner) hunk(s *state, h hunk) bool {
	if l.budget <= 0 {
		return false
	}
	old, fresh := contents(s.now[h.start:h.end]), contents(h.fresh)
	where := places(s.now, h.start)
	if len(old) == 1 && len(fresh) == 1 {
		if l.value(s, h) || l.line(s, h, old[0], fresh[0], where) {
			return true
		}
	}
	if len(old) == 0 {
		return l.added(s, h, fresh, where)
	}
	if len(fresh) == 0 {
		return l.moved(s, h, old, where) || l.gone(s, h, old, where)
	}
	return l.block(s, h, old, fresh, where)
}

// value proposes to change a value at its path.
func (l *learner) value(s *state, h hunk) bool {
	kind := syntax.Of(s.Name)
	if !kind.IsJudged() {
		return false
	}
	old, fresh := s.now[h.start:h.end], h.fresh
	from := 0
	for from < len(old) && from < len(fresh) && old[from] == fresh[from] {
		from++
	}
	if from == len(old) || from == len(fresh) {
		return false
	}
	finder := tree.Finder{Syntax: kind}
	path := finder.At(s.now, h.start+from)
	if path == "" {
		return false
	}
	want := tree.Finder{Syntax: kind}
	text, at := s.freshText(h)
	if want.At(text, at+from) != path {
		return false
	}
	value, literal, ok := want.ValueAt(text, at+from)
	if !ok {
		return false
	}
	q := quoted(path)
	if strings.Contains(path, "'") {
		q = quoted(plainPath(path))
	}
	for _, text := range []string{value, literal} {
		v := quoted(text)
		if q == "" || v == "" {
			continue
		}
		words := "as"
		if text == literal && value != literal {
			words = "as literal"
		}
		for _, form := range []string{"settle value %s %s %s", "at %s rewrite %s %s"} {
			if l.try(fmt.Sprintf(form, q, words, v), General) {
				return true
			}
		}
	}
	return false
}

var quotedName = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\['([A-Za-z_][A-Za-z0-9_-]*)'\]`) })

// plainPath writes the names of a path behind dots.
func plainPath(path string) string { return quotedName().ReplaceAllString(path, ".$1") }

// freshText returns the text with a hunk done, and the hunk's offset in it.
func (s *state) freshText(h hunk) ([]byte, int) {
	return slices.Concat(s.now[:h.start], h.fresh, s.now[h.end:]), h.start
}

// line proposes to change one line.
func (l *learner) line(s *state, h hunk, old, fresh string, where []string) bool {
	if l.commented(old, fresh, where) || l.settled(old, fresh, where) || l.fragment(old, fresh, where) {
		return true
	}
	for _, place := range where {
		for _, p := range patterns(old) {
			for _, text := range []string{strings.TrimSpace(fresh), fresh} {
				if l.try(place+"on lines with "+p+" "+written("rewrite as", text), General) {
					return true
				}
			}
		}
	}
	return l.near(s, h, written("rewrite as", fresh), 1, where)
}

// commented proposes to comment a line out, or to uncomment it.
func (l *learner) commented(old, fresh string, where []string) bool {
	for _, mark := range []string{"#", "# ", ";", "; ", "//", "// ", "--", "-- "} {
		bare := strings.TrimRight(mark, " ")
		for _, place := range where {
			for _, p := range patterns(old) {
				on := place + "on lines with " + p
				if strings.TrimSpace(fresh) == mark+strings.TrimSpace(old) && l.try(on+" comment out with "+quoted(mark), General) {
					return true
				}
				if strings.TrimSpace(old) == mark+strings.TrimSpace(fresh) && l.try(on+" uncomment "+quoted(bare), General) {
					return true
				}
			}
		}
	}
	return false
}

// settled proposes to settle a line that has the same key as before.
func (l *learner) settled(old, fresh string, where []string) bool {
	key := keyOf(old)
	if key == "" || keyOf(fresh) != key {
		return false
	}
	name := strings.TrimRight(key, " \t=:")
	separator := `\b`
	if strings.ContainsAny(key, "=:") {
		separator = `\s*` + strings.TrimSpace(strings.TrimPrefix(key, name))[:1]
	} else {
		separator = `\s`
	}
	re := quoted("^" + regexp.QuoteMeta(name) + separator)
	if strings.TrimLeft(old, " \t") != old {
		re = quoted(`^\s*` + regexp.QuoteMeta(name) + separator)
	}
	for _, place := range slices.Backward(where) {
		for _, text := range []string{strings.TrimSpace(fresh), fresh} {
			if q := quoted(text); re != "" && q != "" && l.try(place+"settle regex "+re+" as "+q, General) {
				return true
			}
		}
	}
	return false
}

// fragment proposes to replace a part of a line, wider and wider.
func (l *learner) fragment(old, fresh string, where []string) bool {
	from := commonPrefix(old, fresh)
	to := commonSuffix(old[from:], fresh[from:])
	for from > 0 && from < len(old) && levels[0].holds(rune(old[from-1])) { // from the start of a word to the end of one
		from--
	}
	for to > 0 && levels[0].holds(rune(old[len(old)-to])) {
		to--
	}
	for _, wide := range []int{0, 1, 2, 4} {
		start, end, freshEnd := from, len(old)-to, len(fresh)-to
		for range wide {
			start, end, freshEnd = wider(old, fresh, start, end, freshEnd)
		}
		a, b := quoted(old[start:end]), quoted(fresh[start:freshEnd])
		if a == "" || b == "" || strings.TrimSpace(old[start:end]) == "" {
			continue
		}
		kinds := []string{"text"}
		if whole(old, start, end) {
			kinds = []string{"word", "text"}
		}
		for _, place := range where {
			for _, kind := range kinds {
				statement := "replace " + kind + " " + a + " with " + b
				if old[start:end] != "" && fresh[start:freshEnd] == "" {
					statement = "remove " + kind + " " + a
				}
				if l.try(place+statement, General) {
					return true
				}
			}
		}
	}
	return false
}

func commonPrefix(a, b string) (n int) {
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	for n > 0 && n < len(a) && a[n]&0xC0 == 0x80 {
		n--
	}
	return n
}

func commonSuffix(a, b string) (n int) {
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	for n > 0 && a[len(a)-n]&0xC0 == 0x80 {
		n--
	}
	return n
}

// wider takes one more token on each side.
func wider(old, fresh string, start, end, freshEnd int) (int, int, int) {
	before := tokens().FindAllStringIndex(old[:start], -1)
	if n := len(before); n > 0 {
		start = before[n-1][0]
	}
	if behind := tokens().FindStringIndex(old[end:]); behind != nil {
		end, freshEnd = end+behind[1], freshEnd+behind[1]
	}
	return start, end, freshEnd
}

// whole reports whether a range has the edges of words.
func whole(text string, start, end int) bool {
	edge := func(a, b string) bool {
		last, first := []rune(a), []rune(b)
		return len(last) == 0 || len(first) == 0 || !isWord(last[len(last)-1]) || !isWord(first[0])
	}
	inside := []rune(text[start:end])
	return len(inside) > 0 && isWord(inside[0]) && isWord(inside[len(inside)-1]) && edge(text[:start], text[start:end]) && edge(text[start:end], text[end:])
}

// gone proposes to delete lines.
func (l *learner) gone(s *state, h hunk, old []string, where []string) bool {
	for _, place := range where {
		if len(old) > 1 {
			for _, first := range patterns(old[0]) {
				for _, last := range patterns(old[len(old)-1]) {
					if l.try(place+"on lines from "+first+" to "+last+" delete", General) {
						return true
					}
				}
			}
		}
		for _, line := range old {
			for _, p := range patterns(line) {
				if l.try(place+"on lines with "+p+" delete", General) {
					return true
				}
			}
		}
	}
	return l.near(s, h, "delete", len(old), where)
}

// added proposes to insert lines next to the ones around them.
func (l *learner) added(s *state, h hunk, fresh []string, where []string) bool {
	text := strings.Join(fresh, "\n")
	if len(fresh) == 1 {
		if key := keyOf(fresh[0]); strings.ContainsAny(key, "=:") {
			re := quoted(`^\s*` + regexp.QuoteMeta(strings.TrimRight(key, " \t=:")) + `\s*` + strings.TrimSpace(strings.TrimLeft(key, strings.TrimRight(key, " \t=:")))[:1])
			for _, place := range slices.Backward(where) {
				if q := quoted(strings.TrimSpace(fresh[0])); place != "" && re != "" && q != "" && l.try(place+"settle regex "+re+" as "+q, General) {
					return true
				}
			}
		}
	}
	above, below := "", ""
	if h.start > 0 {
		above = string(lines.Content(s.now[lines.Previous(s.now, 0, h.start):h.start]))
	}
	if h.start < len(s.now) {
		below = string(lines.Content(s.now[h.start:lines.Next(s.now, h.start, len(s.now))]))
	}
	var proposals []string
	add := func(form string, side string) {
		for _, unless := range []string{" unless present", ""} {
			for _, t := range []string{text, trimmedLines(fresh)} {
				statement := form + written("insert "+side, t)
				if strings.Contains(t, "\n") && unless != "" {
					statement += "\n" + strings.TrimSpace(unless)
				} else {
					statement += unless
				}
				proposals = append(proposals, statement)
			}
		}
	}
	if h.start == len(s.now) {
		add("", "at end")
	}
	if h.start == 0 {
		add("", "at top")
	}
	for _, place := range where {
		if place != "" {
			add(place, "below")
		}
		for _, p := range patterns(above) {
			add(place+"on lines with "+p+" ", "below")
		}
		for _, p := range patterns(below) {
			add(place+"on lines with "+p+" ", "above")
		}
	}
	for _, p := range proposals {
		if l.try(p, General) {
			return true
		}
	}
	next := hunk{start: h.start, end: lines.Next(s.now, h.start, len(s.now))}
	return h.start < len(s.now) && l.near(s, next, written("insert above", text), 1, where)
}

func trimmedLines(all []string) string {
	trimmed := make([]string, len(all))
	for i, line := range all {
		trimmed[i] = strings.TrimLeft(line, " \t")
	}
	return strings.Join(trimmed, "\n")
}

// numbers tells what is left by the numbers of lines, from the end, so that they hold.
func (l *learner) numbers() error {
	for _, s := range l.states {
		if len(l.states) > 1 {
			l.only = s.Name
		}
		if n := len(s.hunks); n > maxNumbers {
			return &CannotError{s.Name, fmt.Sprintf("%d places differ that no general statement tells", n)}
		}
		for len(s.hunks) > 0 {
			h := s.hunks[len(s.hunks)-1]
			before := s.cost
			if !l.number(s, h) || s.cost >= before {
				return &CannotError{s.Name, "the language has no statement for a part of it, such as one line's ending among others"}
			}
		}
	}
	l.only = ""
	return nil
}

// number takes a statement for a hunk by the numbers of its lines.
func (l *learner) number(s *state, h hunk) bool {
	first := lines.Number(s.now, h.start)
	old, fresh := contents(s.now[h.start:h.end]), contents(h.fresh)
	text := strings.Join(fresh, "\n")
	on := fmt.Sprintf("on line %d ", first)
	if len(old) > 1 {
		on = fmt.Sprintf("on lines %d to %d ", first, first+len(old)-1)
	}
	var forms []string
	switch {
	case len(fresh) == 0:
		forms = []string{on + "delete"}
	case len(old) > 0:
		forms = []string{on + written("rewrite as", text)}
	case h.start == len(s.now):
		forms = []string{written("insert at end", text)}
	case h.start == 0:
		forms = []string{written("insert at top", text)}
	default:
		forms = []string{fmt.Sprintf("on line %d ", first) + written("insert above", text), fmt.Sprintf("on line %d ", first-1) + written("insert below", text)}
	}
	l.budget = max(l.budget, len(forms))
	for _, f := range forms {
		if l.try(f, ByNumber) {
			return true
		}
	}
	return false
}
