package document

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"slices"
	"sort"
	"unicode/utf8"

	"frizzel/core/edit"
)

// A RefusedError reports that an edit of the text has no safe equivalent in the document.
type RefusedError struct {
	Line   int // 1-based; 0 if the error concerns the whole document
	Place  string
	Reason string
}

func (e *RefusedError) Error() string {
	if e.Line == 0 {
		return e.Reason
	}
	if e.Place == "" {
		return fmt.Sprintf("line %d: %s", e.Line, e.Reason)
	}
	return fmt.Sprintf("line %d, %s: %s", e.Line, e.Place, e.Reason)
}

// Encode returns the edits of the document's bytes that change its text as edits do. It reads the
// edited document again and compares the result with the intended text. The error is a *RefusedError.
func (d *Document) Encode(edits edit.List) (edit.List, error) {
	edits = edits.Changing(d.Text)
	if len(edits) == 0 {
		return nil, nil
	}
	if d.signed {
		return nil, &RefusedError{Reason: "the document is signed, and would not be any more"}
	}
	changed := &carrier{Document: d, parts: map[int]edit.List{}, touched: map[int]bool{}}
	for i := 0; i < len(edits); {
		one, n, err := d.perLine(edits[i:])
		if err != nil {
			return nil, err
		}
		for _, e := range one {
			if err := changed.line(e); err != nil {
				return nil, err
			}
		}
		i += n
	}
	raw, err := changed.packed()
	if err != nil {
		return nil, err
	}
	for i := range raw {
		raw[i].Rules = edits[0].Rules
	}
	return raw, d.prove(edits, raw)
}

// prove applies raw to the document's bytes, reads the result, and compares its text with the one that
// edits make.
func (d *Document) prove(edits, raw edit.List) error {
	fresh, err := Read(d.name, raw.Apply(d.raw))
	if err != nil {
		return &RefusedError{Reason: "the document would be damaged: " + err.Error()}
	}
	want := edits.Apply(d.Text)
	if bytes.Equal(fresh.Text, want) && alike(d, fresh) {
		return nil
	}
	for i, l := range fresh.lines {
		if i >= len(d.lines) {
			break
		}
		if at := fresh.starts[i]; at+len(l.text) > len(want) || !bytes.Equal(fresh.Text[at:at+len(l.text)], want[at:at+len(l.text)]) {
			return d.refuse(d.lines[i], "the document cannot hold it: it would be read as another text")
		}
	}
	return &RefusedError{Reason: "the document cannot hold it: it would be read as another text"}
}

// alike reports whether a and b have equal hidden texts, and lines with equal numbers of copies and
// equal locks.
func alike(a, b *Document) bool {
	if len(a.Hidden) != len(b.Hidden) || len(a.lines) != len(b.lines) {
		return false
	}
	for i := range a.Hidden {
		if a.Hidden[i].Text != b.Hidden[i].Text {
			return false
		}
	}
	for i, l := range a.lines {
		if len(l.copies) != len(b.lines[i].copies) || (l.lock == 0) != (b.lines[i].lock == 0) {
			return false
		}
	}
	return true
}

func (d *Document) refuse(l *line, why string) error {
	n := slices.Index(d.lines, l) + 1
	return &RefusedError{Line: n, Place: d.Place(n), Reason: why}
}

// A change is an edit within a line.
type change struct {
	line       *line
	start, end int // bytes of the line's text, half-open
	fresh      []byte
}

var errLines = errors.New("it would add, take away or move lines, which is not done in a document")

