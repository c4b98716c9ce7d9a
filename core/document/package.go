package document

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"io"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/klauspost/compress/flate"
)

// An archive is a zip file (APPNOTE.TXT, 6.3.10) of the simple form that packages use: one disk, no ZIP64, no
// encryption, members in sequence from the first byte, with equal fields in the local header and in the central
// directory. archive/zip is not used because it does not return the offsets of central entries and data
// descriptors, which are edited in place here to leave all other bytes unchanged, and because it accepts
// overlapping members.
type archive struct {
	raw     []byte
	members []*member // in the order of the central directory
	byName  map[string]*member
	central int // offset of the central directory
	end     int // offset of the end record
	read    int // bytes inflated so far
}

// A member is a file in an archive. Offsets are bytes of the archive.
type member struct {
	name       string
	entry      int // offset of its entry in the central directory
	header     int // offset of its local header
	data, size int // offset and length of the stored data
	descriptor int // offset of the fields of its data descriptor; 0 if there is none
	plain      int // inflated size in bytes
	sum        uint32
	method     uint16
	flags      uint16
}

const (
	stored   = 0
	deflated = 8

	flagEncrypted  = 1 << 0
	flagDescriptor = 1 << 3
	flagPatched    = 1<<5 | 1<<6 | 1<<13
	flagHints      = 1<<1 | 1<<2 | 1<<11 // how hard it was compressed, and that its name is UTF-8, as every one here is
)

// Limits in bytes on a part's inflated size and on their sum, and the ratio of inflated to stored bytes that
// a large part may have.
const (
	maxPart    = 256 << 20
	maxOfAll   = 512 << 20
	maxRatio   = 400
	ratioFrom  = 16 << 20
	maxMembers = 20000
)

var little = binary.LittleEndian

// unpack reads the central directory of an archive.
func unpack(raw []byte) (*archive, error) {
	a := &archive{raw: raw, byName: map[string]*member{}}
	if a.end = endRecord(raw); a.end < 0 {
		return nil, damaged("the end of the package is missing: it is cut off, or no zip file")
	}
	r := raw[a.end:]
	count, size, from := int(little.Uint16(r[10:])), int(little.Uint32(r[12:])), int(little.Uint32(r[16:]))
	switch {
	case little.Uint32(r[4:]) != 0 || int(little.Uint16(r[8:])) != count:
		return nil, damaged("the package is spread over several disks")
	case count == 0xffff || from == 0xffffffff || size == 0xffffffff:
		return nil, damaged("the package is in ZIP64 form, which is for files of 4 GiB and more")
	case from+size != a.end:
		return nil, damaged("the package's directory does not end where it says: something stands before or behind it")
	case count > maxMembers:
		return nil, damaged("the package has %d members; up to %d are read", count, maxMembers)
	}
	a.central = from
	at := from
	for range count {
		m, next, err := a.entry(at)
		if err != nil {
			return nil, err
		}
		if a.byName[strings.ToLower(m.name)] != nil {
			return nil, damaged("two members of the package are called %q", m.name)
		}
		a.byName[strings.ToLower(m.name)] = m
		a.members = append(a.members, m)
		at = next
	}
	if at != a.end {
		return nil, damaged("the package's directory has more in it than it says")
	}
	return a, a.follow()
}

// endRecord returns the offset of the end record, or -1. White space may follow it.
func endRecord(raw []byte) int {
	const size = 22
	for at := len(raw) - size; at >= 0 && at >= len(raw)-size-0xffff; at-- {
		if raw[at] == 'P' && bytes.HasPrefix(raw[at:], []byte("PK\x05\x06")) && len(bytes.TrimLeft(raw[min(at+size+int(little.Uint16(raw[at+20:])), len(raw)):], " \r\n")) == 0 {
			return at
		}
	}
	return -1
}

// entry reads the central entry at the offset at and the member's local header. It returns the next entry's
// offset.
func (a *archive) entry(at int) (*member, int, error) {
	const size, own = 46, 30
	if at+size > a.end || !bytes.HasPrefix(a.raw[at:], []byte("PK\x01\x02")) {
		return nil, 0, damaged("the package's directory is damaged")
	}
	e := a.raw[at:]
	name, extra, comment := int(little.Uint16(e[28:])), int(little.Uint16(e[30:])), int(little.Uint16(e[32:]))
	next := at + size + name + extra + comment
	if next > a.end {
		return nil, 0, damaged("the package's directory is damaged")
	}
	m := &member{
		name: string(e[size : size+name]), entry: at, flags: little.Uint16(e[8:]), method: little.Uint16(e[10:]), sum: little.Uint32(e[16:]),
		size: int(little.Uint32(e[20:])), plain: int(little.Uint32(e[24:])), header: int(little.Uint32(e[42:])),
	}
	if err := m.check(); err != nil {
		return nil, 0, err
	}
	if m.header+own > a.central || !bytes.HasPrefix(a.raw[m.header:], []byte("PK\x03\x04")) {
		return nil, 0, damaged("the package's member %q is not where its directory says", m.name)
	}
	h := a.raw[m.header:]
	m.data = m.header + own + int(little.Uint16(h[26:])) + int(little.Uint16(h[28:]))
	if m.data+m.size > a.central {
		return nil, 0, damaged("the package's member %q goes beyond its end", m.name)
	}
	if string(h[own:own+min(len(h)-own, int(little.Uint16(h[26:])))]) != m.name || little.Uint16(h[8:]) != m.method || (little.Uint16(h[6:])^m.flags)&^flagHints != 0 {
		return nil, 0, damaged("the package's member %q is told otherwise in its directory", m.name)
	}
	told := [3]uint32{little.Uint32(h[14:]), little.Uint32(h[18:]), little.Uint32(h[22:])}
	said := [3]uint32{m.sum, uint32(m.size), uint32(m.plain)}
	for i, n := range told { // those in a descriptor may be 0 here
		if n != said[i] && (m.flags&flagDescriptor == 0 || n != 0) {
			return nil, 0, damaged("the package's member %q is told otherwise in its directory", m.name)
		}
	}
	return m, next, nil
}

