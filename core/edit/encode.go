package edit

import (
	"encoding/binary"
	"errors"
	"slices"
)

// encoded is the first byte of an encoded list, which tells it from other forms.
const encoded = 1

// Encode appends a list to dst, as Decode reads it: numbers as varints, places against the
// edit before, rules only where they are others than that edit's. Sides are not kept.
func (l List) Encode(dst []byte) []byte {
	dst = append(dst, encoded)
	dst = binary.AppendUvarint(dst, uint64(len(l)))
	at := 0
	var rules []int
	for _, e := range l {
		dst = binary.AppendUvarint(dst, uint64(e.Start-at))
		dst = binary.AppendUvarint(dst, uint64(e.End-e.Start))
		dst = binary.AppendUvarint(dst, uint64(len(e.New)))
		dst = append(dst, e.New...)
		if slices.Equal(rules, e.Rules) {
			dst = append(dst, 0)
		} else {
			rules = e.Rules
			dst = binary.AppendUvarint(dst, uint64(len(rules))+1)
			for _, r := range rules {
				dst = binary.AppendUvarint(dst, uint64(r))
			}
		}
		at = e.End
	}
	return dst
}

// ErrEncoding is returned for what Encode did not write.
var ErrEncoding = errors.New("these are no edits")

// IsEncoded reports whether text begins as Encode does.
func IsEncoded(text []byte) bool { return len(text) > 0 && text[0] == encoded }

// Decode reads what Encode wrote. The edits' texts share text's bytes, and many edits one
// slice of rules.
func Decode(text []byte) (List, error) { return DecodeInto(nil, text) }

// DecodeInto is Decode into the memory of a list that nobody needs any more, or a larger one.
func DecodeInto(room List, text []byte) (List, error) {
	if !IsEncoded(text) {
		return nil, ErrEncoding
	}
	d := decoder{rest: text[1:]}
	n := d.number()
	if d.bad || n > len(d.rest)/4 { // an edit takes four bytes at least
		return nil, ErrEncoding
	}
	l := slices.Grow(room[:0], n)[:n]
	at := 0
	var rules []int
	for i := range l {
		e := &l[i]
		e.Start = at + d.number()
		e.End = e.Start + d.number()
		e.New = d.take(d.number())
		if k := d.number(); k > 0 {
			if rules = nil; k-1 > len(d.rest) {
				return nil, ErrEncoding
			}
			for range k - 1 {
				rules = append(rules, d.number())
			}
		}
		e.Rules, e.Side = rules, Within
		if at = e.End; d.bad || e.Start < 0 || e.End < e.Start {
			return nil, ErrEncoding
		}
	}
	if len(d.rest) > 0 {
		return nil, ErrEncoding
	}
	return l, nil
}

// decoder reads numbers and texts, until one is not there.
type decoder struct {
	rest []byte
	bad  bool
}

func (d *decoder) number() int {
	v, size := binary.Uvarint(d.rest)
	if size <= 0 || v > 1<<48 {
		d.bad, d.rest = true, nil
		return 0
	}
	d.rest = d.rest[size:]
	return int(v)
}

func (d *decoder) take(n int) []byte {
	if n > len(d.rest) {
		d.bad, d.rest = true, nil
		return nil
	}
	text := d.rest[:n:n]
	d.rest = d.rest[n:]
	return text
}
