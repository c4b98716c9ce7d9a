package diff

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// A block is a range of lines, text[start:end], that is replaced by fresh.
type block struct {
	start, end       int
	reach            int // end, before lines in common were dropped
	old, fresh       []byte
	written          []byte   // fresh, before lines in common were dropped
	oldMark, newMark [][2]int // what edits took and wrote, offsets in old and fresh
	rules            []int
}

func (b *block) same() bool { return len(b.old) == 0 && len(b.fresh) == 0 }

// longBlock is the number of edits after which a block ends and another begins on the next line. It keeps old
// and new lines close together, and limits memory. Tests make it small.
var longBlock = 1000

// manyEdits is the number of edits after which memory for a long block is allocated.
const manyEdits = 32

// grow makes room for a long block of about size bytes at once, unless that is much.
func (b *block) grow(size int, marked bool) {
	if size > 1<<20 {
		return
	}
	if marked {
		b.oldMark, b.newMark = slices.Grow(b.oldMark, longBlock), slices.Grow(b.newMark, longBlock)
	}
	b.fresh = slices.Grow(b.fresh, size*5/4)
}

// nextBlock makes a block of the first edit and all following ones that touch its lines or the adjacent line, and
// returns their number. It marks changed words if marked is true. It uses room for the new lines if they fit.
func nextBlock(text []byte, edits edit.List, marked bool, room []byte) (*block, int) {
	b := &block{start: lines.Start(text, 0, edits[0].Start), fresh: room}
	at := b.start
	n := 0
	for n < len(edits) && (n == 0 || b.meets(text, edits[n].Start)) && !(n >= longBlock && b.leaves(text, edits[n].Start)) {
		if n == manyEdits && len(edits) > longBlock {
			b.grow(edits[longBlock].Start-b.start, marked)
		}
		e := &edits[n]
		b.fresh = append(b.fresh, text[at:e.Start]...)
		if marked {
			from, oldTo, newTo := changedWords(text, *e)
			b.oldMark = append(b.oldMark, [2]int{e.Start + from - b.start, e.Start + oldTo - b.start})
			b.newMark = append(b.newMark, [2]int{len(b.fresh) + from, len(b.fresh) + newTo})
		}
		b.fresh = append(b.fresh, e.New...)
		at = e.End
		if n == 0 || !slices.Equal(e.Rules, edits[n-1].Rules) {
			b.rules = append(b.rules, e.Rules...)
		}
		if at >= b.end {
			b.end = at
			if !lines.AtStart(text, at) || len(b.fresh) > 0 && b.fresh[len(b.fresh)-1] != '\n' {
				b.end = lines.Next(text, at, len(text))
			}
		}
		n++
	}
	b.fresh = append(b.fresh, text[at:b.end]...)
	b.old = text[b.start:b.end]
	b.reach, b.written = b.end, b.fresh
	b.trim()
	slices.Sort(b.rules)
	b.rules = slices.Compact(b.rules)
	return b, n
}

// changedWords returns the ranges of an edit's old and new text to highlight: all of it, or, if the edit replaces
// one whole line by another, the words that differ.
func changedWords(text []byte, e edit.Edit) (from, oldTo, newTo int) {
	old := text[e.Start:e.End]
	line := bytes.TrimRight(old, "\r\n")
	if end := e.Start + len(line); end < len(text) && text[end] != '\n' && text[end] != '\r' {
		return 0, len(old), len(e.New)
	}
	if !lines.AtStart(text, e.Start) || len(line) == 0 || bytes.IndexByte(line, '\n') >= 0 || e.Start+len(line) != contentEnd(text, e.Start) {
		return 0, len(old), len(e.New)
	}
	for from < len(line) && from < len(e.New) && line[from] == e.New[from] {
		from++
	}
	tail := 0
	for tail < len(old)-from && tail < len(e.New)-from && old[len(old)-1-tail] == e.New[len(e.New)-1-tail] {
		tail++
	}
	for from > 0 && !isSpace(old[from-1]) { // whole words
		from--
	}
	for tail > 0 && !isSpace(old[len(old)-tail]) {
		tail--
	}
	return from, len(old) - tail, len(e.New) - tail
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\r' || c == '\n' }

// contentEnd returns where the line that begins at at ends, before its line ending.
func contentEnd(text []byte, at int) int {
	end := lines.Next(text, at, len(text))
	return at + len(bytes.TrimRight(text[at:end], "\r\n"))
}

// meets reports whether an edit that starts there begins on one of the block's lines or on the one
// right behind.
func (b *block) meets(text []byte, start int) bool {
	return start <= b.end || bytes.IndexByte(text[b.end:start], '\n') < 0
}

// leaves reports whether an edit that starts there is on none of the block's lines, which an
// insertion behind a last line without an ending is.
func (b *block) leaves(text []byte, start int) bool {
	return start >= b.end && lines.AtStart(text, b.end)
}

// trim drops the lines that the old and the new text begin or end with in common.
func (b *block) trim() {
	front := 0
	for {
		o, f := b.old[front:], b.fresh[front:]
		n := lines.Next(o, 0, len(o))
		if n == 0 || n != lines.Next(f, 0, len(f)) || !bytes.Equal(o[:n], f[:n]) {
			break
		}
		front += n
	}
	b.start += front
	b.old, b.fresh = b.old[front:], b.fresh[front:]
	shift(b.oldMark, front)
	shift(b.newMark, front)
	for len(b.old) > 0 && len(b.fresh) > 0 {
		o, f := b.old[lines.Start(b.old, 0, len(b.old)-1):], b.fresh[lines.Start(b.fresh, 0, len(b.fresh)-1):]
		if !bytes.Equal(o, f) {
			break
		}
		b.old, b.fresh = b.old[:len(b.old)-len(o)], b.fresh[:len(b.fresh)-len(f)]
		b.end -= len(o)
	}
}

func shift(marks [][2]int, by int) {
	for i := range marks {
		marks[i][0] -= by
		marks[i][1] -= by
	}
}