// perLine returns the first n edits, those that touch each other, as changes within lines.
func (d *Document) perLine(edits edit.List) (all []change, n int, err error) {
	start, end := edits[0].Start, edits[0].End
	fresh := slices.Clone(edits[0].New)
	for n = 1; n < len(edits) && edits[n].Start == end; n++ {
		fresh, end = append(fresh, edits[n].New...), edits[n].End
	}
	old := d.Text[start:end]
	first := d.lineAt(start)
	if bytes.Count(old, []byte("\n")) != bytes.Count(fresh, []byte("\n")) || first < 0 || start == len(d.Text) && len(fresh) > 0 {
		at := min(max(first, 0), len(d.lines)-1)
		if at < 0 {
			return nil, 0, &RefusedError{Reason: errLines.Error()}
		}
		return nil, 0, d.refuse(d.lines[at], errLines.Error())
	}
	for i := first; ; i++ {
		l := d.lines[i]
		part, rest, more := bytes.Cut(fresh, []byte("\n"))
		c := change{line: l, start: max(start-d.starts[i], 0), end: min(end-d.starts[i], len(l.text)), fresh: part}
		if !bytes.Equal(l.text[c.start:c.end], part) {
			all = append(all, c)
		}
		if fresh = rest; !more || i+1 == len(d.lines) {
			return all, n, nil
		}
	}
}

// A carrier collects the edits of a document's parts.
type carrier struct {
	*Document
	parts   map[int]edit.List
	touched map[int]bool // text elements, by the offset of their start tag
	last    map[*line]int
}

// line applies a change to a line and to its copies.
func (c *carrier) line(e change) error {
	for _, l := range append([]*line{e.line}, e.line.copies...) {
		if err := c.one(l, e); err != nil {
			return c.refuse(e.line, err.Error())
		}
	}
	return nil
}

// one applies a change to one line.
func (c *carrier) one(l *line, e change) error {
	start, end, fresh := l.widen(e.start, e.end, e.fresh)
	first, last, err := c.target(l, start, end)
	if err != nil {
		return err
	}
	if c.last == nil {
		c.last = map[*line]int{}
	}
	if start < c.last[l] {
		return errors.New("two changes are too near each other there")
	}
	c.last[l] = end
	at := first // the segment that the new text is written into
	if len(fresh) > 0 {
		if at, err = c.host(l, first, last, start, end); err != nil {
			return err
		}
	}
	for i := min(first, at); i <= max(last, at); i++ {
		g := l.segments[i]
		from, to := l.bytesOf(i, start, end)
		if start == end || i < first || i > last {
			from, to = l.byteAt(i, start), l.byteAt(i, start)
		}
		var text []byte
		if i == at {
			if text, err = c.written(l, g, start, end, fresh); err != nil {
				return err
			}
		}
		if from < to || len(text) > 0 {
			c.parts[int(g.part)] = append(c.parts[int(g.part)], edit.Edit{Start: from, End: to, New: text})
			if g.element >= 0 {
				c.touched[int(g.element)] = true
			}
		}
	}
	return nil
}

// same reports whether segment i's bytes are equal to its text.
func (l *line) same(i int) bool {
	g := l.segments[i]
	from, to := l.bounds(i)
	return g.kind == plain || g.kind == value && int(g.to-g.from) == to-from
}

// bytesOf returns the bytes of segment i that hold its share of text[start:end].
func (l *line) bytesOf(i, start, end int) (from, to int) {
	if !l.same(i) {
		return int(l.segments[i].from), int(l.segments[i].to)
	}
	return l.byteAt(i, start), l.byteAt(i, end)
}

// byteAt returns the offset in the part that corresponds to the text's offset at, or the nearest one in segment i.
func (l *line) byteAt(i, at int) int {
	g := l.segments[i]
	from, to := l.bounds(i)
	switch {
	case at <= from:
		return int(g.from)
	case at >= to || !l.same(i):
		return int(g.to)
	}
	return int(g.from) + at - from
}

// bounds returns the half-open range of segment i's text.
func (l *line) bounds(i int) (from, to int) {
	to = len(l.text)
	if i+1 < len(l.segments) {
		to = int(l.segments[i+1].at)
	}
	return int(l.segments[i].at), to
}

