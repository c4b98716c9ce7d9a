package structure

import (
	"bytes"
	"math"
	"sort"

	"frizzel/core/edit"
)

// indented returns line i and the deeper-indented lines below it. A comment line has
// none, and a shallower one among them ends nothing; the items of a list may stand at the
// depth of the key above them.
func (t *Text) indented(i int) edit.Span {
	t.indents()
	own, below := t.depths[i], t.belows[i]
	if below == t.Count() {
		t.holdOn(t.Start(i))
	}
	last := t.lastText[below-1] // neither blank nor a comment
	if last <= i {
		return t.Lines(i, i+1)
	}
	// Comments behind it belong to it up to the first that is not deeper.
	tail := sort.Search(below-last-1, func(n int) bool { return t.shallowest[last+1+n] <= own })
	return t.Lines(i, t.withoutBlankEnd(last+1, last+1+tail))
}

// indents measures all lines.
func (t *Text) indents() {
	t.known()
	if t.belows != nil || t.Count() == 0 {
		return
	}
	n := t.Count()
	t.depths, t.belows, t.texts = make([]int, n), make([]int, n), make([]int, n)
	t.lastText, t.shallowest = make([]int, n), make([]int, n)
	last, least := -1, math.MaxInt
	for i := range n {
		line := t.Content(i)
		t.depths[i] = Depth(line)
		switch {
		case len(bytes.TrimSpace(line)) == 0:
		case t.IsComment(line):
			least = min(least, t.depths[i])
		default:
			last, least = i, math.MaxInt
		}
		t.lastText[i], t.shallowest[i] = last, least
	}
	text := n
	var open []int // lines below which nothing shallower has come yet, from the bottom up
	for i := n - 1; i >= 0; i-- {
		line := t.Content(i)
		if len(bytes.TrimSpace(line)) > 0 {
			text = i
		}
		t.texts[i] = text
		if t.belows[i] = i + 1; t.lastText[i] != i { // blank, or a comment
			continue
		}
		for len(open) > 0 && t.holds(i, open[len(open)-1]) {
			open = open[:len(open)-1]
		}
		if t.belows[i] = n; len(open) > 0 {
			t.belows[i] = open[len(open)-1]
		}
		open = append(open, i)
	}
}

// holds reports whether line j, below line i, is deeper, or an item of the list whose key
// line i is.
func (t *Text) holds(i, j int) bool {
	if t.depths[j] != t.depths[i] {
		return t.depths[j] > t.depths[i]
	}
	return opensList(t.Content(i)) && isItem(t.Content(j))
}

// Holds reports whether a line below another would be in the block that that one opens by
// its indentation.
func Holds(head, line []byte) bool {
	if a, b := Depth(head), Depth(line); a != b {
		return b > a
	}
	return opensList(head) && isItem(line)
}

// opensList reports whether a line is a key with nothing behind it.
func opensList(line []byte) bool {
	return !isItem(line) && bytes.HasSuffix(bytes.TrimRight(line, " \t"), []byte(":"))
}

// isItem reports whether a line is an item of a list.
func isItem(line []byte) bool {
	line = bytes.TrimLeft(line, " \t")
	return bytes.HasPrefix(line, []byte("- ")) || len(line) == 1 && line[0] == '-'
}
