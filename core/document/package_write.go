package document

import (
	"bytes"
	"hash/crc32"
	"slices"

	"github.com/klauspost/compress/flate"

	"frizzel/core/edit"
)

// inOrder returns members by ascending offset.
func inOrder(members []*member) []*member {
	order := slices.Clone(members)
	slices.SortStableFunc(order, func(a, b *member) int { return a.header - b.header })
	return order
}

// replace returns the edits of the archive that give members new contents. Other bytes stay unchanged, except
// sizes, checksums and offsets.
func (a *archive) replace(fresh map[*member][]byte) (edit.List, error) {
	var edits edit.List
	number := func(at int, values ...uint32) {
		var text []byte
		for _, v := range values {
			text = little.AppendUint32(text, v)
		}
		edits = append(edits, edit.Edit{Start: at, End: at + len(text), New: text})
	}
	shift := 0
	for _, m := range inOrder(a.members) {
		if shift != 0 {
			number(m.entry+42, uint32(m.header+shift))
		}
		content, ok := fresh[m]
		if !ok {
			continue
		}
		packed, err := m.pack(content)
		if err != nil {
			return nil, err
		}
		told := []uint32{crc32.ChecksumIEEE(content), uint32(len(packed)), uint32(len(content))}
		for i, v := range told { // of those in a descriptor, the ones that stand here too
			if at := m.header + 14 + 4*i; m.flags&flagDescriptor == 0 || little.Uint32(a.raw[at:]) != 0 {
				number(at, v)
			}
		}
		if m.descriptor > 0 {
			number(m.descriptor, told...)
		}
		number(m.entry+16, told...)
		edits = append(edits, edit.Edit{Start: m.data, End: m.data + m.size, New: packed})
		shift += len(packed) - m.size
	}
	if shift != 0 {
		number(a.end+16, uint32(a.central+shift))
	}
	slices.SortFunc(edits, func(x, y edit.Edit) int { return x.Start - y.Start })
	return edits.Changing(a.raw), nil
}

// pack returns content compressed with the member's method.
func (m *member) pack(content []byte) ([]byte, error) {
	if m.method == stored {
		return content, nil
	}
	var out bytes.Buffer
	w, err := flate.NewWriter(&out, flate.DefaultCompression)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(content); err != nil {
		return nil, err
	}
	err = w.Close()
	return out.Bytes(), err
}
