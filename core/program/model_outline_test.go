package program_test

import (
	"strings"
)

// The outline of a text in a small world: braces, the element a, indentation, headers in brackets, and comments
// with #. It is read from the page on outlines, part by part: what opens and closes, then headers, then indentation.

// item is what begins on a line.
type item struct {
	kind     string // blank, comment, entry, block or section
	by       string // of a block: {, <, or "" for indentation
	to       int    // the line after it
	parent   int
	unclosed bool
	inner    bool // it opens or closes the block around it
}

// outline reads the model's lines.
func (m *model) outline() []item {
	o := &outliner{m: m, items: make([]item, len(m.lines)), ends: map[int]int{}, by: map[int]string{}, from: map[int]int{}, lost: map[int]bool{}}
	o.pair()
	o.body(0, len(m.lines), -1)
	return o.items
}

type outliner struct {
	m     *model
	items []item
	ends  map[int]int    // by line: where what it opens is closed
	by    map[int]string // by line: what that is
	from  map[int]int    // by line: the first line that opened what it closes
	lost  map[int]bool   // lines that open what is never closed
}

func (o *outliner) text(i int) string   { return code(o.m.lines[i].text) }
func (o *outliner) inside(i int) string { return strings.TrimSpace(o.text(i)) }
func (o *outliner) column(i int) int    { return indent(o.m.lines[i].text) }

// pair matches what opens with what closes it.
func (o *outliner) pair() {
	type open struct {
		kind string
		line int
	}
	var stack []open
	close := func(kind string, i int) {
		for n := len(stack) - 1; n >= 0; n-- {
			if stack[n].kind != kind {
				continue
			}
			for _, lost := range stack[n+1:] {
				o.lost[lost.line] = true
			}
			from := stack[n].line
			stack = stack[:n]
			if from == i {
				return
			}
			if i > o.ends[from] {
				o.ends[from], o.by[from] = i, kind
			}
			if first, ok := o.from[i]; !ok || from < first {
				o.from[i] = from
			}
			return
		}
	}
	for i := range o.m.lines {
		text := o.text(i)
		first := strings.TrimLeft(text, " \t")
		switch {
		case strings.HasPrefix(first, "</a>"):
			close("<", i)
		case strings.HasPrefix(first, "<a>") && !strings.Contains(first[3:], "</a>"):
			stack = append(stack, open{"<", i})
		}
		for _, c := range text {
			switch c {
			case '{':
				stack = append(stack, open{"{", i})
			case '}':
				close("{", i)
			}
		}
	}
	for _, lost := range stack {
		o.lost[lost.line] = true
	}
}

// part is an item of a body, before its indentation is looked at.
type part struct {
	from, to int
	hard     bool // it is closed by its last line
	inner    bool // it closes something that the lines of the block around it opened
}

// body reads the lines [lo, hi) within the block that line parent opens.
func (o *outliner) body(lo, hi, parent int) {
	var parts []part
	for i := lo; i < hi; {
		_, closes := o.from[i]
		p := part{from: i, to: i + 1, inner: closes && parent >= 0 && !o.isComment(i)}
		if end, ok := o.hard(i); ok && !p.inner {
			p.to, p.hard = end+1, true
		}
		parts = append(parts, p)
		i = p.to
	}
	// sections
	for k := 0; k < len(parts); {
		next := k
		if !o.isHeader(parts[k], parent) {
			for next < len(parts) && !o.isHeader(parts[next], parent) {
				next++
			}
			end := o.before(parts, k, next, next < len(parts))
			o.level(parts[k:end], parent)
			o.loose(parts[end:next], parent)
			k = next
			continue
		}
		for next = k + 1; next < len(parts) && !o.isHeader(parts[next], parent); {
			next++
		}
		end := o.before(parts, k, next, next < len(parts))
		for end > k+1 && o.m.blank(parts[end-1].from) {
			end--
		}
		header := parts[k].from
		o.items[header] = item{kind: "section", to: parts[end-1].to, parent: parent}
		o.level(parts[k+1:end], header)
		o.loose(parts[end:next], parent)
		k = next
	}
}

// before returns the end of the parts from k to next without the comments that touch a header behind them.
func (o *outliner) before(parts []part, k, next int, header bool) int {
	for header && next > k+1 && o.isComment(parts[next-1].from) {
		next--
	}
	if header && next == k+1 && o.isComment(parts[k].from) {
		next--
	}
	return next
}

// loose reads blank lines and comments that belong to what is around.
func (o *outliner) loose(parts []part, parent int) {
	for _, p := range parts {
		o.items[p.from] = item{kind: o.kind(p.from), to: p.to, parent: parent}
	}
}

func (o *outliner) isComment(i int) bool { return comment(o.m.lines[i].text) && !o.lost[i] }

func (o *outliner) kind(i int) string {
	switch {
	case o.m.blank(i):
		return "blank"
	case o.isComment(i):
		return "comment"
	}
	return "entry"
}