// widen extends a change to whole segments where it touches one that is atomic (its bytes stand for
// its text as a unit). In OpenDocument, a space after it goes with it if it would be lost beside
// another.
func (l *line) widen(start, end int, fresh []byte) (int, int, []byte) {
	for i := range l.segments {
		from, to := l.bounds(i)
		if to <= start || from >= end || l.same(i) {
			continue
		}
		if from < start {
			fresh = slices.Concat(l.text[from:start], fresh)
			start = from
		}
		if to > end {
			fresh = slices.Concat(fresh, l.text[end:to])
			end = to
		}
	}
	if i := l.at(end); i >= 0 && l.segments[i].flavor.collapses() && l.segments[i].kind != element && end < len(l.text) && l.text[end] == ' ' {
		before := byte(' ') // the start of a line counts as a space
		if len(fresh) > 0 {
			before = fresh[len(fresh)-1]
		} else if start > 0 {
			before = l.text[start-1]
		}
		if before == ' ' {
			return start, end + 1, slices.Concat(fresh, []byte(" "))
		}
	}
	return start, end, fresh
}

// at returns the index of the segment that contains the byte at of the line's text, or -1.
func (l *line) at(at int) int {
	return sort.Search(len(l.segments), func(i int) bool { return int(l.segments[i].at) > at }) - 1
}

// target returns the segments of a line that contain text[start:end], or the adjacent one if the range is
// empty. It returns an error if one of them is locked.
func (d *Document) target(l *line, start, end int) (first, last int, err error) {
	switch {
	case l.lock != 0:
		return 0, 0, errors.New(d.locks[l.lock])
	case len(l.segments) == 0:
		return 0, 0, errors.New("there is no text in it that tells how new text is to look")
	case start < end:
		first, last = l.at(start), l.at(end-1)
		for i := first; i <= last; i++ {
			if lock := l.segments[i].lock; lock != 0 {
				return 0, 0, errors.New(d.locks[lock])
			}
		}
		return first, last, nil
	}
	var lock int
	for _, at := range []int{start - 1, start} {
		i := l.at(at)
		if at < 0 || at >= len(l.text) || i < 0 {
			continue
		}
		if lock = int(l.segments[i].lock); lock == 0 {
			return i, i, nil
		}
	}
	return 0, 0, errors.New(d.locks[lock])
}

// host returns the segment to write text into, whose formatting it takes: the first that it replaces,
// or else the nearest writable one.
func (c *carrier) host(l *line, first, last, start, end int) (int, error) {
	can := func(i int) bool {
		if i < 0 || i >= len(l.segments) {
			return false
		}
		g := l.segments[i]
		return g.lock == 0 && (g.kind != fixed) && (g.kind != element || g.flavor == inOpen || g.flavor == inWord)
	}
	for i := first; i <= last; i++ {
		if can(i) {
			return i, nil
		}
	}
	if _, to := l.bounds(first); start == end && to == start && can(first+1) {
		return first + 1, nil
	}
	if can(first - 1) {
		return first - 1, nil
	}
	if can(last + 1) {
		return last + 1, nil
	}
	return 0, errors.New("there is no text beside it that tells how new text is to look")
}

// written returns fresh, encoded for the place of segment g.
func (c *carrier) written(l *line, g segment, start, end int, fresh []byte) ([]byte, error) {
	if len(fresh) == 0 {
		return nil, nil
	}
	w := &writer{part: c.Document.parts[g.part].src, segment: g}
	if g.element >= 0 {
		w.element = c.Document.texts[g.element]
	}
	w.before, _ = utf8.DecodeLastRune(l.text[:start])
	w.after, _ = utf8.DecodeRune(l.text[end:])
	if start == 0 {
		w.before = 0
	}
	if end == len(l.text) {
		w.after = 0
	}
	if g.flavor == inOpen && len(l.location.cells) > 0 && bytes.IndexByte(fresh, '\t') >= 0 {
		return nil, errors.New("a spreadsheet's cell loses tabs") // office suites read them as spaces
	}
	return w.write(fresh)
}

