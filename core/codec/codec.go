// Package codec is the one binary encoding of spooled and recorded data: numbers are variable-length integers
// (the varints of encoding/binary), and byte strings are preceded by their length. The encoding has no field
// names or types; a Decoder reads the values in the order in which they were appended.
package codec

import (
	"encoding/binary"
	"errors"
)

// An Encoder appends values to Text. The zero Encoder is ready to use.
type Encoder struct{ Text []byte }

// Int appends a signed number.
func (e *Encoder) Int(n int64) { e.Text = binary.AppendVarint(e.Text, n) }

// Uint appends a number that is not negative.
func (e *Encoder) Uint(n uint64) { e.Text = binary.AppendUvarint(e.Text, n) }

// Bytes appends a byte string.
func (e *Encoder) Bytes(b []byte) {
	e.Text = append(binary.AppendUvarint(e.Text, uint64(len(b))), b...)
}

// String appends a string.
func (e *Encoder) String(s string) {
	e.Text = append(binary.AppendUvarint(e.Text, uint64(len(s))), s...)
}

// Ints appends a list of numbers that are not negative.
func (e *Encoder) Ints(all []int) {
	e.Uint(uint64(len(all)))
	for _, n := range all {
		e.Uint(uint64(n))
	}
}

// ErrInvalid is the error of input that no Encoder wrote.
var ErrInvalid = errors.New("invalid encoding")

// A Decoder reads what an Encoder appended. After invalid input, Err is set, Text is empty, and
// every value read is zero.
type Decoder struct {
	Text []byte // not read yet
	Err  error  // ErrInvalid, or nil
}

// Fail sets Err.
func (d *Decoder) Fail() { d.Text, d.Err = nil, ErrInvalid }

// Int reads a signed number.
func (d *Decoder) Int() int64 {
	n, size := binary.Varint(d.Text)
	if size <= 0 {
		d.Fail()
		return 0
	}
	d.Text = d.Text[size:]
	return n
}

// Uint reads a number that is not negative.
func (d *Decoder) Uint() uint64 {
	if len(d.Text) > 0 && d.Text[0] < 0x80 { // as most are
		n := d.Text[0]
		d.Text = d.Text[1:]
		return uint64(n)
	}
	n, size := binary.Uvarint(d.Text)
	if size <= 0 {
		d.Fail()
		return 0
	}
	d.Text = d.Text[size:]
	return n
}

// maxOffset limits what Offset reads, so that sums of a few offsets do not overflow.
const maxOffset = 1 << 48

// Offset reads a number that is an offset or a length in bytes.
func (d *Decoder) Offset() int {
	n := d.Uint()
	if n > maxOffset {
		d.Fail()
		return 0
	}
	return int(n)
}

// Count reads the length of a list each of whose items takes at least size bytes, and fails if
// that many bytes do not follow, so that a damaged length allocates no memory.
func (d *Decoder) Count(size int) int {
	n := d.Uint()
	if n > uint64(len(d.Text)/size) {
		d.Fail()
		return 0
	}
	return int(n)
}

// Bytes reads a byte string, which shares memory with Text.
func (d *Decoder) Bytes() []byte {
	n := d.Uint()
	if n > uint64(len(d.Text)) {
		d.Fail()
		return nil
	}
	b := d.Text[:n:n]
	d.Text = d.Text[n:]
	return b
}

// String reads a string.
func (d *Decoder) String() string { return string(d.Bytes()) }

// Ints reads a list of numbers that are not negative.
func (d *Decoder) Ints() (all []int) {
	for range d.Count(1) {
		all = append(all, d.Offset())
	}
	return all
}