func (o *outliner) isHeader(p part, parent int) bool {
	for up := parent; up >= 0; up = o.items[up].parent {
		if o.items[up].by == "{" {
			return false
		}
	}
	text := o.inside(p.from)
	return !p.hard && !p.inner && strings.HasPrefix(text, "[") && strings.HasSuffix(text, "]") && len(text) > 2 && o.kind(p.from) == "entry"
}

// hard returns the closing line of what line i opens, if that is closed.
func (o *outliner) hard(i int) (int, bool) {
	if o.kind(i) != "entry" {
		return 0, false
	}
	end, ok := o.ends[i]
	if !ok {
		if _, closing, below := o.below(i); below && closing >= 0 {
			end, ok = closing, true
		}
	}
	if !ok {
		return 0, false
	}
	for { // } else {
		again, opens := o.ends[end]
		if !opens || o.from[end] < i {
			return end, true
		}
		end = again
	}
}

// below returns the line below line i whose brace is its own, and the line that closes that, -1 if none does.
func (o *outliner) below(i int) (next, closing int, ok bool) {
	text := strings.TrimRight(o.text(i), " \t")
	if o.lost[i] || text != "" && strings.ContainsAny(text[len(text)-1:], ",;}]") || o.kind(i) != "entry" {
		return 0, 0, false
	}
	next = i + 1
	for next < len(o.m.lines) && o.m.blank(next) {
		next++
	}
	if next == len(o.m.lines) || o.kind(next) != "entry" || !strings.HasPrefix(o.inside(next), "{") {
		return 0, 0, false
	}
	depth, leads := 0, true // whether the first brace is open at the line's end
	for _, c := range o.inside(next) {
		switch c {
		case '{':
			depth++
		case '}':
			if depth--; depth == 0 {
				leads = false
			}
		}
		if depth < 0 {
			break
		}
	}
	end, closed := o.ends[next]
	_, closes := o.from[next]
	switch {
	case leads && closed && !closes:
		return next, end, true
	case leads && o.lost[next]:
		return next, -1, true
	case !closed:
		return next, next, true
	}
	return 0, 0, false
}

// level reads parts of one parent by their indentation.
func (o *outliner) level(parts []part, parent int) {
	for k := 0; k < len(parts); {
		p := parts[k]
		i := p.from
		it := item{kind: o.kind(i), to: p.to, parent: parent}
		lone := it.kind == "entry" && o.unclosedAbove(i)
		_, closing, below := o.below(i)
		switch {
		case p.hard:
			if it.kind, it.by = "block", o.by[i]; it.by == "" {
				it.by = "{"
			}
			o.items[i] = it
			o.within(p)
			k++
			continue
		case it.kind != "entry":
		case p.inner:
			it.inner = true
		case !lone && (o.lost[i] || below && closing < 0):
			it.kind, it.unclosed = "block", true
		default:
			it.inner = lone
			if end := o.deeper(parts, k); end > k+1 {
				it.kind, it.to = "block", parts[end-1].to
				o.items[i] = it
				o.level(parts[k+1:end], i)
				k = end
				continue
			}
		}
		o.items[i] = it
		k++
	}
}

// unclosedAbove reports whether line i is a brace that is never closed, of the line above.
func (o *outliner) unclosedAbove(i int) bool {
	above := i - 1
	for above > 0 && o.m.blank(above) {
		above--
	}
	if above < 0 {
		return false
	}
	next, closing, below := o.below(above)
	return below && closing < 0 && next == i && o.items[above].unclosed
}

// within reads what is inside a part that its last line closes.
func (o *outliner) within(p part) {
	last := p.to - 1
	lo := p.from + 1
	if _, own := o.ends[p.from]; !own { // the brace on the next line
		for lo < last && o.m.blank(lo) {
			o.items[lo] = item{kind: "blank", to: lo + 1, parent: p.from}
			lo++
		}
		if lo < last {
			o.items[lo] = item{kind: "entry", to: lo + 1, parent: p.from, inner: true}
			lo++
		}
	}
	o.body(lo, last, p.from)
	if o.items[last].kind == "" {
		o.items[last] = item{kind: "entry", to: last + 1, parent: p.from, inner: true}
	}
}

// deeper returns the end of the parts below part k that belong to it by their indentation.
func (o *outliner) deeper(parts []part, k int) int {
	own, last := o.column(parts[k].from), k
	end := k + 1
	for ; end < len(parts); end++ {
		i := parts[end].from
		switch {
		case o.kind(i) != "entry":
			continue
		case o.column(i) > own && !parts[end].inner:
			last = end
			continue
		}
		break
	}
	if last == k {
		return k + 1
	}
	for next := last + 1; next < end; next++ {
		i := parts[next].from
		if o.m.blank(i) {
			continue
		}
		if o.column(i) <= own {
			break
		}
		last = next
	}
	return last + 1
}
