package change

import (
	"iter"
	"slices"
	"sync"

	"frizzel/core/edit"
	"frizzel/internal/disk"
	"frizzel/internal/spool"
)

// Set is changes by their numbers, from 0.
type Set interface {
	Len() int
	// At returns a copy of change i.
	At(i int) (Change, error)
}

// List is changes that are held.
type List []Change

// Len returns the number of changes.
func (l List) Len() int { return len(l) }

// At returns change i.
func (l List) At(i int) (Change, error) { return l[i], nil }

// Spooled is a list of changes that may be too large for memory. Changes, and their edits unless those are on disk
// already, are spooled to disk. The zero Spooled is ready to use.
type Spooled struct {
	table   spool.Table
	sources map[int]edit.Source // of edits that are not held
	encoder Encoder
}

// Len returns the number of changes.
func (k *Spooled) Len() int { return k.table.Len() }

// Add appends a change.
func (k *Spooled) Add(c Change) error {
	e := &k.encoder
	e.Text = e.Text[:0]
	e.String(c.Path)
	e.String(c.Dir)
	e.String(c.Name)
	e.ID(c.In)
	e.String(string(c.Op))
	e.String(string(c.Role))
	e.String(c.NewName)
	e.Int(int64(c.Kind))
	e.String(c.Target)
	e.String(c.NewTarget)
	e.Int(int64(c.Of))
	e.Digest(c.Before)
	e.Int(c.Print.Size)
	e.Int(int64(c.Print.Sum))
	e.Digest(c.After)
	e.Ints(c.Rules)
	e.Meta(c.Meta)
	if list, ok := c.Edits.(edit.List); ok {
		e.Text = list.Encode(e.Text)
	} else {
		if k.sources == nil {
			k.sources = map[int]edit.Source{}
		}
		k.sources[k.table.Len()] = c.Edits
	}
	return k.table.Add(e.Text)
}

// At returns change i.
func (k *Spooled) At(i int) (Change, error) {
	text, err := k.table.At(i, nil)
	if err != nil {
		return Change{}, err
	}
	d := NewDecoder(text)
	c := Change{
		Path: d.String(), Dir: d.String(), Name: d.String(), In: d.ID(), Op: Op(d.String()), Role: Role(d.String()),
		NewName: d.String(), Kind: disk.Kind(d.Int()), Target: d.String(), NewTarget: d.String(), Of: int(d.Int()),
		Before: d.Digest(), Print: Print{d.Int(), uint64(d.Int())}, After: d.Digest(), Rules: d.Ints(), Meta: d.Meta(),
	}
	if d.Err != nil {
		return c, d.Err
	}
	if source, ok := k.sources[i]; ok {
		c.Edits = source
		return c, nil
	}
	c.Edits, err = edit.Decode(slices.Clip(d.Text))
	return c, err
}

// ahead is the number of changes that are read in advance.
const ahead = 256

// All yields the changes. While some are at work the next ones are read.
func (k *Spooled) All() iter.Seq2[Change, error] {
	type read struct {
		Change
		error
	}
	return func(yield func(Change, error) bool) {
		some, ended := make(chan []read, 1), make(chan struct{})
		var reading sync.WaitGroup
		defer reading.Wait()
		defer close(ended)
		reading.Go(func() {
			defer close(some)
			for first := 0; first < k.Len(); first += ahead {
				part := make([]read, 0, ahead)
				for i := first; i < min(first+ahead, k.Len()); i++ {
					c, err := k.At(i)
					part = append(part, read{c, err})
				}
				select {
				case some <- part:
				case <-ended:
					return
				}
			}
		})
		for part := range some {
			for _, r := range part {
				if !yield(r.Change, r.error) || r.error != nil {
					return
				}
			}
		}
	}
}

// Without returns the changes for which left is false.
func (k *Spooled) Without(left func(i int, c *Change) bool) (*Spooled, error) {
	rest := &Spooled{}
	for i := range k.Len() {
		c, err := k.At(i)
		if err == nil && !left(i, &c) {
			err = rest.Add(c)
		}
		if err != nil {
			return nil, err
		}
	}
	return rest, nil
}
