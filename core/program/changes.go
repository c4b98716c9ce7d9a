package program

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/structure"
)

// changes gathers the edits of one statement.
type changes struct {
	run   *run
	edits edit.List
	made  int   // changes taken
	span  bool  // each is all that is done to a span
	rules []int // the rule at work, as edits name it

	// Where a person is asked: how far places are carried back to Input.Text, and
	// lines counted.
	asked   int // the place asked for last
	passed  int // edits of the run
	shift   int // of the text as it is against Input.Text
	last    Key
	line    int // lines before counted
	counted int
}

func (r *run) changes() *changes {
	return &changes{run: r, rules: []int{r.rule.Index}, last: Key{Origin: -1}}
}

// proposal asks for the edits that were offered last.
func (c *changes) proposal(edits edit.List) Proposal {
	r := c.run
	key := Key{Statement: r.statement, Origin: c.origin(edits[0].Start)}
	line := c.lineOf(key.Origin)
	if edits[0].Start < edits[0].End {
		line = c.lineOf(c.behindTaken(key.Origin))
	}
	if c.last.Origin == key.Origin {
		key.Nth = c.last.Nth + 1
	}
	c.last = key
	key.Origin += r.in.bytesBefore()
	return Proposal{Key: key, Rule: r.rule.Index, Line: r.in.linesBefore() + line, Edits: edits, Text: r.text.Bytes}
}

// lineOf returns the line, from 1, of a byte of Input.Text.
func (c *changes) lineOf(at int) int {
	if at < c.counted {
		c.counted, c.line = 0, 0
	}
	c.line += bytes.Count(c.run.in.Text[c.counted:at], []byte("\n"))
	c.counted = at
	return c.line + 1
}

// behindTaken returns where the byte was read that stands where origin said last, behind what
// was taken away right before it.
func (c *changes) behindTaken(from int) int {
	for _, e := range c.run.edits[c.passed:] {
		if e.Start != from || len(e.New) > 0 {
			break
		}
		from = e.End
	}
	return from
}

// origin carries a place in the text as it is back to Input.Text: to where it stood,
// or to the edit that wrote it. Places mostly come in ascending order.
func (c *changes) origin(at int) int {
	if at < c.asked {
		c.passed, c.shift = 0, 0
	}
	c.asked = at
	for c.passed < len(c.run.edits) {
		e := c.run.edits[c.passed]
		start := e.Start + c.shift
		if at < start+len(e.New) || at == start {
			return min(at-c.shift, e.Start)
		}
		c.shift += len(e.New) - (e.End - e.Start)
		c.passed++
	}
	return at - c.shift
}

// offer adds one change, of one edit or more in order, unless it is declined.
// Edits that write what is there are dropped; a change of none is no change.
func (c *changes) offer(edits ...edit.Edit) bool {
	if len(edits) > 0 {
		c.run.progress(edits[0].Start)
	}
	before := len(c.edits)
	text := c.run.text.Bytes
	if len(edits) > 0 {
		c.edits = roomFor(c.edits, edits[0].Start, len(text))
	}
	for _, e := range edits {
		if !bytes.Equal(text[e.Start:e.End], e.New) {
			e.Rules = c.rules
			c.edits = append(c.edits, e)
		}
	}
	if len(c.edits) == before {
		return true
	}
	if decide := c.run.in.Decide; decide != nil {
		answer := decide(c.proposal(c.edits[before:]))
		if answer.Leave {
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

// roomFor returns what was found up to a byte of a text of size bytes with room for one more; if
// it is much, for about as many again as are still to come.
func roomFor[T any](found []T, at, size int) []T {
	if n := len(found); n == cap(found) && n >= many {
		return slices.Grow(found, n*(size-at)/max(at, 1)*9/8+many)
	}
	return found
}

// order puts the edits in the order of their places, which those of blocks that lie in each
// other's gaps may not be in.
func (c *changes) order() {
	if byPlace := func(a, b edit.Edit) int { return a.Start - b.Start }; !slices.IsSortedFunc(c.edits, byPlace) {
		slices.SortStableFunc(c.edits, byPlace)
	}
}

// commit makes the statement's changes: the text becomes the next one, and the
// spans around follow.
func (c *changes) commit() {
	r := c.run
	if len(c.edits) == 0 {
		return
	}
	c.order()
	text := r.text.Bytes
	if !r.last { // else nobody asks for the text that comes of it
		r.text = structure.New(c.edits.Apply(text), r.in.File.syntax())
		for i := range r.stack {
			r.stack[i].spans = c.edits.Follow(r.stack[i].spans, text)
		}
	}
	r.edits, r.noted = edit.Compose(r.in.Text, text, r.edits, c.edits), nil
	r.result.Changes[r.rule.Index] += c.made
	if c.span && r.oneSpan() {
		r.result.once = append(r.result.once, once{r.statement, r.rule.Index})
	}
}
