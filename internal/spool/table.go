package spool

// A Table is a list of pieces that can be replaced. Several goroutines may read and replace different pieces at
// once.
type Table struct {
	kept Spool
	refs []Ref
}

// Len returns the number of pieces.
func (t *Table) Len() int { return len(t.refs) }

// Grow makes room for n pieces in all, which are empty.
func (t *Table) Grow(n int) { t.refs = append(t.refs, make([]Ref, n-len(t.refs))...) }

// Add appends a piece.
func (t *Table) Add(piece []byte) error {
	r, err := t.kept.Append(piece)
	t.refs = append(t.refs, r)
	return err
}

// Set replaces piece i.
func (t *Table) Set(i int, piece []byte) (err error) {
	t.refs[i], err = t.kept.Append(piece)
	return err
}

// At reads piece i into the buffer, or a larger one.
func (t *Table) At(i int, buffer []byte) ([]byte, error) { return t.kept.Read(t.refs[i], buffer) }
