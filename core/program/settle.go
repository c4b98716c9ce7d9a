package program

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
)

// Settle is a compiled `settle`: it makes some lines of each span the given ones.
type Settle struct {
	Pattern     *pattern.Pattern
	Text        *Template
	Marks       []string // the comment marks, without white space at their ends
	KeepComment bool     // keep a comment at the end of the line
	// A line continues on the next one if it ends with Continued, or, with ByIndentation, if the next one
	// is indented deeper.
	Continued     string
	ByIndentation bool
	// Where nothing matches, the lines are added at the top, below the last line that matches Near or, without Below, above
	// the first one; otherwise at the end.
	AtTop bool
	Below bool
	Near  *pattern.Pattern
}

func (*Settle) needs(acted) lineNeeds { return wholeText }

func (s *Settle) do(r *run) {
	c, f := r.changes(), r.filler()
	r.noteSections()
	for _, span := range r.spans() {
		if r.single(span) {
			r.note(span.Start, "settle is left out here, because a single line is selected: select all the lines that it may choose from")
			continue
		}
		s.span(&settling{Settle: s, run: r, span: span, block: r.blockOf(span), like: -1}, c, f)
	}
	c.commitLines()
}

// noteSections notes that a name selects several sections, and that each is settled.
func (r *run) noteSections() {
	a := r.innermost()
	if a == nil || a.Outside || len(r.spans()) < 2 {
		return
	}
	if _, ok := a.Form.(*Section); ok {
		r.note(r.spans()[1].Start, "this is another section that is selected; each of them is settled")
	}
}

// single reports whether a line, range or block address selects a single line. `between` may select any
// number of lines.
func (r *run) single(span edit.Span) bool {
	a := r.innermost()
	return a != nil && !a.Outside && a.Form.traits().narrow &&
		span.Start < span.End && lines.Next(r.text.Bytes, span.Start, span.End) == span.End
}

// innermost returns the innermost enclosing address, or nil.
func (r *run) innermost() *Address {
	if n := len(r.stack); n > 0 {
		return r.stack[n-1].address
	}
	return nil
}

// blockOf returns the 0-based opening line of the block that the span is, or -1 if it is not a block.
func (r *run) blockOf(span edit.Span) int {
	if a := r.innermost(); a != nil && a.isBlock() {
		return r.text.At(span.Start)
	}
	return -1
}

// A settling is the state of a settle within one span.
type settling struct {
	*Settle
	run   *run
	span  edit.Span
	block int // 0-based opening line of the block that the span is, or -1
	like  int // offset of the line whose indentation added lines take, or -1
}

// A candidate is a line that may be settled, with its continuation lines.
type candidate struct {
	edit.Span
	line  int // 0-based
	bare  int // offset after its comment mark, or Start if it has none
	opens bool
}

// span settles one line of a span.
func (s *Settle) span(at *settling, c *changes, f *filler) {
	r := at.run
	found, opening := at.matching()
	r.found(len(found))
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
		if ok && len(opening) > 0 && bytes.IndexByte(fresh, '\n') >= 0 { // one of the lines cannot be replaced
			f.taken(false)
			return
		}
		if ok {
			edits, ok := at.keepOne(found, fresh)
			f.taken(ok && c.offer(edits...))
		}
		return
	}
	end := at.place()
	fresh, ok := f.fillLine(s.Text, end)
	if !ok {
		return
	}
	e, ok := at.add(end, fresh)
	ok = ok && c.offer(e)
	f.inserted(ok, fresh)
	f.taken(ok)
}

// matching returns the candidates that match: those that may become the line, and separately those that open
// a block.
func (s *settling) matching() (found, opening []candidate) {
	text, sort := s.run.text.Bytes, s.sortOfText()
	take := func(e candidate) {
		switch kind := s.run.text.Item(e.line).Kind; {
		case e.opens:
			opening = append(opening, e)
		case kind == outline.Entry || kind == outline.Block || kind == sort: // deeper lines below an entry make it a block
			found = append(found, e)
		}
	}
	if s.Continued != "" || s.ByIndentation {
		for e := range s.candidates {
			if line := text[e.Start:lines.Next(text, e.Start, e.End)]; s.Pattern.Has(line, 0, len(line)) {
				take(e)
			}
		}
		return found, opening
	}
	next := s.span.Start
	s.Pattern.Find(text, s.span.Start, s.span.End, func(loc []int) bool {
		if loc[0] >= next {
			start := lines.Start(text, s.span.Start, loc[0])
			next = lines.After(text, start, s.span.End)
			if e, ok := s.candidate(start, min(next, s.span.End)); ok {
				take(e)
			}
		}
		return true
	})
	return found, opening
}

