package structure

import (
	"slices"
	"sort"

	"frizzel/core/edit"
)

// Inner returns the blocks within the block of line i, from 0, that are deeper than its own
// level, ordered and apart: the lines of what lines below i open and close. In a block of
// brackets or elements only those make levels.
func (t *Text) Inner(i int) []edit.Gap {
	s, kind, ok := t.block(i)
	if !ok {
		return nil
	}
	end := t.At(s.End-1) + 1
	var found []pair
	switch kind {
	case byBrackets:
		found = t.innerBrackets(i, end)
	case byElement:
		found = t.innerElements(i, end)
	default:
		found = t.innerIndents(i, end)
	}
	var gaps []edit.Gap
	last := -1
	for _, p := range found {
		switch {
		case p.from > last:
			gaps = append(gaps, edit.Gap{Start: t.Start(p.from), End: t.Start(p.to + 1)})
		case p.to > last:
			gaps[len(gaps)-1].End = t.Start(p.to + 1)
		}
		last = max(last, p.to)
	}
	return gaps
}

// innerBrackets returns those that are opened and closed on lines of their own: the first
// line's are the block's, and so are those of a line that closes one of the block's and opens
// another.
func (t *Text) innerBrackets(i, end int) (found []pair) {
	heads := map[int]bool{i: true}
	if t.outer[i] == nothing {
		heads[t.nextText(i+1)] = true
	}
	first := sort.Search(len(t.pairs), func(k int) bool { return t.pairs[k].from >= i })
	for _, p := range t.pairs[first:] {
		switch {
		case p.from >= end:
			return found
		case heads[p.from]:
			heads[p.to] = true
		default:
			found = append(found, p)
		}
	}
	return found
}

// innerElements returns the elements that are opened below line i and go on below that.
func (t *Text) innerElements(i, end int) (found []pair) {
	tags := t.tags()
	from, to := t.Start(i+1), t.Start(end)
	first, _ := slices.BinarySearchFunc(tags, from, func(g tag, at int) int { return g.start - at })
	for _, g := range tags[first:] {
		if g.start >= to {
			break
		}
		if g.closing || g.end == never {
			continue
		}
		if a, b := t.At(g.start), t.At(g.end-1); a < b {
			found = append(found, pair{a, b})
		}
	}
	return found
}

// innerIndents returns the blocks of the lines below line i.
func (t *Text) innerIndents(i, end int) (found []pair) {
	for k := i + 1; k < end; k++ {
		s, ok := t.Block(k)
		if !ok {
			s = t.indented(k)
		}
		if last := t.At(s.End - 1); last > k {
			found = append(found, pair{k, min(last, end-1)})
			k = last
		}
	}
	return found
}

// OpensBeyond reports whether line i, from 0, opens a block that goes on behind the byte at
// end. Where lines are continued by their indentation, that makes no block.
func (t *Text) OpensBeyond(i, end int, continued bool) bool {
	s, kind, ok := t.block(i)
	return ok && s.End > end && !(continued && kind == byIndentation)
}

// Continued returns the line, from 0, behind line i and the deeper-indented lines below it.
func (t *Text) Continued(i int) int { return t.At(t.indented(i).End-1) + 1 }
