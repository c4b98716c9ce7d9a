package edit

import (
	"slices"

	"frizzel/core/codec"
)

// Encode appends the list to dst as Decode reads it: offsets relative to the end of the edit
// before, rules only if they differ from that edit's. Sides are not encoded.
func (l List) Encode(dst []byte) []byte {
	to := codec.Encoder{Text: dst}
	to.Uint(uint64(len(l)))
	at := 0
	var rules []int
	for _, e := range l {
		to.Uint(uint64(e.Start - at))
		to.Uint(uint64(e.End - e.Start))
		to.Bytes(e.New)
		if slices.Equal(rules, e.Rules) {
			to.Uint(0)
		} else {
			rules = e.Rules
			to.Uint(uint64(len(rules)) + 1)
			for _, r := range rules {
				to.Uint(uint64(r))
			}
		}
		at = e.End
	}
	return to.Text
}

// minEncoded is the least number of bytes that an edit takes.
const minEncoded = 4

// Decode returns the list that Encode wrote. The edits' texts share memory with text, and
// neighbouring edits may share their slice of rules. The error is codec.ErrInvalid.
func Decode(text []byte) (List, error) { return DecodeInto(nil, text) }

// DecodeInto is Decode into the memory of room, which nobody may use any more.
func DecodeInto(room List, text []byte) (List, error) {
	d := codec.Decoder{Text: text}
	n := d.Count(minEncoded)
	l := slices.Grow(room[:0], n)[:n]
	at := 0
	var rules []int
	for i := range l {
		e := &l[i]
		e.Start = at + d.Offset()
		e.End = e.Start + d.Offset()
		e.New = d.Bytes()
		if k := d.Uint(); k > 0 {
			if rules = nil; k-1 > uint64(len(d.Text)) {
				return nil, codec.ErrInvalid
			}
			for range k - 1 {
				rules = append(rules, d.Offset())
			}
		}
		e.Rules, e.Side = rules, Within
		if at = e.End; d.Err != nil || e.Start < 0 || e.End < e.Start {
			return nil, codec.ErrInvalid
		}
	}
	if d.Err != nil || len(d.Text) > 0 {
		return nil, codec.ErrInvalid
	}
	return l, nil
}
