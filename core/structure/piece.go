package structure

import (
	"bytes"
	"math"
)

// Piece says where a text stands in a larger one that is looked at piece by piece, whole
// lines each.
type Piece struct {
	Open *Open // what the pieces before it leave open, nil for nothing
	More bool  // others follow
	// Hold is told of lines, the bytes from from to to, that no piece may end within, to being
	// NoEnd where they go on behind the piece, and up to where lines were looked at to tell
	// so.
	Hold func(from, to, seen int)
	// Doubt is told of a byte from which on it is not known how the text reads: what begins
	// there may be a comment, or a tag, that ends behind the piece.
	Doubt func(from int)
}

// NoEnd is the end of what goes on behind a piece.
const NoEnd = math.MaxInt

// Open is what a text leaves open: the brackets and the elements that lines behind it may
// close. It is never changed.
type Open struct {
	brackets  *layer[bracket]
	counts    [kinds]int
	tags      *layer[openTag]
	tagCounts map[string]openTags
}

// In returns the same text as a piece of a larger one.
func (t *Text) In(p Piece) *Text {
	return &Text{Bytes: t.Bytes, syntax: t.syntax, starts: t.starts, piece: &p}
}

// Leaves returns what the larger text leaves open behind this piece.
func (t *Text) Leaves() *Open {
	t.bracketEnds()
	t.tags()
	open := t.open // which outlives the text
	return &open
}

// before is what is open where the text begins.
func (t *Text) before() Open {
	if t.piece == nil || t.piece.Open == nil {
		return Open{}
	}
	return *t.piece.Open
}

// goesOn reports whether more of the text follows.
func (t *Text) goesOn() bool { return t.piece != nil && t.piece.More }

// hold holds lines together: those that hold the bytes from from to to. The lines up to seen
// tell that they are; from is a line's start, seen an end.
func (t *Text) hold(from, to, seen int) {
	if !t.goesOn() {
		return
	}
	if to != NoEnd {
		to = t.Start(t.At(max(to-1, from)) + 1)
	}
	t.piece.Hold(t.Start(t.At(from)), to, max(to, seen))
}

// holdOn holds all from the line on that holds a byte.
func (t *Text) holdOn(from int) { t.hold(from, NoEnd, NoEnd) }

// doubt says that it is not known how to read the text from the line on that holds a byte.
func (t *Text) doubt(from int) {
	if t.goesOn() {
		t.piece.Doubt(t.Start(t.At(from)))
	}
}

// holdMark holds the lines of what begins at one byte and ends with a mark that ends at
// another: where that is the text's end, it may end behind it.
func (t *Text) holdMark(from, to int) {
	switch {
	case !t.goesOn():
	case to == len(t.Bytes):
		t.doubt(from)
	case bytes.IndexByte(t.Bytes[from:to], '\n') >= 0:
		t.hold(from, to, to)
	}
}

// stack is what is open, the last on top. What earlier pieces of a text left open is shared
// with them.
type stack[T any] struct {
	own   []T
	below *layer[T]
	left  int // of the items of below
}

// layer is what a piece left open that it opened, over what those before it did.
type layer[T any] struct {
	items []T
	below *layer[T]
}

func stackOn[T any](below *layer[T]) stack[T] {
	s := stack[T]{below: below}
	if below != nil {
		s.left = len(below.items)
	}
	return s
}

func (s *stack[T]) push(item T) { s.own = append(s.own, item) }

// top returns the last item, nil for none.
func (s *stack[T]) top() *T {
	if n := len(s.own); n > 0 {
		return &s.own[n-1]
	}
	if s.below == nil {
		return nil
	}
	return &s.below.items[s.left-1]
}

// pop takes the last item away.
func (s *stack[T]) pop() T {
	if n := len(s.own); n > 0 {
		item := s.own[n-1]
		s.own = s.own[:n-1]
		return item
	}
	s.left--
	item := s.below.items[s.left]
	if s.left == 0 {
		*s = stackOn(s.below.below)
	}
	return item
}

// layered returns the items, of which the stack's own ones are given as a later piece is to
// see them.
func (s *stack[T]) layered(seen func(T) T) *layer[T] {
	below := s.below
	if below != nil && s.left < len(below.items) {
		below = &layer[T]{below.items[:s.left], below.below}
	}
	if len(s.own) == 0 {
		return below
	}
	top := &layer[T]{make([]T, len(s.own)), below}
	for i, item := range s.own {
		top.items[i] = seen(item)
	}
	return top
}