func (m *member) check() error {
	for step := range strings.SplitSeq(m.name, "/") {
		if step == ".." {
			return damaged("the package's member %q is named beyond the package", m.name)
		}
	}
	switch {
	case m.name == "" || strings.HasPrefix(m.name, "/") || strings.ContainsAny(m.name, "\\\x00") || !utf8.ValidString(m.name):
		return damaged("the package's member %q has a name that is not a path in it", m.name)
	case m.flags&flagEncrypted != 0:
		return ErrEncrypted
	case m.flags&flagPatched != 0:
		return damaged("the package's member %q is stored in a way that is not known here", m.name)
	}
	return nil
}

// follow returns an error if members overlap or leave gaps between them.
func (a *archive) follow() error {
	order := inOrder(a.members)
	at := 0
	for i, m := range order {
		if m.header != at {
			if m.header < at {
				return damaged("the package's members %q and %q overlap", order[max(i-1, 0)].name, m.name)
			}
			return damaged("something stands before the package's member %q that belongs to none", m.name)
		}
		at = m.data + m.size
		if m.flags&flagDescriptor == 0 {
			continue
		}
		next := a.central
		if i+1 < len(order) {
			next = order[i+1].header
		}
		m.descriptor = at
		if next-at == 16 && bytes.HasPrefix(a.raw[at:], []byte("PK\x07\x08")) {
			m.descriptor += 4
		} else if next-at != 12 {
			return damaged("what stands behind the package's member %q is not what its directory says", m.name)
		}
		d := a.raw[m.descriptor:]
		if little.Uint32(d) != m.sum || int(little.Uint32(d[4:])) != m.size || int(little.Uint32(d[8:])) != m.plain {
			return damaged("what stands behind the package's member %q is not what its directory says", m.name)
		}
		at = m.descriptor + 12
	}
	if at != a.central {
		return damaged("something stands behind the package's members that belongs to none")
	}
	return nil
}

// find returns the member of a name, or nil. Names match in any case (ISO/IEC 29500-2, 6.2.2.3).
func (a *archive) find(name string) *member {
	m := a.byName[strings.ToLower(name)]
	return m
}

// content inflates a member and verifies its checksum.
func (a *archive) content(m *member) ([]byte, error) {
	in := a.raw[m.data : m.data+m.size]
	switch {
	case m.plain > maxPart:
		return nil, damaged("its part %q would be %d MiB; up to %d MiB are read", m.name, m.plain>>20, maxPart>>20)
	case m.plain > ratioFrom && m.plain/maxRatio > m.size:
		return nil, damaged("its part %q would be %d times as long as it is stored; up to %d times are read", m.name, m.plain/max(m.size, 1), maxRatio)
	case a.read+m.plain > maxOfAll:
		return nil, damaged("its parts would be more than %d MiB", maxOfAll>>20)
	}
	a.read += m.plain
	out := in
	switch m.method {
	case stored:
		if m.size != m.plain {
			return nil, damaged("its part %q is not as long as it says", m.name)
		}
	case deflated:
		var err error
		if out, err = inflate(in, m.plain); err != nil {
			return nil, damaged("its part %q is damaged", m.name)
		}
	default:
		return nil, damaged("its part %q is stored in a way that is not known here (method %d)", m.name, m.method)
	}
	if crc32.ChecksumIEEE(out) != m.sum {
		return nil, damaged("its part %q is damaged: its checksum does not fit", m.name)
	}
	return out, nil
}

var errLength = errors.New("it is not as long as it says")

// inflaters pools decompressors, each of which holds some 40 KiB.
var inflaters sync.Pool

// inflate returns the inflated content of in, which must be size bytes long and use all of in.
func inflate(in []byte, size int) ([]byte, error) {
	from := bytes.NewReader(in) // a ByteReader, so flate reads no byte beyond the stream
	r, _ := inflaters.Get().(io.Reader)
	if r == nil {
		r = flate.NewReader(from)
	} else if err := r.(flate.Resetter).Reset(from, nil); err != nil {
		return nil, err
	}
	defer inflaters.Put(r)
	out := make([]byte, 0, min(size, len(in)*1100)+1) // deflate compresses at most 1,032 times
	for {
		if len(out) > size {
			return nil, errLength
		}
		if len(out) == cap(out) {
			out = append(out, 0)[:len(out)]
		}
		n, err := r.Read(out[len(out):cap(out)])
		out = out[:len(out)+n]
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
	}
	if len(out) != size || from.Len() > 0 {
		return nil, errLength
	}
	return out, nil
}
