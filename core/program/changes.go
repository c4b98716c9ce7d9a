package program

import (
	"bytes"
	"slices"
	"sort"

	"frizzel/core/edit"
)

// changes collects the edits of one statement.
type changes struct {
	run   *run
	edits edit.List
	made  int   // accepted changes
	span  bool  // each change covers all edits of a span
	rules []int // the current rule, as edits refer to it

	// Positions of the translation to Input.Text and of the count of lines.
	begins  []int // for each edit of the run, the offset of its new text in the current text
	passed  int   // number of edits before the offset that was translated last
	last    Key
	line    int // lines before counted
	counted int
}

func (r *run) changes() *changes {
	return &changes{run: r, rules: []int{r.rule.Index}, last: Key{Origin: -1}}
}

// proposal returns the question about edits.
func (c *changes) proposal(edits edit.List) Proposal {
	r := c.run
	key := Key{Statement: r.statement, Origin: c.origin(edits[0].Start)}
	at := key.Origin
	if edits[0].Start < edits[0].End {
		at = c.behindTaken(at)
	}
	line := c.lineOf(at)
	if c.last.Origin == key.Origin {
		key.Nth = c.last.Nth + 1
	}
	c.last = key
	key.Origin += r.in.bytesBefore()
	return Proposal{Key: key, Rule: r.rule.Index, Line: r.in.linesBefore() + line, Edits: edits, Text: r.text.Bytes}
}

// lineOf returns the 1-based line of a byte of Input.Text.
func (c *changes) lineOf(at int) int {
	if at < c.counted {
		c.counted, c.line = 0, 0
	}
	c.line += bytes.Count(c.run.in.Text[c.counted:at], []byte("\n"))
	c.counted = at
	return c.line + 1
}

// behindTaken returns from, the last result of origin, moved behind the text that was deleted immediately
// before that byte.
func (c *changes) behindTaken(from int) int {
	for _, e := range c.run.edits[c.passed:] {
		if e.Start != from || len(e.New) > 0 {
			break
		}
		from = e.End
	}
	return from
}

// origin translates an offset of the current text to one of Input.Text: that of the same byte, or, for a new
// byte, that of the edit which wrote it.
func (c *changes) origin(at int) int {
	edits := c.run.edits
	if c.begins == nil {
		shift := 0
		c.begins = make([]int, len(edits))
		for i, e := range edits {
			c.begins[i] = e.Start + shift
			shift += len(e.New) - (e.End - e.Start)
		}
	}
	c.passed = sort.Search(len(edits), func(i int) bool { return at == c.begins[i] || at < c.begins[i]+len(edits[i].New) })
	switch {
	case c.passed < len(edits):
		e := edits[c.passed]
		return min(at-(c.begins[c.passed]-e.Start), e.Start)
	case len(edits) == 0:
		return at
	}
	last := len(edits) - 1
	return at - (c.begins[last] + len(edits[last].New) - edits[last].End)
}

// inserted reports whether the current text's byte at was written by a pure insertion.
func (c *changes) inserted(at int) bool {
	c.origin(at)
	if c.passed >= len(c.run.edits) {
		return false
	}
	e := c.run.edits[c.passed]
	return e.Start == e.End && at >= c.begins[c.passed]
}

// offer adds one change of one or more ordered edits, unless it is declined. It drops edits that do not alter
// the text; without any others there is no change.
func (c *changes) offer(edits ...edit.Edit) bool {
	if len(edits) > 0 {
		c.run.progress(edits[0].Start)
	}
	before := len(c.edits)
	text := c.run.text.Bytes
	if len(edits) > 0 {
		if c.edits == nil {
			c.edits, c.run.room = c.run.room, nil
		}
		c.edits = roomFor(c.edits, edits[0].Start, len(text), c.run.budget()/editSize)
	}
	for i := range edits {
		if e := &edits[i]; len(e.New) != e.End-e.Start || !bytes.Equal(text[e.Start:e.End], e.New) {
			e.Rules = c.rules
			c.edits = append(c.edits, *e)
		}
	}
	if len(c.edits) == before {
		return true
	}
	if !c.run.spend(c.edits[before:]) {
		c.edits = c.edits[:0]
		return false
	}
	if c.locked(c.edits[before:]) {
		c.run.release(c.edits[before:])
		c.edits = c.edits[:before]
		return false
	}
	if decide := c.run.in.Decide; decide != nil {
		answer := decide(c.proposal(c.edits[before:]))
		if answer.Leave {
			c.run.release(c.edits[before:])
			c.edits = c.edits[:before]
			return false
		}
		if answer.New != nil && len(c.edits) == before+1 {
			c.edits[before].New = answer.New
		}
	}
	c.made++
	return true
}

// locked reports, and notes, whether edits would change a locked part of a document.
func (c *changes) locked(edits edit.List) bool {
	d := c.run.in.Document
	if v := c.run.value; v != nil {
		for _, e := range edits {
			from := c.origin(e.Start)
			if why := v.shown.Locked(from, max(from, c.origin(e.End))); why != "" && !v.empty {
				c.run.note(e.Start, "not changed, since "+why)
				return true
			}
		}
	}
	if d == nil {
		return false
	}
	for _, e := range edits {
		from := c.origin(e.Start)
		to := max(from, c.origin(e.End))
		if why := d.Locked(from, to); why != "" {
			line := c.lineOf(from)
			text, place := "not changed, since "+why, d.Place(line)
			if place != "" {
				text += " (" + place + ")"
			}
			note, notes := Note{Rule: c.run.rule.Index, Line: line, Text: text}, c.run.result.Notes
			if n := len(notes); n == 0 || notes[n-1].Rule != note.Rule || notes[n-1].Line != line || notes[n-1].Text != text {
				note.Unchanged = &[]Unchanged{{line, place, string(c.run.text.Bytes[e.Start:e.End]), why}}
				c.run.result.Notes = append(notes, note)
			}
			return true
		}
	}
	return false
}

// roomFor returns found with capacity for one more element. Found at offset at of a text of size bytes, many
// elements let it extrapolate the capacity to the text's end, up to max elements.
func roomFor[T any](found []T, at, size, max int) []T {
	if n := len(found); n == cap(found) && n >= many {
		more := n * (size - at) / (at + 1) * 9 / 8
		return slices.Grow(found, min(more, max-n)+many)
	}
	return found
}

// order sorts the edits by offset.
func (c *changes) order() {
	for i := 1; i < len(c.edits); i++ {
		if c.edits[i].Start < c.edits[i-1].Start {
			slices.SortStableFunc(c.edits, func(a, b edit.Edit) int { return a.Start - b.Start })
			return
		}
	}
}

// commit applies the statement's changes to the current text and moves the enclosing spans.
func (c *changes) commit() {
	r := c.run
	if len(c.edits) == 0 || r.over {
		return
	}
	c.order()
	text := r.text.Bytes
	if !r.last { // the text after the last statement is not needed
		r.text = r.read(c.edits.Apply(text))
		for i := range r.stack {
			r.stack[i].spans = c.edits.Follow(r.stack[i].spans, text)
		}
	}
	r.unproven = true
	if len(r.edits) > 0 {
		r.room = c.edits[:0] // the composed list does not share its memory
	}
	r.edits, r.noted = edit.Compose(r.in.Text, text, r.edits, c.edits), nil
	r.settled()
	r.result.Changes[r.rule.Index] += c.made
	if c.span && r.oneSpan() {
		r.result.once = append(r.result.once, once{r.statement, r.rule.Index})
	}
}
