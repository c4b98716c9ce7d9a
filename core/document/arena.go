package document

import (
	"slices"
)

// An arena allocates the segments and the texts of lines from large blocks. One line, the owner, grows at a time.
type arena struct {
	fresh   []line
	areas   []area
	room    []segment
	letters []byte
	owner   *line
}

const (
	manySegments = 1024
	muchText     = 16 << 10
)

// line returns a new line and makes it the owner of the free part of the block.
func (a *arena) line() *line {
	a.release()
	if len(a.fresh) == 0 {
		a.fresh = make([]line, 64)
	}
	l := &a.fresh[0]
	a.fresh = a.fresh[1:]
	if cap(a.room)-len(a.room) < 16 {
		a.room = make([]segment, 0, manySegments)
	}
	if cap(a.letters)-len(a.letters) < 256 {
		a.letters = make([]byte, 0, muchText)
	}
	l.segments, l.text = a.room[len(a.room):], a.letters[len(a.letters):]
	a.owner = l
	return l
}

// area returns a list that holds one area.
func (a *arena) area(one area) []area {
	if len(a.areas) == cap(a.areas) {
		a.areas = make([]area, 0, 256)
	}
	a.areas = append(a.areas, one)
	return a.areas[len(a.areas)-1 : len(a.areas) : len(a.areas)]
}

// release ends the owner's growth: the rest of the block is free again.
func (a *arena) release() {
	if a.owner == nil {
		return
	}
	if l := a.owner; cap(l.segments) == cap(a.room)-len(a.room) { // else it outgrew it
		a.room = a.room[:len(a.room)+len(l.segments)]
	}
	if l := a.owner; cap(l.text) == cap(a.letters)-len(a.letters) {
		a.letters = a.letters[:len(a.letters)+len(l.text)]
	}
	a.owner.segments, a.owner.text = slices.Clip(a.owner.segments), slices.Clip(a.owner.text)
	a.owner = nil
}