// sortOfText returns the kind of the line that settle writes: Comment, Blank or Entry. Lines of that kind are
// candidates, so a second run finds the line that the first run wrote.
func (s *settling) sortOfText() outline.Kind {
	if len(s.Text.Parts) == 0 {
		return outline.Blank
	}
	if s.Text.Parts[0].From != FromLiteral {
		return outline.Entry
	}
	return s.run.text.KindOf([]byte(s.Text.Parts[0].Literal))
}

// candidate returns the line at start with its continuation lines up to end. It reports false if the line
// cannot be settled, or is not a child of the block.
func (s *settling) candidate(start, end int) (candidate, bool) {
	t := s.run.text
	e := candidate{Span: edit.SpanOf(start, end), line: t.At(start), bare: start}
	if s.block >= 0 && !t.IsChild(e.line, s.block) {
		return e, false
	}
	e.opens = t.Opens(e.line)
	if item := t.Item(e.line); item.Kind == outline.Block && !item.Unclosed {
		e.opens = t.Start(item.To) > end // otherwise its children are only continuation lines
	}
	return e, true
}

// candidates yields all candidates of the span.
func (s *settling) candidates(yield func(candidate) bool) {
	t, text := s.run.text, s.run.text.Bytes
	for at := s.span.Start; at < s.span.End; {
		end := lines.Next(text, at, s.span.End)
		switch i := t.At(at); {
		case i == s.block:
		case s.ByIndentation:
			if item := t.Item(i); item.Kind == outline.Block && item.By == outline.Indentation {
				end = min(t.Start(item.To), s.span.End)
			}
		case s.Continued != "":
			for line := at; end < s.span.End && bytes.HasSuffix(lines.Content(text[line:end]), []byte(s.Continued)); {
				line, end = end, lines.Next(text, end, s.span.End)
			}
		}
		if e, ok := s.candidate(at, end); ok && !yield(e) {
			return
		}
		at = end
	}
}

// commented returns, as a list, the line that matches without its comment mark: the first one whose mark touches
// the text, else the only one that has white space there. It notes the lines that it passes over.
func (s *settling) commented() []candidate {
	if len(s.Marks) == 0 {
		return nil
	}
	var touching, spaced []candidate
	for e := range s.candidates {
		bare, ok := s.uncommented(e)
		if !ok {
			continue
		}
		e.bare = bare
		if b := s.run.text.Bytes[bare-1]; b == ' ' || b == '\t' {
			spaced = append(spaced, e)
		} else {
			touching = append(touching, e)
		}
	}
	switch {
	case len(touching) > 0:
		s.takenOf(touching[0], append(slices.Clone(touching[1:]), spaced...))
		return touching[:1]
	case len(spaced) == 1:
		return spaced
	case len(spaced) > 1:
		s.run.note(spaced[0].Start, "none of these commented lines is taken, because they may be prose: "+s.numbers(spaced))
	}
	return nil
}

// uncommented returns the offset of a candidate's text behind its comment mark and white space. It reports false if
// there is no mark, or if the line does not match without it.
func (s *settling) uncommented(e candidate) (bare int, ok bool) {
	if e.opens || s.run.text.Within(e.line) {
		return 0, false
	}
	text := s.run.text.Bytes
	line := lines.Content(text[e.Start:lines.Next(text, e.Start, e.End)])
	indentation := lines.Indentation(line)
	for _, mark := range s.Marks {
		rest, marked := bytes.CutPrefix(line[len(indentation):], []byte(mark))
		if !marked {
			continue
		}
		rest = bytes.TrimLeft(rest, " \t")
		if s.matches(rest) || s.matches(slices.Concat(indentation, rest)) {
			return e.Start + len(line) - len(rest), true
		}
	}
	return 0, false
}

// takenOf notes that a commented line is taken, and others are not.
func (s *settling) takenOf(one candidate, others []candidate) {
	if len(others) > 0 {
		s.run.note(one.Start, "this commented line is taken, and others that match are not: "+s.numbers(others))
	}
}

// numbers lists the numbers of lines, the first few.
func (s *settling) numbers(of []candidate) string {
	var out []string
	for _, e := range of[:min(len(of), 5)] {
		out = append(out, strconv.Itoa(s.run.in.linesBefore()+e.line+1))
	}
	if len(of) > 5 {
		out = append(out, "…")
	}
	if len(of) == 1 {
		return "line " + out[0]
	}
	return "lines " + strings.Join(out, ", ")
}

