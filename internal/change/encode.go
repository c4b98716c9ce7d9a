package change

import (
	"encoding/binary"
	"errors"
	"maps"
	"slices"

	"frizzel/internal/digest"
	"frizzel/internal/disk"
)

// Encoder appends values to Text, as a Decoder reads them in the same order.
type Encoder struct{ Text []byte }

// Int appends a number.
func (e *Encoder) Int(n int64) { e.Text = binary.AppendVarint(e.Text, n) }

// Bytes appends bytes.
func (e *Encoder) Bytes(b []byte) {
	e.Text = append(binary.AppendUvarint(e.Text, uint64(len(b))), b...)
}

// String appends a string.
func (e *Encoder) String(s string) {
	e.Text = append(binary.AppendUvarint(e.Text, uint64(len(s))), s...)
}

// Digest appends a digest.
func (e *Encoder) Digest(d digest.Digest) {
	if d == (digest.Digest{}) {
		e.Text = append(e.Text, 0)
		return
	}
	e.Text = append(append(e.Text, byte(d.By)), d.Sum[:]...)
}

// Ints appends numbers.
func (e *Encoder) Ints(all []int) {
	e.Int(int64(len(all)))
	for _, n := range all {
		e.Int(int64(n))
	}
}

// ID appends an identity.
func (e *Encoder) ID(id disk.ID) {
	e.Text = binary.AppendUvarint(binary.AppendUvarint(e.Text, id.Device), id.Inode)
}

// Info appends what is known of a file without reading it.
func (e *Encoder) Info(i disk.Info) {
	e.ID(i.ID)
	for _, n := range []int64{int64(i.Kind), int64(i.Mode), int64(i.UID), int64(i.GID), int64(i.Links), i.Size, i.Modified, i.Changed} {
		e.Int(n)
	}
}

// Meta appends what a file is besides its content.
func (e *Encoder) Meta(m disk.Meta) {
	e.Int(int64(m.Mode))
	e.Int(int64(m.UID))
	e.Int(int64(m.GID))
	e.Int(int64(len(m.Attributes)))
	if len(m.Attributes) == 0 { // as of most files
		return
	}
	for _, name := range slices.Sorted(maps.Keys(m.Attributes)) {
		e.String(name)
		e.Bytes(m.Attributes[name])
	}
}

// ErrEncoding is the error of what no Encoder wrote.
var ErrEncoding = errors.New("it is not encoded as it should be")

// Decoder reads what an Encoder wrote. Where it is not that, Err is set, and all that is read
// from then on is zero.
type Decoder struct {
	Text []byte
	Err  error
}

func (d *Decoder) fail() { d.Text, d.Err = nil, ErrEncoding }

// Int reads a number.
func (d *Decoder) Int() int64 {
	n, size := binary.Varint(d.Text)
	if size <= 0 {
		d.fail()
		return 0
	}
	d.Text = d.Text[size:]
	return n
}

func (d *Decoder) unsigned() uint64 {
	n, size := binary.Uvarint(d.Text)
	if size <= 0 {
		d.fail()
		return 0
	}
	d.Text = d.Text[size:]
	return n
}

// Bytes reads bytes, which share those of Text.
func (d *Decoder) Bytes() []byte {
	n := d.unsigned()
	if n > uint64(len(d.Text)) {
		d.fail()
		return nil
	}
	b := d.Text[:n:n]
	d.Text = d.Text[n:]
	return b
}

// String reads a string.
func (d *Decoder) String() string { return string(d.Bytes()) }

// Digest reads a digest.
func (d *Decoder) Digest() (sum digest.Digest) {
	switch {
	case len(d.Text) > 0 && d.Text[0] == 0:
		d.Text = d.Text[1:]
	case len(d.Text) > len(sum.Sum) && d.Text[0] <= byte(digest.BLAKE3):
		sum.By = digest.Algorithm(d.Text[0])
		d.Text = d.Text[1+copy(sum.Sum[:], d.Text[1:]):]
	default:
		d.fail()
	}
	return sum
}

// Ints reads numbers.
func (d *Decoder) Ints() (all []int) {
	n := d.Int()
	if n < 0 || n > int64(len(d.Text)) {
		d.fail()
		return nil
	}
	for range n {
		all = append(all, int(d.Int()))
	}
	return all
}

// ID reads an identity.
func (d *Decoder) ID() disk.ID { return disk.ID{Device: d.unsigned(), Inode: d.unsigned()} }

// Info reads what is known of a file.
func (d *Decoder) Info() disk.Info {
	return disk.Info{
		ID: d.ID(), Kind: disk.Kind(d.Int()), Mode: uint32(d.Int()), UID: int(d.Int()), GID: int(d.Int()), Links: int(d.Int()),
		Size: d.Int(), Modified: d.Int(), Changed: d.Int(),
	}
}

// Meta reads what a file is besides its content.
func (d *Decoder) Meta() disk.Meta {
	m := disk.Meta{Mode: uint32(d.Int()), UID: int(d.Int()), GID: int(d.Int())}
	n := d.Int()
	if n < 0 || n > int64(len(d.Text)) {
		d.fail()
		return m
	}
	for range n {
		if m.Attributes == nil {
			m.Attributes = map[string][]byte{}
		}
		name := d.String()
		m.Attributes[name] = slices.Clone(d.Bytes())
	}
	return m
}
