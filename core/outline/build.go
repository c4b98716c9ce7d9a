package outline

import "bytes"

// build reads a text into its nodes.
func build(t *Text) []node {
	s := newScanner(t)
	b := &builder{t: t, d: s.d, last: -1, lastText: -1}
	if t.syntax.IsProse() {
		b.headings = t.allHeadings()
		t.markFences(s.nodes)
	}
	s.scan()
	b.nodes = s.nodes
	for i := range b.nodes {
		b.line(i)
	}
	b.resolvePending(0, false)
	for len(b.stack) > 0 {
		b.pop()
	}
	return b.nodes
}

// builder gives each line its parent. Between two lines the stack holds the items that are open, the
// outermost first, each within the one before.
type builder struct {
	t        *Text
	d        *dialect
	nodes    []node
	headings []Heading // still to come
	stack    []frame
	hard     []int   // those of stack that a later line closes
	pending  []int32 // blank lines and comments behind the last other line
	last     int     // the line before, if deeper lines below it would be its block; -1
	lastText int     // the last line that is neither blank nor a comment
}

// frame is an open item.
type frame struct {
	line  int   // that opened it
	close int   // the line that closes it; -1 for a section, and a block of indentation
	level int   // of a section
	ext   int32 // the line behind the last comment or item that is part of it
}

// line reads line i.
func (b *builder) line(i int) {
	n := &b.nodes[i]
	closing, from := int(n.end), int(n.parent) // the last line of what it leaves open; the line that opened what it closes
	n.end, n.parent = int32(i+1), -1
	if n.kind != Entry {
		b.pending = append(b.pending, int32(i))
		return
	}
	b.entry(i, closing, from)
	b.lastText = i
}

// entry reads a line that is neither blank nor a comment.
func (b *builder) entry(i, closing, from int) {
	n := &b.nodes[i]
	switch {
	case b.closesHard(i, closing, from):
	case n.flags&raw != 0:
		if b.last >= 0 {
			b.push(b.last, -1, Indentation)
			b.last = -1
		}
		b.resolvePending(len(b.stack), false)
		b.adopt(i)
	case b.isInner(n): // it closes and opens something of the line that opened the innermost block
		b.unwind(b.hardTop()+1, i, false)
		b.adopt(i)
		n.flags |= inner
		b.last = -1
	case b.isHeader(i):
		b.header(i)
	default:
		b.plain(i, closing)
	}
}

// hardTop returns the index of the innermost frame that a later line closes, -1 for none.
func (b *builder) hardTop() int {
	if len(b.hard) == 0 {
		return -1
	}
	return b.hard[len(b.hard)-1]
}

// closesHard reads a line that closes the innermost block. If the line also opens one, as } else { does, the
// outermost of the blocks that it closes continues.
func (b *builder) closesHard(i, closing, from int) bool {
	top := b.hardTop()
	if top < 0 || b.stack[top].close != i {
		return false
	}
	n := &b.nodes[i]
	b.unwind(top+1, i, false)
	n.parent = int32(b.stack[top].line)
	b.last = -1
	for {
		if closing > i && from >= b.stack[top].line {
			b.unwind(top+1, i, false)
			b.stack[top].close = closing
			n.flags |= inner
			return true
		}
		n.flags |= lastLine
		b.unwind(top, i, false)
		if top = b.hardTop(); top < 0 || b.stack[top].close != i {
			return true
		}
	}
}

// isInner reports whether a line belongs to what opens the innermost block: a bracket on a line by itself, or
// one that closes a bracket which the block's own lines opened.
func (b *builder) isInner(n *node) bool {
	if n.flags&byNext != 0 {
		return true
	}
	return n.flags&closes != 0 && b.hardTop() >= 0 && n.flags&raw == 0
}

// isHeader reports whether line i begins a section.
func (b *builder) isHeader(i int) bool {
	if b.t.syntax.IsProse() {
		return len(b.headings) > 0 && b.headings[0].Line == i
	}
	if !b.d.headers {
		return false
	}
	if _, ok := headerName(b.t.Content(i)); !ok {
		return false
	}
	for _, k := range b.hard {
		if b.nodes[b.stack[k].line].by != Element {
			return false
		}
	}
	return true
}

// header begins a section: it ends all that is indented, and sections of its level and below.
func (b *builder) header(i int) {
	level := 0
	if len(b.headings) > 0 {
		level = b.headings[0].Level
		for len(b.headings) > 0 && b.headings[0].Line <= i {
			b.headings = b.headings[1:]
		}
	}
	keep := b.hardTop() + 1
	for keep < len(b.stack) && b.nodes[b.stack[keep].line].kind == Section && b.stack[keep].level < level {
		keep++
	}
	b.unwind(keep, i, true)
	b.adopt(i)
	b.nodes[i].kind = Section
	b.stack = append(b.stack, frame{line: i, close: -1, level: level})
	b.last = -1
}

