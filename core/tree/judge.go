package tree

import (
	"errors"
	"fmt"
	"io"

	"frizzel/core/syntax"
)

// MayBe reports whether a text that begins with head may be of the syntax. A log of JSON, a value a
// line, is none: the first of them would have to be all.
func MayBe(s syntax.Syntax, head []byte) bool {
	f := formatOf(&Document{Syntax: s}, s)
	return f == nil || f.mayBe(head)
}

// judgedSize is the size in bytes up to which a text is judged by its tree; a larger one is only
// checked for validity if its format can do so.
const judgedSize = 64 << 20

// Judge returns an error if before parses in its syntax and after does not: a *SyntaxError, or a description of
// new duplicate names. It returns nil if before does not parse.
func Judge(s syntax.Syntax, before, after []byte) error {
	if s == syntax.CSV || s == syntax.BareCSV {
		return judgeRows(before, after)
	}
	if f := formatOf(&Document{Syntax: s}, s); f != nil && len(after) > judgedSize {
		if was, known := f.valid(before); known {
			if is, _ := f.valid(after); was && !is {
				return &SyntaxError{s, 0, fmt.Sprintf("it is not strict %s", s)}
			}
			return nil
		}
	}
	old, err := Parse(s, before)
	if err != nil {
		return nil
	}
	now, err := Parse(s, after)
	if err != nil {
		return err
	}
	if old.strict && !now.strict {
		return &SyntaxError{s, 0, "it has comments or commas that strict JSON has not"}
	}
	if was, is := old.doubled(), now.doubled(); is.n > was.n {
		return &SyntaxError{s, 0, fmt.Sprintf("%q stands twice in one object", is.name)}
	}
	return nil
}

// judgeRows returns an error if all rows of a table had as many cells before, and have not after.
func judgeRows(before, after []byte) error {
	d := &Document{Text: before}
	d.separator = d.mostFrequent()
	cells, _, err := d.width(before)
	if err != nil || cells < 0 {
		return nil
	}
	now, line, err := d.width(after)
	if err == nil && now < 0 {
		err = &SyntaxError{syntax.CSV, line, "this row has another number of cells than those above"}
	}
	return err
}

// width returns the number of cells that all rows of a text have, or -1 and the line of the first one that has another
// number. The error is a *SyntaxError.
func (d *Document) width(text []byte) (cells, line int, err error) {
	r := d.reader(text)
	r.ReuseRecord = true
	for {
		row, err := r.Read()
		switch {
		case errors.Is(err, io.EOF):
			return cells, 0, nil
		case err != nil:
			return 0, 0, csvFault(err)
		case cells == 0:
			cells = len(row)
		case len(row) != cells:
			line, _ = r.FieldPos(0)
			return -1, line, nil
		}
	}
}

// doubles are the names that occur several times in one object.
type doubles struct {
	n    int
	name string // the last of them
}

func (d *Document) doubled() (all doubles) {
	var walk func(n *Node)
	walk = func(n *Node) {
		if n.Kind == Object && len(n.Members) > 1 {
			seen := make(map[string]bool, len(n.Members))
			for _, m := range n.Members {
				if seen[m.Name] {
					all.n, all.name = all.n+1, m.Name
				}
				seen[m.Name] = true
			}
		}
		for _, m := range n.Members {
			walk(m)
		}
	}
	for _, r := range d.Roots {
		walk(r)
	}
	return all
}
