package tree

import (
	"sort"

	"frizzel/core/syntax"
)

// Finder says in which values bytes of texts lie, of one text after another.
type Finder struct {
	Syntax syntax.Syntax
	text   []byte
	doc    *Document // nil if the text does not parse
	starts []int     // of its lines
	asked  int
}

// maxFound limits the number of queries about a text, and findable its size in bytes.
const (
	maxFound = 2000
	findable = 64 << 20
)

// At returns the path of the innermost value that contains a byte of text, or "". The text must not change
// between calls.
func (f *Finder) At(text []byte, at int) string {
	if !f.read(text) {
		return ""
	}
	for _, r := range f.doc.Roots {
		if n := f.doc.format.holding(r, at); n != nil {
			return f.doc.Path(n)
		}
	}
	return ""
}

// ValueAt returns the innermost value without members that contains a byte of text, and as the text writes it. It reports
// false if there is none.
func (f *Finder) ValueAt(text []byte, at int) (value, written string, ok bool) {
	if !f.read(text) {
		return "", "", false
	}
	for _, r := range f.doc.Roots {
		if n := f.doc.format.holding(r, at); n != nil {
			start, end := n.Written()
			return string(f.doc.Show(n).Text), string(text[start:end]), start < end
		}
	}
	return "", "", false
}

// AtLine is At for a byte of a line, from 1; what lies behind the last line is nowhere.
func (f *Finder) AtLine(text []byte, line, at int) string {
	if !f.read(text) || line < 1 || line > len(f.starts) {
		return ""
	}
	return f.At(text, f.starts[line-1]+at)
}

// read reads a text, unless it was read last.
func (f *Finder) read(text []byte) bool {
	if f == nil || len(text) == 0 || len(text) > findable || !f.Syntax.HasValues() {
		return false
	}
	if len(f.text) != len(text) || &f.text[0] != &text[0] {
		f.text, f.asked = text, 0
		f.doc, _ = Parse(f.Syntax, text)
		f.starts = lineStarts(text)
	}
	f.asked++
	return f.doc != nil && f.asked <= maxFound
}

// holding returns the innermost member of n that contains the byte at, or nil.
func (d plain) holding(n *Node, at int) *Node {
	i := sort.Search(len(n.Members), func(i int) bool {
		_, end := d.format.extent(n.Members[i])
		return end > at
	})
	if i == len(n.Members) {
		return nil
	}
	m := n.Members[i]
	if start, _ := d.format.extent(m); start > at {
		return nil
	}
	if inner := d.format.holding(m, at); inner != nil {
		return inner
	}
	if m.Kind == Characters {
		return nil
	}
	return m
}

// TakesReference reports whether a character reference may stand at a byte of a document of XML: in text outside CDATA
// sections, or in the value of an attribute.
func (d *Document) TakesReference(at int) bool {
	for _, r := range d.Roots {
		if n := d.innermost(r, at); n != nil {
			switch n.Kind {
			case Characters:
				return n.style != cdata
			case Attribute:
				return n.Start < at && at < n.End
			}
		}
	}
	return false
}

// innermost returns the innermost node below n that contains the byte at, or nil.
func (d *Document) innermost(n *Node, at int) *Node {
	i := sort.Search(len(n.Members), func(i int) bool { return n.Members[i].End > at })
	if i == len(n.Members) || n.Members[i].Start > at && (n.Members[i].Kind != Attribute || n.Members[i].Key > at) {
		return nil
	}
	if inner := d.innermost(n.Members[i], at); inner != nil {
		return inner
	}
	return n.Members[i]
}
