// Package diff turns edits into hunks and hunks into a unified diff.
//
// No two texts are compared: the edits say which lines changed, so a diff costs as
// much as what changed, and tells exactly what will be done. The central type is
// [Hunk]; [Hunks] makes them.
package diff

import (
	"bytes"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// Hunk is changed lines and those around them.
type Hunk struct {
	OldStart, OldLines int // line numbers from 1
	NewStart, NewLines int
	Lines              []Line
	Rules              []int // the rules that made it, ascending
}

// Line is one line of a hunk.
type Line struct {
	Op   Op
	Text []byte // with its line ending; shared with the text or an edit
	// Marks are the byte ranges of Text that an edit took or wrote; nil where it
	// is the whole line.
	Marks [][2]int
}

// Op says what becomes of a line.
type Op byte

const (
	Keep   Op = ' '
	Remove Op = '-'
	Add    Op = '+'
)

// Hunks returns the hunks of the edits to text, with up to context lines around the
// changed ones.
func Hunks(text []byte, edits edit.List, context int) []Hunk {
	var hunks []Hunk
	b := builder{text: text, context: context}
	for i := 0; i < len(edits); {
		blk, n := nextBlock(text, edits[i:])
		i += n
		if blk.same() {
			continue
		}
		if len(hunks) > 0 && b.near(blk) {
			b.extend(&hunks[len(hunks)-1], blk)
			continue
		}
		if len(hunks) > 0 {
			b.finish(&hunks[len(hunks)-1])
		}
		hunks = append(hunks, b.begin(blk))
	}
	if len(hunks) > 0 {
		b.finish(&hunks[len(hunks)-1])
	}
	return hunks
}

// block is lines that become others: text[start:end] becomes fresh.
type block struct {
	start, end       int
	old, fresh       []byte
	oldMark, newMark [][2]int // what edits took and wrote, offsets in old and fresh
	rules            []int
}

func (b *block) same() bool { return len(b.old) == 0 && len(b.fresh) == 0 }

// nextBlock gathers the first edit and all that touch its lines or those right
// behind, and returns how many they are.
func nextBlock(text []byte, edits edit.List) (*block, int) {
	b := &block{start: lines.Start(text, 0, edits[0].Start)}
	at := b.start
	n := 0
	for n < len(edits) && (n == 0 || b.meets(text, edits[n])) {
		e := edits[n]
		b.fresh = append(b.fresh, text[at:e.Start]...)
		from, oldTo, newTo := changedWords(text, e)
		b.oldMark = append(b.oldMark, [2]int{e.Start + from - b.start, e.Start + oldTo - b.start})
		b.newMark = append(b.newMark, [2]int{len(b.fresh) + from, len(b.fresh) + newTo})
		b.fresh = append(b.fresh, e.New...)
		at = e.End
		b.rules = append(b.rules, e.Rules...)
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
	b.trim()
	slices.Sort(b.rules)
	b.rules = slices.Compact(b.rules)
	return b, n
}

// changedWords returns which bytes of what an edit takes and of what it writes stand
// out: all of them, or, where it makes one whole line another, the words that
// differ between the two.
func changedWords(text []byte, e edit.Edit) (from, oldTo, newTo int) {
	old := text[e.Start:e.End]
	line := bytes.TrimRight(old, "\r\n")
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

// meets reports whether an edit begins on one of the block's lines or on the one
// right behind.
func (b *block) meets(text []byte, e edit.Edit) bool {
	return e.Start <= b.end || bytes.IndexByte(text[b.end:e.Start], '\n') < 0
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

// builder makes hunks of blocks, in order.
type builder struct {
	text    []byte
	context int
	at      int // behind the last block
	line    int // lines of text before at
	growth  int // lines added less lines removed so far
}

// near reports whether so few lines lie between the last block and blk that they
// belong to one hunk.
func (b *builder) near(blk *block) bool {
	at := b.at
	for range 2 * b.context {
		if at >= blk.start {
			return true
		}
		at = lines.Next(b.text, at, len(b.text))
	}
	return at >= blk.start
}

// advance counts the lines up to at.
func (b *builder) advance(at int) {
	b.line += lines.Count(b.text[b.at:at])
	b.at = at
}

func (b *builder) begin(blk *block) Hunk {
	from := blk.start
	for range b.context {
		if from <= b.at {
			break
		}
		from = lines.Start(b.text, 0, from-1)
	}
	b.advance(max(from, b.at))
	h := Hunk{OldStart: b.line + 1, NewStart: b.line + b.growth + 1}
	b.extend(&h, blk)
	return h
}

// extend appends the kept lines up to a block, and the block.
func (b *builder) extend(h *Hunk, blk *block) {
	b.keep(h, blk.start)
	h.Lines = appendLines(h.Lines, Remove, blk.old, blk.oldMark)
	h.Lines = appendLines(h.Lines, Add, blk.fresh, blk.newMark)
	h.OldLines += lines.Count(blk.old)
	h.NewLines += lines.Count(blk.fresh)
	b.growth += lines.Count(blk.fresh) - lines.Count(blk.old)
	b.advance(blk.end)
	for _, r := range blk.rules {
		if !slices.Contains(h.Rules, r) {
			h.Rules = append(h.Rules, r)
		}
	}
	slices.Sort(h.Rules)
}

// keep appends the lines up to at.
func (b *builder) keep(h *Hunk, at int) {
	n := len(h.Lines)
	h.Lines = appendLines(h.Lines, Keep, b.text[b.at:at], nil)
	h.OldLines += len(h.Lines) - n
	h.NewLines += len(h.Lines) - n
	b.advance(at)
}

// finish appends the lines behind a hunk's last block.
func (b *builder) finish(h *Hunk) {
	to := b.at
	for range b.context {
		to = lines.Next(b.text, to, len(b.text))
	}
	b.keep(h, to)
	if h.OldLines == 0 {
		h.OldStart--
	}
	if h.NewLines == 0 {
		h.NewStart--
	}
}

// appendLines cuts text into lines and hands each the marks that lie in it.
func appendLines(all []Line, op Op, text []byte, marks [][2]int) []Line {
	for at := 0; at < len(text); {
		next := lines.Next(text, at, len(text))
		l := Line{Op: op, Text: text[at:next]}
		for len(marks) > 0 && marks[0][1] <= at && !(marks[0][0] == marks[0][1] && marks[0][0] == at) {
			marks = marks[1:]
		}
		for _, m := range marks {
			if m[0] >= next {
				break
			}
			if from, to := max(m[0], at), min(m[1], next); from < to {
				l.Marks = append(l.Marks, [2]int{from - at, to - at})
			}
		}
		all = append(all, l)
		at = next
	}
	return all
}