// matches reports whether a line without its ending matches.
func (s *Settle) matches(line []byte) bool {
	line = append(bytes.Clone(line), '\n') // a complete line, even if it is empty
	return s.Pattern.Has(line, 0, len(line))
}

// keepOne returns the edits that replace the first line found and delete the others.
func (s *settling) keepOne(found []candidate, fresh []byte) (edit.List, bool) {
	text := s.run.text.Bytes
	first := found[0]
	old := lines.Content(text[first.Start:lines.Next(text, first.Start, first.End)])
	var with func([]byte) []byte
	if s.KeepComment {
		with = func(line []byte) []byte { return s.withComment(line, old, first.bare-first.Start) }
	}
	fresh, ok := s.allWritten(fresh, lines.Indentation(old), first.line, with)
	if !ok {
		return nil, false
	}
	for line := range bytes.SplitSeq(fresh, []byte("\n")) {
		if !s.belongs(line) {
			s.run.note(first.Start, "this line stays as it is: what it would become would stand outside the block")
			return nil, false
		}
	}
	if s.stand(found, fresh) {
		return nil, true
	}
	fresh = bytes.ReplaceAll(fresh, []byte("\n"), []byte(s.run.lineEnding()))
	edits := edit.List{{Start: first.Start, End: first.Start + len(lines.Content(text[first.Start:first.End])), New: fresh}}
	for _, e := range found[1:] {
		edits = append(edits, edit.Edit{Start: e.Start, End: e.End})
	}
	return edits, true
}

// stand reports whether the candidates are the lines already, and stand together.
func (s *settling) stand(found []candidate, fresh []byte) bool {
	text := s.run.text.Bytes
	for i, e := range found {
		line, rest, more := bytes.Cut(fresh, []byte("\n"))
		if !bytes.Equal(lines.Content(text[e.Start:e.End]), line) || i > 0 && found[i-1].End != e.Start || more != (i+1 < len(found)) {
			return false
		}
		fresh = rest
	}
	return true
}

// allWritten is written for each line of a text, which are joined by "\n". If the pattern matches neither form of
// one it fails the file at the 0-based line at.
func (s *settling) allWritten(fresh, indentation []byte, at int, with func(line []byte) []byte) ([]byte, bool) {
	var out [][]byte
	for line := range bytes.SplitSeq(bytes.ReplaceAll(fresh, []byte("\r\n"), []byte("\n")), []byte("\n")) {
		written, ok := s.written(line, indentation, with)
		if !ok {
			s.run.fail(at+1, noMatch(line))
			return nil, false
		}
		out = append(out, written)
	}
	return bytes.Join(out, []byte("\n")), true
}

// noMatch returns the message that the line which settle would write does not match its own pattern.
func noMatch(fresh []byte) string {
	return fmt.Sprintf("settle would write %q, which its own pattern does not match", fresh)
}

// written returns the line to write: with the indentation if the pattern matches that, else without; and
// passed through with if the pattern still matches the result. It reports false if the pattern matches none of
// these.
func (s *Settle) written(fresh, indentation []byte, with func(line []byte) []byte) ([]byte, bool) {
	indented := [][]byte{slices.Concat(indentation, fresh), fresh}
	if len(lines.Indentation(fresh)) > 0 || len(indentation) == 0 {
		indented = indented[1:]
	}
	for _, line := range indented {
		if with != nil {
			if line := with(line); s.matches(line) {
				return line, true
			}
		}
		if s.matches(line) {
			return line, true
		}
	}
	return nil, false
}

// Writes reports whether settle can write the text, unchanged or indented.
func (s *Settle) Writes(text string) bool {
	for line := range strings.SplitSeq(text, "\n") {
		if !slices.ContainsFunc([]string{"    ", "\t", " "}, func(indentation string) bool {
			_, ok := s.written([]byte(line), []byte(indentation), nil)
			return ok
		}) {
			return false
		}
	}
	return true
}

// withComment appends the old line's comment to the new line. It keeps tabs before the comment, or its column
// if there is room. A comment in the new line wins.
func (s *settling) withComment(line, old []byte, bare int) []byte {
	trailing := s.run.text.TrailingComment
	if len(s.Marks) > 0 {
		trailing = func(line []byte) int { return outline.TrailingMark(line, s.Marks) }
	}
	at := trailing(old[bare:])
	if at < 0 || trailing(line) >= 0 {
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