// plain reads an entry, or a line that opens a block.
func (b *builder) plain(i, closing int) {
	n := &b.nodes[i]
	if b.d.indented {
		keep := len(b.stack)
		for keep > 0 && b.isIndentation(keep-1) && !b.holds(b.stack[keep-1].line, i) {
			keep--
		}
		if b.last >= 0 && b.holds(b.last, i) {
			b.push(b.last, -1, Indentation)
			keep = len(b.stack)
		}
		b.unwind(keep, i, false)
	} else {
		b.resolvePending(len(b.stack), false)
	}
	b.adopt(i)
	b.last = -1
	switch next, last, ok := b.below(i); {
	case closing > i:
		b.push(i, closing, n.by)
	case n.flags&unclosed != 0:
		n.kind, n.by = Block, Brackets
	case next < 0:
		if b.d.indented && n.flags&fenceEdge == 0 {
			b.last = i
		}
	case !ok: // the bracket below is never closed
		n.kind, n.by = Block, Brackets
		n.flags |= unclosed
		b.nodes[next].flags |= inner
		b.nodes[next].flags &^= unclosed
	default:
		b.push(i, last, Brackets)
		b.nodes[next].flags |= byNext
		b.nodes[next].end = 0
	}
}

// below returns the line below line i whose bracket belongs to line i, -1 for none, and the line that closes it;
// false if none does.
func (b *builder) below(i int) (next, last int, ok bool) {
	if !b.d.nextLine || b.nodes[i].flags&(endsItem|unclosed|inner) != 0 {
		return -1, 0, false
	}
	for next = i + 1; next < len(b.nodes) && b.nodes[next].kind == Blank; next++ {
	}
	if next == len(b.nodes) || b.nodes[next].kind != Entry || b.nodes[next].flags&raw != 0 {
		return -1, 0, false
	}
	n := &b.nodes[next]
	first := bytes.TrimLeft(b.t.Content(next), " \t")[0]
	switch closing := int(n.end); {
	case first != '{' && first != '[' && first != '(' || bytes.IndexByte([]byte(b.d.brackets), first) < 0:
		return -1, 0, false
	case n.flags&leads != 0 && closing > next && n.flags&closes == 0:
		return next, closing, true
	case n.flags&leads != 0 && n.flags&unclosed != 0:
		return next, 0, false
	case first == '{' && closing <= next:
		return next, next, true
	}
	return -1, 0, false
}

func (b *builder) isIndentation(k int) bool {
	n := &b.nodes[b.stack[k].line]
	return n.kind == Block && n.by == Indentation
}

// holds reports whether line i, below line head, belongs to the block that head opens by its
// indentation.
func (b *builder) holds(head, i int) bool {
	h, n := &b.nodes[head], &b.nodes[i]
	if h.column != n.column {
		return n.column > h.column
	}
	if !IsListItem(b.t.Content(i)) {
		return false
	}
	line := b.t.Content(head)
	return !IsListItem(line) && (h.flags&endsKey != 0 || b.d.flow && endsInProperties(line))
}

// endsInProperties reports whether a key of YAML is followed only by an anchor or a tag.
func endsInProperties(line []byte) bool {
	_, value, ok := bytes.Cut(line, []byte(": "))
	if !ok {
		return false
	}
	for _, word := range bytes.Fields(value) {
		if word[0] == '#' {
			break
		}
		if word[0] != '&' && word[0] != '!' {
			return false
		}
	}
	return true
}

// push opens a block on a line.
func (b *builder) push(i, closing int, by By) {
	n := &b.nodes[i]
	n.kind, n.by = Block, by
	n.flags &^= unclosed
	if closing >= 0 {
		b.hard = append(b.hard, len(b.stack))
	}
	b.stack = append(b.stack, frame{line: i, close: closing})
}

// adopt makes line i a part of the innermost open item.
func (b *builder) adopt(i int) {
	if k := len(b.stack); k > 0 {
		b.nodes[i].parent = int32(b.stack[k-1].line)
	}
}

// unwind closes all open items except the outermost keep ones, before line i.
func (b *builder) unwind(keep, i int, header bool) {
	b.resolvePending(keep, header)
	for len(b.stack) > keep {
		b.pop()
	}
}

// pop closes the innermost open item and sets its end.
func (b *builder) pop() {
	k := len(b.stack) - 1
	f := b.stack[k]
	b.stack = b.stack[:k]
	end := int32(f.close + 1)
	if len(b.hard) > 0 && b.hard[len(b.hard)-1] == k {
		b.hard = b.hard[:len(b.hard)-1]
	} else {
		end = max(int32(b.lastText+1), f.ext)
	}
	b.nodes[f.line].end = end
	if k > 0 {
		b.stack[k-1].ext = max(b.stack[k-1].ext, end)
	}
}

// resolvePending decides which blocks the pending comments and blank lines belong to, before a line that leaves
// the outermost keep open blocks open. A comment behind an inner block belongs to the level of its own
// indentation; comments that touch a header belong to what follows.
func (b *builder) resolvePending(keep int, header bool) {
	if len(b.pending) == 0 {
		return
	}
	touching := len(b.pending)
	for header && touching > 0 && b.nodes[b.pending[touching-1]].kind == Comment {
		touching--
	}
	of := func(k int) int32 {
		if k < 0 {
			return -1
		}
		return int32(b.stack[k].line)
	}
	k := len(b.stack) - 1
	for p, c := range b.pending {
		n := &b.nodes[c]
		if n.kind != Comment {
			continue
		}
		if p >= touching {
			k = keep - 1
		}
		for k >= keep && b.isIndentation(k) && n.column <= b.nodes[b.stack[k].line].column {
			k--
		}
		if n.parent = of(k); k >= 0 {
			b.stack[k].ext = c + 1
		}
	}
	next := of(keep - 1)
	for p := len(b.pending) - 1; p >= 0; p-- {
		if n := &b.nodes[b.pending[p]]; n.kind == Comment {
			next = n.parent
		} else {
			n.parent = next
		}
	}
	b.pending = b.pending[:0]
}
