package spool

import (
	"iter"

	"frizzel/core/edit"
)

// Edits is the edits of a source that is costly to read, kept as they are read first, unless they
// are too large for that. It is an [edit.Source], to be read by one at a time.
type Edits struct {
	Of edit.Source

	kept  Spool
	parts []Ref
	whole bool // all are kept
}

// together is the maximum number of edits in a piece.
const together = 1024

// maxEdits is the maximum size in bytes of spooled edits. Tests make it small.
var maxEdits = 256 << 20

// Len returns how many edits there are.
func (e *Edits) Len() int { return e.Of.Len() }

// Close releases the spool.
func (e *Edits) Close() {
	e.kept.Close()
	e.whole = false
}

// All yields the edits.
func (e *Edits) All() iter.Seq2[edit.Edit, error] {
	if e.whole {
		return e.again
	}
	return e.first
}

// first reads the source and spools its edits.
func (e *Edits) first(yield func(edit.Edit, error) bool) {
	e.Close()
	e.kept, e.parts = Spool{}, nil
	var some edit.List
	size, all := 0, 0 // bytes of some, and of all edits
	keep := func() error {
		r, err := e.kept.Append(some.Encode(nil))
		e.parts, some, size = append(e.parts, r), some[:0], 0
		return err
	}
	for one, err := range e.Of.All() {
		if all += len(one.New); err == nil && all <= maxEdits {
			some, size = append(some, one), size+len(one.New)
			if len(some) == together || size > held {
				err = keep()
			}
		}
		if !yield(one, err) || err != nil {
			return
		}
	}
	if all > maxEdits {
		e.kept.Close()
		return
	}
	if err := keep(); err != nil {
		yield(edit.Edit{}, err)
		return
	}
	e.whole = true
}

// again reads the spooled edits.
func (e *Edits) again(yield func(edit.Edit, error) bool) {
	for _, r := range e.parts {
		text, err := e.kept.Read(r, nil)
		var some edit.List
		if err == nil {
			some, err = edit.Decode(text)
		}
		if err != nil {
			yield(edit.Edit{}, err)
			return
		}
		for _, one := range some {
			if !yield(one, nil) {
				return
			}
		}
	}
}
