package program

import "maps"

// Counters are the counts of each statement over many texts: of its changes, and its pseudonyms. The Counters
// of a Result are immutable, so a text can be run again with the counts before it.
type Counters struct {
	changes    []int         // indexed by statement
	pseudonyms []*pseudonyms // indexed by statement; nil if it has none
	fresh      []map[string]int
}

// next returns a modifiable copy for the next text.
func (c Counters) next(statements int) Counters {
	n := Counters{changes: make([]int, statements), pseudonyms: make([]*pseudonyms, statements)}
	copy(n.changes, c.changes)
	copy(n.pseudonyms, c.pseudonyms)
	return n
}

// of returns the number of changes that a statement made.
func (c Counters) of(statement int) int {
	if statement >= len(c.changes) {
		return 0
	}
	return c.changes[statement]
}

// pseudonym returns the 1-based number of a text, and whether the number is new.
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

// forget removes the newest pseudonym of a statement; a text of "" is ignored.
func (c *Counters) forget(statement int, text string) {
	if text != "" {
		delete(c.fresh[statement], text)
	}
}

// keep makes the counters immutable at the end of a text.
func (c *Counters) keep() {
	for i, fresh := range c.fresh {
		c.pseudonyms[i] = c.pseudonyms[i].with(fresh)
	}
	c.fresh = nil
}

// pseudonyms numbers texts in the order of their first occurrence. It is an immutable list: a map of new
// texts and a pointer to the older ones. Maps are merged when their sizes are similar, so the list stays short.
type pseudonyms struct {
	older   *pseudonyms
	numbers map[string]int
	all     int // number of texts here and in the older maps
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
