package program

import (
	"bytes"
	"cmp"
	"slices"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
)

// end returns the offset for an added line: after the span's last non-blank line, before its closing line.
func (s *settling) end() int {
	text, end := s.run.text.Bytes, s.span.Last
	for end > s.span.Start && lines.Blank(text[lines.Previous(text, s.span.Start, end):end]) {
		end = lines.Previous(text, s.span.Start, end)
	}
	return end
}

// place returns the offset for added lines: next to what Near finds, at the span's top, or at its end. It sets like to the
// line whose indentation they take.
func (s *settling) place() int {
	t, text := s.run.text, s.run.text.Bytes
	top := s.top()
	switch {
	case s.AtTop:
		s.like = top
		return top
	case s.Near == nil:
		return s.end()
	}
	at := -1
	for start := top; start < s.span.Last; start = lines.Next(text, start, s.span.End) {
		next := lines.Next(text, start, s.span.End)
		if !s.Near.Has(text, start, next) || t.Item(t.At(start)).Kind == outline.Section || s.block >= 0 && !t.IsChild(t.At(start), s.block) {
			continue
		}
		s.like = start
		if !s.Below {
			return start
		}
		at = next
		if item := t.Item(t.At(start)); item.Kind == outline.Block { // behind all that it holds
			at = min(max(t.Start(item.To), next), s.span.Last)
		}
	}
	if at < 0 {
		return s.end()
	}
	return at
}

// top returns the offset of the span's first line behind what opens it.
func (s *settling) top() int {
	r, text := s.run, s.run.text.Bytes
	if len(r.stack) == 0 {
		return topOf(text)
	}
	top := s.span.Start
	if r.opens(s.span) || top < s.span.End && r.text.Item(r.text.At(top)).Kind == outline.Section {
		top = lines.Next(text, top, s.span.End)
	}
	if s.block >= 0 && top < s.span.Last {
		if next := lines.Next(text, top, s.span.End); string(bytes.TrimSpace(text[top:next])) == "{" && r.holds(edit.Span{Start: s.span.Start, End: s.span.End, Direct: true}, top) {
			top = next
		}
	}
	return min(top, s.span.Last)
}

// add returns the edit that adds a line at the span's end. It notes why and reports false if the line would
// not be part of the span on the next run.
func (s *settling) add(end int, fresh []byte) (edit.Edit, bool) {
	r := s.run
	note := func(reason string) (edit.Edit, bool) {
		r.note(max(end-1, 0), "nothing is added behind this line: "+reason)
		return edit.Edit{}, false
	}
	if s.shifting(end) {
		return note("the address would not hold the line when the script runs again")
	}
	indentation := s.indentation(end)
	fresh, ok := s.allWritten(fresh, indentation, r.text.At(max(end-1, 0)), nil)
	if !ok {
		return edit.Edit{}, false
	}
	for line := range bytes.SplitSeq(fresh, []byte("\n")) {
		if !s.belongs(line) || s.crossed(end, line) {
			return note("the line would stand outside the block, or in one within it")
		}
	}
	if last := fresh[bytes.LastIndexByte(fresh, '\n')+1:]; s.opening(end, last) {
		return note("the line would open a block of those below it")
	}
	fresh = bytes.ReplaceAll(fresh, []byte("\n"), []byte(r.lineEnding()))
	e := edit.Edit{Start: end, End: end, New: r.asLines(fresh, end), Side: edit.Behind}
	if end == s.span.Start {
		e.Side = edit.Within
	}
	return e, true
}

// shifting reports whether, on the next run, an enclosing address would no longer select a
// line added at end.
func (s *settling) shifting(end int) bool {
	for i, sel := range s.run.stack {
		if !sel.address.shifts() {
			continue
		}
		k := sort.Search(len(sel.spans), func(k int) bool { return sel.spans[k].Start >= end })
		if i == len(s.run.stack)-1 || k > 0 && sel.spans[k-1].End == end {
			return true
		}
	}
	return false
}

