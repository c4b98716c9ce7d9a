package change

import (
	"maps"
	"slices"

	"frizzel/core/codec"
	"frizzel/internal/digest"
	"frizzel/internal/disk"
)

// An Encoder is a codec.Encoder for what changes and records hold besides numbers and strings.
type Encoder struct{ codec.Encoder }

// NewEncoder returns an Encoder with room for n bytes.
func NewEncoder(n int) *Encoder { return &Encoder{codec.Encoder{Text: make([]byte, 0, n)}} }

// Digest appends a digest.
func (e *Encoder) Digest(d digest.Digest) {
	if d == (digest.Digest{}) {
		e.Text = append(e.Text, 0)
		return
	}
	e.Text = append(append(e.Text, byte(d.By)), d.Sum[:]...)
}

// ID appends the identity of a file.
func (e *Encoder) ID(id disk.ID) {
	e.Uint(id.Device)
	e.Uint(id.Inode)
}

// Info appends a file's status.
func (e *Encoder) Info(i disk.Info) {
	e.ID(i.ID)
	for _, n := range []int64{int64(i.Kind), int64(i.Mode), int64(i.UID), int64(i.GID), int64(i.Links), i.Size, i.Modified, i.Changed} {
		e.Int(n)
	}
}

// Meta appends a file's metadata.
func (e *Encoder) Meta(m disk.Meta) {
	e.Int(int64(m.Mode))
	e.Int(int64(m.UID))
	e.Int(int64(m.GID))
	e.Uint(uint64(len(m.Attributes)))
	if len(m.Attributes) == 0 { // as of most files
		return
	}
	for _, name := range slices.Sorted(maps.Keys(m.Attributes)) {
		e.String(name)
		e.Bytes(m.Attributes[name])
	}
}

// A Decoder reads what an Encoder appended.
type Decoder struct{ codec.Decoder }

// NewDecoder returns a Decoder of text.
func NewDecoder(text []byte) *Decoder { return &Decoder{codec.Decoder{Text: text}} }

// Digest reads a digest.
func (d *Decoder) Digest() (sum digest.Digest) {
	switch {
	case len(d.Text) > 0 && d.Text[0] == 0:
		d.Text = d.Text[1:]
	case len(d.Text) > len(sum.Sum) && d.Text[0] <= byte(digest.BLAKE3):
		sum.By = digest.Algorithm(d.Text[0])
		d.Text = d.Text[1+copy(sum.Sum[:], d.Text[1:]):]
	default:
		d.Fail()
	}
	return sum
}

// ID reads the identity of a file.
func (d *Decoder) ID() disk.ID { return disk.ID{Device: d.Uint(), Inode: d.Uint()} }

// Info reads a file's status.
func (d *Decoder) Info() disk.Info {
	return disk.Info{
		ID: d.ID(), Kind: disk.Kind(d.Int()), Mode: uint32(d.Int()), UID: int(d.Int()), GID: int(d.Int()), Links: int(d.Int()),
		Size: d.Int(), Modified: d.Int(), Changed: d.Int(),
	}
}

// minAttribute is the least number of bytes that an extended attribute takes.
const minAttribute = 2

// Meta reads a file's metadata.
func (d *Decoder) Meta() disk.Meta {
	m := disk.Meta{Mode: uint32(d.Int()), UID: int(d.Int()), GID: int(d.Int())}
	for range d.Count(minAttribute) {
		if m.Attributes == nil {
			m.Attributes = map[string][]byte{}
		}
		name := d.String()
		m.Attributes[name] = slices.Clone(d.Bytes())
	}
	return m
}
