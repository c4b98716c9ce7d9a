package program

import "maps"

// Counters are what each statement counts through many texts: its changes, and the texts
// that it gave pseudonyms to. Those of a Result are never changed, so that a text may be
// run again with what came before it.
type Counters struct {
	changes    []int         // by statement
	pseudonyms []*pseudonyms // by statement, nil for none
	fresh      []map[string]int
}

// next returns the counters for a text that comes after these.
func (c Counters) next(statements int) Counters {
	n := Counters{changes: make([]int, statements), pseudonyms: make([]*pseudonyms, statements)}
	copy(n.changes, c.changes)
	copy(n.pseudonyms, c.pseudonyms)
	return n
}

// of returns how many changes a statement made.
func (c Counters) of(statement int) int {
	if statement >= len(c.changes) {
		return 0
	}
	return c.changes[statement]
}

// pseudonym returns the number of a text, from 1, and whether it is a new one.
func (c *Counters) pseudonym(statement int, text string) (n int, fresh bool) {
	if n, ok := c.pseudonyms[statement].number(text); ok {
		return n, false
	}
	if c.fresh == nil {
		c.fresh = make([]map[string]int, len(c.changes))
	}
	if c.fresh[statement] == nil {
		c.fresh[statement] = map[string]int{}
	}
	n, ok := c.fresh[statement][text]
	if !ok {
		n = c.pseudonyms[statement].count() + len(c.fresh[statement]) + 1
		c.fresh[statement][text] = n
	}
	return n, !ok
}

// forget takes back the newest pseudonym of a statement, "" for none.
func (c *Counters) forget(statement int, text string) {
	if text != "" {
		delete(c.fresh[statement], text)
	}
}

// keep ends a text.
func (c *Counters) keep() {
	for i, fresh := range c.fresh {
		c.pseudonyms[i] = c.pseudonyms[i].with(fresh)
	}
	c.fresh = nil
}

// pseudonyms numbers texts in the order in which they came. It is never changed: each
// holds what is new and the older ones, which are merged so that there are few of them.
type pseudonyms struct {
	older   *pseudonyms
	numbers map[string]int
	all     int // numbered here and in the older ones
}

func (p *pseudonyms) count() int {
	if p == nil {
		return 0
	}
	return p.all
}

func (p *pseudonyms) number(text string) (int, bool) {
	for ; p != nil; p = p.older {
		if n, ok := p.numbers[text]; ok {
			return n, true
		}
	}
	return 0, false
}

func (p *pseudonyms) with(fresh map[string]int) *pseudonyms {
	if len(fresh) == 0 {
		return p
	}
	n := &pseudonyms{p, fresh, p.count() + len(fresh)}
	for n.older != nil && len(n.older.numbers) <= 2*len(n.numbers) {
		numbers := maps.Clone(n.older.numbers)
		maps.Copy(numbers, n.numbers)
		n = &pseudonyms{n.older.older, numbers, n.all}
	}
	return n
}
