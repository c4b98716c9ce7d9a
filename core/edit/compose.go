package edit

import (
	"bytes"
	"slices"
)

// Compose returns the one list against text that does what first and then second
// do. middle is text with first applied; second is against middle. It takes one
// pass over both lists.
//
// Edits of the two lists that overlap in middle become one edit, which takes its
// new text from middle with second applied; all others keep their own. An edit of
// the result that does not alter the text is dropped.
func Compose(text, middle []byte, first, second List) List {
	switch {
	case len(first) == 0:
		return second
	case len(second) == 0:
		return first
	}
	c := composer{text: text, middle: middle, first: first, second: second}
	c.result = make(List, 0, len(first)+len(second))
	for c.i < len(first) || c.j < len(second) {
		c.group()
	}
	return c.result
}

// composer walks both lists in the order of their places in the middle text.
type composer struct {
	text, middle  []byte
	first, second List
	i, j          int
	shift         int // of middle against text, before first[i]
	result        List
}

// inMiddle returns the place in middle of what first[i] wrote.
func (c *composer) inMiddle(i, shift int) (start, end int) {
	e := c.first[i]
	return e.Start + shift, e.Start + shift + len(e.New)
}

// group takes the next edit and all that overlaps it, directly or through others,
// and appends the edit they make together.
func (c *composer) group() {
	i, j, shift := c.i, c.j, c.shift
	start, end, began := 0, 0, false
	// take widens the group by [s, e) and reports whether it belongs to it.
	take := func(s, e int) bool {
		if !began {
			start, end, began = s, e, true
			return true
		}
		if !meets(start, end, s, e) {
			return false
		}
		start, end = min(start, s), max(end, e)
		return true
	}
	for {
		fs, fe, ss, se := -1, -1, -1, -1
		if i < len(c.first) {
			fs, fe = c.inMiddle(i, shift)
		}
		if j < len(c.second) {
			ss, se = c.second[j].Start, c.second[j].End
		}
		fromFirst := fs >= 0 && (ss < 0 || fs < ss || fs == ss && before(fs, fe, ss, se))
		if fs < 0 && ss < 0 {
			break
		}
		if fromFirst && take(fs, fe) {
			shift += len(c.first[i].New) - (c.first[i].End - c.first[i].Start)
			i++
		} else if !fromFirst && take(ss, se) {
			j++
		} else {
			break
		}
	}
	c.emit(i, j, start, end, shift)
	c.i, c.j, c.shift = i, j, shift
}

// before orders two edits that begin at one place: an insertion comes before a
// replacement, so that only edits at the very same point meet there.
func before(fs, fe, ss, se int) bool {
	return fs == fe || ss != se
}

// meets reports whether [s, e), which does not begin before start, overlaps
// [start, end). Two that are empty at one point do, too.
func meets(start, end, s, e int) bool {
	if start == end && s == e {
		return start == s
	}
	if s < end {
		return s > start || e > s && end > start
	}
	return false
}

// emit appends the edit that first[c.i:i] and second[c.j:j] make of
// middle[start:end].
func (c *composer) emit(i, j, start, end, shift int) {
	firsts, seconds := c.first[c.i:i], c.second[c.j:j]
	if len(seconds) == 0 || len(firsts) == 0 {
		for _, e := range firsts {
			c.append(e)
		}
		for _, e := range seconds {
			e.Start, e.End = e.Start-c.shift, e.End-c.shift
			c.append(e)
		}
		return
	}
	e := Edit{Start: start - c.shift, End: end - shift}
	at := start
	for _, s := range seconds {
		e.New = append(e.New, c.middle[at:s.Start]...)
		e.New = append(e.New, s.New...)
		at = s.End
		e.Rules = union(e.Rules, s.Rules)
	}
	e.New = append(e.New, c.middle[at:end]...)
	for _, f := range firsts {
		e.Rules = union(e.Rules, f.Rules)
	}
	c.append(e)
}

func (c *composer) append(e Edit) {
	if !bytes.Equal(c.text[e.Start:e.End], e.New) {
		c.result = append(c.result, e)
	}
}

// union merges two ascending lists, sharing one of them where it holds the other.
func union(a, b []int) []int {
	if len(a) == 0 || slices.Equal(a, b) {
		return b
	}
	if len(b) == 1 && slices.Contains(a, b[0]) {
		return a
	}
	all := slices.Concat(a, b)
	slices.Sort(all)
	return slices.Compact(all)
}
