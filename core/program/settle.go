package program

import (
	"bytes"
	"fmt"
	"slices"
	"sort"
	"strings"
	"sync"
	"unicode/utf8"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/pattern"
	"frizzel/core/structure"
)

// Settle is a compiled `settle`: exactly one line of each span.
type Settle struct {
	Pattern     *pattern.Pattern
	Text        *Template
	Marks       string // comment marks, each a character
	KeepComment bool   // what stands behind the line
	// A line goes on in the next one where it ends in Continued, or, with ByIndentation,
	// in deeper ones below it.
	Continued     string
	ByIndentation bool
}

func (s *Settle) do(r *run) {
	c, f := r.changes(), r.filler()
	smallest := sync.OnceValue(func() []byte { return step(r.text.Bytes, r.text) })
	for _, span := range r.spans() {
		if r.single(span) {
			r.note(span.Start, "settle is left out here, where a single line is selected: select all the lines that it may choose from")
			continue
		}
		s.span(&settling{s, r, span, r.innermost(), smallest}, c, f)
	}
	c.commitLines()
}

// single reports whether a line, range or block address selects a single line. Between two
// marks one line is as good as many, and as none.
func (r *run) single(span edit.Span) bool {
	a := r.innermost()
	return a != nil && !a.Outside && a.Kind != Section && a.Kind != Paragraph && a.Kind != Between &&
		span.Start < span.End && lines.Next(r.text.Bytes, span.Start, span.End) == span.End
}

// innermost returns the address around the statement, nil for none.
func (r *run) innermost() *Address {
	if n := len(r.stack); n > 0 {
		return r.stack[n-1].address
	}
	return nil
}

// settling is a settle at work on one span.
type settling struct {
	*Settle
	run     *run
	span    edit.Span
	address *Address // the innermost one around it, nil for none
	step    func() []byte
}

// entry is a line that may be settled, with those that continue it.
type entry struct {
	edit.Span
	line  int // from 0
	bare  int // where it begins behind the mark that comments it out, else Start
	opens bool
}

// span settles one line of a span.
func (s *Settle) span(at *settling, c *changes, f *filler) {
	r := at.run
	found, opening := at.matching()
	for _, e := range opening {
		r.note(e.Start, "this line opens a block, and stays as it is")
	}
	if len(found) == 0 && len(opening) > 0 {
		return
	}
	if len(found) == 0 {
		found = at.commented()
	}
	if len(found) > 0 {
		fresh, ok := f.fill(s.Text, found[0].Start, nil)
		if ok {
			edits, ok := at.keepOne(found, fresh)
			f.taken(ok && c.offer(edits...))
		}
		return
	}
	end := at.end()
	fresh, ok := f.fillLine(s.Text, end)
	if !ok {
		return
	}
	e, ok := at.add(end, fresh)
	ok = ok && c.offer(e)
	f.inserted(ok, fresh)
	f.taken(ok)
}

// matching returns the lines that match: those that are settled, and those that open a
// block.
func (s *settling) matching() (found, opening []entry) {
	take := func(e entry) {
		if e.opens {
			opening = append(opening, e)
		} else {
			found = append(found, e)
		}
	}
	text := s.run.text.Bytes
	if s.Continued != "" || s.ByIndentation {
		for e := range s.entries {
			if line := text[e.Start:lines.Next(text, e.Start, e.End)]; s.Pattern.Has(line, 0, len(line)) {
				take(e)
			}
		}
		return found, opening
	}
	next := s.span.Start
	for from, to := range s.runs() {
		s.Pattern.Find(text, from, to, func(loc []int) bool {
			if loc[0] >= next {
				start := lines.Start(text, from, loc[0])
				next = lines.After(text, start, to)
				if e, ok := s.entry(start, min(next, to)); ok {
					take(e)
				}
			}
			return true
		})
	}
	return found, opening
}

// runs yields the runs of lines that are looked at.
func (s *settling) runs() func(yield func(int, int) bool) {
	if s.inBlock() { // with the lines that open inner blocks
		return func(yield func(int, int) bool) { yield(s.span.Start, s.span.End) }
	}
	return s.span.Parts()
}

// inBlock reports whether lines of the block's own level alone are settled.
func (s *settling) inBlock() bool {
	return s.address != nil && s.address.Kind == Block && !s.address.Outside
}

// entry returns the line at start, with what continues it up to end; false for one that
// is deeper than the block's own level.
func (s *settling) entry(start, end int) (entry, bool) {
	t := s.run.text
	e := entry{Span: edit.SpanOf(start, end), line: t.At(start), bare: start}
	if s.inBlock() {
		inner := s.span.Inner
		if i := sort.Search(len(inner), func(i int) bool { return inner[i].End > start }); i < len(inner) && inner[i].Start < start {
			return e, false
		}
		if start >= s.span.Last || start == s.span.Start { // what closes the block, and what opens it
			e.opens = true
			return e, true
		}
	}
	e.opens = t.OpensBeyond(e.line, end, s.ByIndentation)
	return e, true
}

