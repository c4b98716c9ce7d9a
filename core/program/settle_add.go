package program

import (
	"bytes"
	"slices"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/structure"
)

// end returns where a line is added: behind the span's last non-blank line, before what
// closes it.
func (s *settling) end() int {
	text, end := s.run.text.Bytes, s.span.Last
	for end > s.span.Start && lines.Blank(text[lines.Previous(text, s.span.Start, end):end]) {
		end = lines.Previous(text, s.span.Start, end)
	}
	return end
}

// add puts a line at the span's end. It reports false, and notes why, where it would not
// be the span's when the script runs again.
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
	line, ok := s.written(fresh, indentation, nil, 0)
	if !ok {
		r.fail(r.text.At(max(end-1, 0))+1, noMatch(fresh))
		return edit.Edit{}, false
	}
	if !s.belongs(line) || s.crossed(end) {
		return note("the line would stand outside the block, or in one within it")
	}
	e := edit.Edit{Start: end, End: end, New: r.asLines(line, end), Side: edit.Behind}
	if end == s.span.Start {
		e.Side = edit.Within
	}
	return e, true
}

// shifting reports whether one of the addresses around would not hold a line that is added
// at end when the script runs again.
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

// shifts reports whether the address selects by where lines stand, or ends where something
// else begins.
func (a *Address) shifts() bool {
	switch a.Kind {
	case Lines, FirstLines, LastLines, LinesWith, LinesWithout, Until:
		return true
	}
	return a.Outside
}

// indentation returns what a line at end begins with: that of the last line that begins at
// the block's own level, in an empty block one step more than the block; elsewhere that of
// the line before.
func (s *settling) indentation(end int) []byte {
	t, text := s.run.text, s.run.text.Bytes
	if !s.inBlock() {
		if end == s.span.Start {
			return nil
		}
		start := lines.Previous(text, s.span.Start, end)
		if s.Continued != "" || s.ByIndentation {
			for e := range s.entries {
				if e.Start < end && !lines.Blank(text[e.Start:e.End]) {
					start = e.Start
				}
			}
		}
		return lines.Indentation(text[start:end])
	}
	var own []byte // of the last line, a comment only where there is nothing else
	found := false
	next := lines.Next(text, s.span.Start, s.span.End)
	inner := s.span.Inner
	for at := next; at < end; at = next {
		next = lines.Next(text, at, end)
		for len(inner) > 0 && inner[0].End <= at {
			inner = inner[1:]
		}
		if len(inner) > 0 && inner[0].Start <= at {
			next = min(inner[0].End, end)
		}
		line := lines.Content(text[at:lines.Next(text, at, end)])
		comment := t.IsComment(line)
		if lines.Blank(line) || t.GoesOn(t.At(at)) || found && comment {
			continue
		}
		own = lines.Indentation(line)
		found = found || !comment
	}
	head := lines.Indentation(text[s.span.Start:])
	if own == nil || !found && len(own) <= len(head) {
		return slices.Concat(head, s.step())
	}
	return own
}

// crossed reports whether a line at end would be in a block within the block, which ends with
// it or goes on behind it.
func (s *settling) crossed(end int) bool {
	n := len(s.span.Inner)
	return s.inBlock() && n > 0 && (s.span.Inner[n-1].End > end ||
		s.span.Last == s.span.End && s.run.text.OpensBeyond(s.run.text.At(s.span.Inner[n-1].Start), s.span.End, false))
}

// belongs reports whether a line would be part of the block: one that is closed by nothing
// holds what is deeper, and the items of a list at its key's depth.
func (s *settling) belongs(line []byte) bool {
	if !s.inBlock() || s.span.Last < s.span.End {
		return true
	}
	head := lines.Content(s.run.text.Bytes[s.span.Start:lines.Next(s.run.text.Bytes, s.span.Start, s.span.End)])
	return structure.Holds(head, line)
}

// step returns the smallest indentation in a text, four spaces where it has none.
func step(text []byte, t *structure.Text) []byte {
	least := []byte(nil)
	for at := 0; at < len(text); {
		next := lines.Next(text, at, len(text))
		line := text[at:next]
		at = next
		indentation := lines.Indentation(line)
		if len(indentation) == 0 || lines.Blank(line) || t.IsComment(line) || bytes.HasPrefix(line[len(indentation):], []byte("*")) {
			continue
		}
		if least == nil || structure.Depth(indentation) < structure.Depth(least) {
			least = indentation
		}
	}
	if least == nil {
		return []byte("    ")
	}
	return least
}

// SettleSection is a compiled `settle section`.
type SettleSection struct{ Name string }

func (s *SettleSection) do(r *run) {
	c := r.changes()
	text := r.text.Bytes
	switch {
	case r.value == nil && r.in.File.markdown():
		r.fail(0, "settle section is for sections in brackets, and this is a Markdown file")
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

// hasSection reports whether the text has a section of the name.
func (r *run) hasSection(name string) bool {
	spans, _ := r.text.Sections(name)
	return len(spans) > 0
}