// packed returns the collected edits as edits of the document's bytes.
func (c *carrier) packed() (edit.List, error) {
	if err := c.preserve(); err != nil {
		return nil, err
	}
	fresh := map[*member][]byte{}
	for i, edits := range c.parts {
		p := c.Document.parts[i]
		slices.SortStableFunc(edits, func(a, b edit.Edit) int { return a.Start - b.Start })
		if !edits.Fits(len(p.src)) {
			return nil, &RefusedError{Reason: "two changes are too near each other in " + p.name}
		}
		content := append([]byte("\ufeff")[:p.mark], edits.Apply(p.src)...)
		if err := wellFormed(content); err != nil {
			if wellFormed(p.src) != nil {
				return nil, &MalformedError{Part: cmp.Or(p.name, "the document")}
			}
			return nil, &RefusedError{Reason: fmt.Sprintf("the XML of %s would be damaged: %v", cmp.Or(p.name, "the document"), err)}
		}
		if p.member == nil {
			for i := range edits {
				edits[i].Start, edits[i].End = edits[i].Start+p.mark, edits[i].End+p.mark
			}
			return edits.Changing(c.raw), nil
		}
		fresh[p.member] = content
	}
	return c.pack.replace(fresh)
}

// sameEdges reports whether two contents begin and end with the same white space, and hold no elements.
func sameEdges(a, b []byte) bool {
	edges := func(s []byte) (front, back string) {
		const spaces = " \t\r\n"
		return string(s[:len(s)-len(bytes.TrimLeft(s, spaces))]), string(s[len(bytes.TrimRight(s, spaces)):])
	}
	front, back := edges(a)
	otherFront, otherBack := edges(b)
	return front == otherFront && back == otherBack && len(bytes.TrimSpace(a)) > 0 && bytes.IndexByte(a, '<') < 0
}

// A MalformedError reports that a part of a document was no well-formed XML before anything was changed.
type MalformedError struct{ Part string }

func (e *MalformedError) Error() string { return "the XML of " + e.Part + " is not well-formed" }

// preserve adds xml:space="preserve" to touched elements whose text now begins or ends with whitespace.
func (c *carrier) preserve() error {
	ordered := map[int]edit.List{} // the edits of each part by their starts, since there may be very many elements
	for i, edits := range c.parts {
		ordered[i] = slices.Clone(edits)
		slices.SortStableFunc(ordered[i], func(a, b edit.Edit) int { return a.Start - b.Start })
	}
	for i := range c.touched {
		e := c.Document.texts[i]
		if e.preserve || e.sole {
			continue
		}
		src := c.Document.parts[e.part].src
		var own edit.List
		begin, end := int(e.begin), int(e.end)
		all := ordered[int(e.part)]
		first, _ := slices.BinarySearchFunc(all, begin, func(x edit.Edit, at int) int { return x.Start - at })
		for _, x := range all[first:] {
			if x.Start > end {
				break
			}
			if x.End <= end {
				x.Start, x.End = x.Start-begin, x.End-begin
				own = append(own, x)
			}
		}
		if !own.Fits(end - begin) {
			return &RefusedError{Reason: "two changes are too near each other"}
		}
		text := own.Apply(src[begin:end])
		if sameEdges(text, src[begin:end]) {
			continue // white space at the ends that was hidden stays hidden
		}
		if n := len(text); n == 0 || !white(text[0]) && !white(text[n-1]) && !bytes.Contains(text, []byte(" <")) {
			continue
		}
		if e.trimmed {
			return &RefusedError{Reason: "white space that is there but not shown would be seen"}
		}
		at := begin - 1
		if src[at-1] == '/' {
			at--
		}
		c.parts[int(e.part)] = append(c.parts[int(e.part)], edit.Edit{Start: at, End: at, New: []byte(` xml:space="preserve"`)})
	}
	return nil
}