// entries yields all lines that may be settled, each with those that continue it.
func (s *settling) entries(yield func(entry) bool) {
	t, text := s.run.text, s.run.text.Bytes
	for from, to := range s.runs() {
		for at := from; at < to; {
			end := lines.Next(text, at, to)
			switch first := s.inBlock() && at == s.span.Start; {
			case first:
			case s.ByIndentation:
				end = min(t.Start(t.Continued(t.At(at))), to)
			default:
				for line := at; end < to && bytes.HasSuffix(lines.Content(text[line:end]), []byte(s.Continued)); {
					line, end = end, lines.Next(text, end, to)
				}
			}
			e, ok := s.entry(at, end)
			if ok && e.opens && s.ByIndentation { // by brackets: its lines are looked at one by one
				end = lines.Next(text, at, to)
			}
			if ok && !yield(e) {
				return
			}
			at = end
		}
	}
}

// commented returns the first line that would match without its comment mark.
func (s *settling) commented() (found []entry) {
	if s.Marks == "" {
		return nil
	}
	text := s.run.text.Bytes
	try := func(e entry) bool {
		line := lines.Content(text[e.Start:lines.Next(text, e.Start, e.End)])
		indentation := lines.Indentation(line)
		marked := line[len(indentation):]
		bare := bytes.TrimLeft(marked, s.Marks)
		if len(bare) == len(marked) || e.opens {
			return true
		}
		bare = bytes.TrimLeft(bare, " \t")
		if !s.matches(bare) && !s.matches(slices.Concat(indentation, bare)) {
			return true
		}
		e.bare = e.Start + len(line) - len(bare)
		found = append(found, e)
		return false
	}
	if s.Continued != "" || s.ByIndentation {
		s.entries(try)
		return found
	}
	for from, to := range s.runs() {
		for at := from; at < to && len(found) == 0; {
			next := lines.Next(text, at, to)
			if inside := bytes.TrimLeft(text[at:next], " \t"); bytes.IndexAny(inside[:min(1+utf8.UTFMax, len(inside))], s.Marks) == 0 {
				if e, ok := s.entry(at, next); ok {
					try(e)
				}
			}
			at = next
		}
	}
	return found
}

// matches reports whether a line without its ending matches.
func (s *Settle) matches(line []byte) bool {
	line = append(bytes.Clone(line), '\n') // a line of its own, be it empty
	return s.Pattern.Has(line, 0, len(line))
}

// keepOne makes the first of the lines the one, and removes the others.
func (s *settling) keepOne(found []entry, fresh []byte) (edit.List, bool) {
	text := s.run.text.Bytes
	first := found[0]
	old := lines.Content(text[first.Start:lines.Next(text, first.Start, first.End)])
	line, ok := s.written(fresh, lines.Indentation(old), old, first.bare-first.Start)
	if !ok {
		s.run.fail(first.line+1, noMatch(fresh))
		return nil, false
	}
	if !s.belongs(line) {
		s.run.note(first.Start, "this line stays as it is: what it would become would stand outside the block")
		return nil, false
	}
	edits := edit.List{{Start: first.Start, End: first.Start + len(lines.Content(text[first.Start:first.End])), New: line}}
	for _, e := range found[1:] {
		edits = append(edits, edit.Edit{Start: e.Start, End: e.End})
	}
	return edits, true
}

// noMatch says that what settle writes is not what it looks for.
func noMatch(fresh []byte) string {
	return fmt.Sprintf("settle would write %q, which its own pattern does not match", fresh)
}

// written returns the line as it will stand: with the indentation, unless the pattern does
// not match it then, and with the comment that stands in the old line, behind its byte
// bare, unless the pattern does not match that. It reports false where none matches.
func (s *Settle) written(fresh, indentation, old []byte, bare int) ([]byte, bool) {
	if bytes.IndexByte(fresh, '\n') >= 0 {
		return nil, false
	}
	indented := [][]byte{slices.Concat(indentation, fresh), fresh}
	if len(lines.Indentation(fresh)) > 0 || len(indentation) == 0 {
		indented = indented[1:]
	}
	for _, line := range indented {
		if s.KeepComment && len(old) > 0 {
			if with := s.withComment(line, old, bare); s.matches(with) {
				return with, true
			}
		}
		if s.matches(line) {
			return line, true
		}
	}
	return nil, false
}

// Writes reports whether settle can write the text: as it is, or with some indentation.
func (s *Settle) Writes(text string) bool {
	for _, indentation := range []string{"    ", "\t", " "} {
		if _, ok := s.written([]byte(text), []byte(indentation), nil, 0); ok {
			return true
		}
	}
	return false
}

// withComment puts the comment of the old line behind the new one: tabs before it stay,
// spaces keep its column where there is room. One that the line has wins.
func (s *Settle) withComment(line, old []byte, bare int) []byte {
	marks := []string{"#", "//"}
	if s.Marks != "" {
		marks = strings.Split(s.Marks, "")
	}
	at := structure.TrailingComment(old[bare:], marks)
	if at < 0 || structure.TrailingComment(line, marks) >= 0 {
		return line
	}
	at += bare
	space := old[len(bytes.TrimRight(old[:at], " \t")):at]
	if bytes.IndexByte(space, '\t') < 0 {
		room := utf8.RuneCount(old[:at]) - utf8.RuneCount(line)
		space = bytes.Repeat([]byte(" "), max(room, 1))
	}
	return slices.Concat(line, space, old[at:])
}