// indentation returns the indentation of a line added at end: in a block that of its last entry, or of its last
// block, or one step more than the opening line's; elsewhere that of the preceding line.
func (s *settling) indentation(end int) []byte {
	t, text := s.run.text, s.run.text.Bytes
	if s.block < 0 {
		if s.like >= 0 {
			return lines.Indentation(text[s.like:lines.Next(text, s.like, len(text))])
		}
		if end == s.span.Start {
			return nil
		}
		start := lines.Previous(text, s.span.Start, end)
		if s.Continued != "" || s.ByIndentation {
			for e := range s.candidates {
				if e.Start < end && !lines.Blank(text[e.Start:e.End]) {
					start = e.Start
				}
			}
		}
		return lines.Indentation(text[start:end])
	}
	entry, block := -1, -1
	for item := range t.Children(s.block+1, t.At(max(end-1, 0))+1) {
		switch {
		case !t.IsChild(item.From, s.block):
		case item.Kind == outline.Entry:
			entry = item.From
		case item.Kind == outline.Block:
			block = item.From
		}
	}
	if like := cmp.Or(entry+1, block+1) - 1; like >= 0 {
		return lines.Indentation(t.Content(like))
	}
	return slices.Concat(lines.Indentation(text[s.span.Start:]), t.Step())
}

// opening reports whether a line added at end would open a block, because a bracket begins the next line that is not
// blank, or that line is indented deeper.
func (s *settling) opening(end int, added []byte) bool {
	text := s.run.text.Bytes
	if s.like < 0 { // at the span's end, where nothing of it follows
		return false
	}
	for at := end; at < len(text); at = lines.Next(text, at, len(text)) {
		line := text[at:lines.Next(text, at, len(text))]
		if lines.Blank(line) {
			continue
		}
		bracket := bytes.IndexByte([]byte("{[("), bytes.TrimSpace(line)[0]) >= 0 && s.run.text.Item(s.run.text.At(at)).Kind != outline.Section
		return bracket || outline.Column(line) > outline.Column(added)
	}
	return false
}

// crossed reports whether a line at end would become part of the block's last child.
func (s *settling) crossed(end int, line []byte) bool {
	if s.block < 0 {
		return false
	}
	t, last, top := s.run.text, -1, s.top()
	for item := range t.Children(s.block+1, t.At(max(end-1, 0))+1) {
		switch {
		case t.Start(item.From) < top: // the bracket that opens the block
		case item.Kind == outline.Section: // a section extends to the block's end
			return true
		case item.Kind == outline.Entry, item.Kind == outline.Block && (item.By == outline.Indentation || item.Unclosed):
			last = item.From
		case item.Kind == outline.Block:
			last = -1
		}
	}
	return last >= 0 && t.Takes(last, line)
}

// belongs reports whether line would be part of the block. A block without a closing line contains the
// deeper lines below it, and list items at its key's indentation.
func (s *settling) belongs(line []byte) bool {
	if s.block < 0 || s.span.Last < s.span.End {
		return true
	}
	return outline.Holds(s.run.text.Content(s.block), line)
}

// SettleSection is a compiled `settle section`.
type SettleSection struct{ Name string }

func (*SettleSection) needs(acted) lineNeeds { return wholeText }

func (s *SettleSection) do(r *run) {
	c := r.changes()
	text := r.text.Bytes
	switch {
	case !r.text.HasHeaders():
		r.fail(0, "settle section is for sections in brackets, and this file has none")
	case !r.hasSection(s.Name):
		header := []byte("[" + s.Name + "]")
		if last := lines.Previous(text, 0, len(text)); last < len(text) && !lines.Blank(text[last:]) {
			header = slices.Concat([]byte(r.lineEnding()), header)
		}
		end := len(text)
		c.offer(edit.Edit{Start: end, End: end, New: r.asLines(header, end), Side: edit.Outside})
	}
	c.commitLines()
}

// hasSection reports whether the text has a section with that name.
func (r *run) hasSection(name string) bool {
	return len(r.text.Sections(false, func(n []byte) bool { return string(n) == name })) > 0
}
