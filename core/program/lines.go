package program

import (
	"bytes"
	"slices"
	"sort"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/script"
)

// Delete is a compiled `delete`.
type Delete struct{}

func (Delete) needs(on acted) lineNeeds {
	return on.perSpan().and(lineNeeds{moves: true, takes: true})
}

func (Delete) do(r *run) {
	c := r.changes()
	c.span = true
	for _, s := range r.spans() {
		var edits edit.List
		for from, to := range r.runs(s) {
			edits = append(edits, edit.Edit{Start: from, End: to})
		}
		c.offer(edits...)
	}
	c.commitLines()
}

// commitLines is commit for a statement that adds or removes whole lines.
func (c *changes) commitLines() {
	c.order()
	c.keepEnd()
	c.commit()
}

// keepEnd adjusts the edits so that the last line has, or lacks, an ending as in Input.Text even if the
// statement removes that line or adds one below it. An empty last line keeps its ending; without the ending
// the line would not exist.
func (c *changes) keepEnd() {
	text, last := c.run.text.Bytes, len(c.edits)-1
	if last < 0 || c.edits[last].End != len(text) {
		return
	}
	first := last // the first of the adjacent edits at the end
	for ; len(c.edits[last].New) == 0; last-- {
		first = last
		if last == 0 || c.edits[last-1].End != c.edits[last].Start {
			if before := c.edits[first].Start; !c.run.ended {
				c.edits[first].Start = len(withoutLastEnding(text[:before]))
				end := before - len(lines.Ending(text[:before]))
				if last > 0 && c.edits[last-1].End == end && !lines.AtStart(c.edits[last-1].New, len(c.edits[last-1].New)) {
					c.edits[first].Start = end // keep the ending of an empty line
				}
			}
			return
		}
	}
	e := &c.edits[last]
	switch ending := lines.Ending(e.New); {
	case c.run.ended && ending == "":
		e.New = append(bytes.Clone(e.New), c.run.lineEnding()...)
	case !c.run.ended && !(ending == string(e.New) && lines.AtStart(text, e.Start)):
		e.New = withoutLastEnding(e.New)
	}
}

// withoutLastEnding drops the ending of a text's last line, unless the line is empty.
func withoutLastEnding(text []byte) []byte {
	body := bytes.TrimSuffix(text, []byte(lines.Ending(text)))
	if lines.AtStart(body, len(body)) {
		return text
	}
	return body
}

// Insert is a compiled `insert`.
type Insert struct {
	Where         script.Edge
	Text          *Template
	UnlessPresent bool
}

func (s *Insert) needs(on acted) lineNeeds {
	atEdge := s.Where == script.Above || s.Where == script.Below
	return s.Text.needs().and(lineNeeds{others: !on.whole() || !atEdge || s.UnlessPresent, moves: true})
}

func (s *Insert) do(r *run) {
	c, f := r.changes(), r.filler()
	text := r.text.Bytes
	spans := r.spans()
	if s.Where == script.Top || s.Where == script.End {
		spans = []edit.Span{r.whole()}
	}
	written := map[int]bool{} // starts of the scopes that now contain the lines
	for _, span := range spans {
		at, side := span.Start, edit.Outside
		switch s.Where {
		case script.Below:
			at, side = span.Below, edit.Under
		case script.End:
			at = span.End
		case script.Top:
			at = topOf(text)
		}
		fresh, ok := f.fillLine(s.Text, at)
		if !ok {
			continue
		}
		scope := s.scope(r, span)
		if s.UnlessPresent && (written[scope.Start] || s.present(r, scope, at, fresh)) {
			f.taken(false)
			continue
		}
		ok = c.offer(edit.Edit{Start: at, End: at, New: r.asLines(fresh, at), Side: side})
		f.taken(ok)
		f.inserted(ok, fresh)
		written[scope.Start] = written[scope.Start] || ok
	}
	if s.Where == script.Below { // the innermost first of blocks with the same end
		slices.Reverse(c.edits)
	}
	c.commitLines()
}

// topOf returns the offset for lines at the top: after a #! line or an XML declaration.
func topOf(text []byte) int {
	if bytes.HasPrefix(text, []byte("#!")) || bytes.HasPrefix(text, []byte("<?xml")) {
		return lines.Next(text, 0, len(text))
	}
	return 0
}

// present reports whether the lines exist already in the scope or next to at.
func (s *Insert) present(r *run, scope edit.Span, at int, wanted []byte) bool {
	for from, to := range r.runs(scope) {
		if hasLines(r.text.Bytes[from:to], wanted) {
			return true
		}
	}
	return standsAt(r.text.Bytes, at, wanted, s.Where == script.Below)
}

// scope returns the span that `unless present` searches.
func (s *Insert) scope(r *run, span edit.Span) edit.Span {
	if s.Where == script.Top || s.Where == script.End {
		return r.whole()
	}
	return r.scopeOf(span)
}

// scopeOf returns the innermost section, block, paragraph or range that encloses a span. It returns the whole
// file if there is none, and under `outside`.
func (r *run) scopeOf(span edit.Span) edit.Span {
	if slices.ContainsFunc(r.stack, func(s selection) bool { return s.address.Outside }) {
		return r.whole()
	}
	for _, sel := range slices.Backward(r.stack) {
		if !sel.address.isScope() {
			continue
		}
		before := sort.Search(len(sel.spans), func(i int) bool { return sel.spans[i].Start > span.Start })
		for _, s := range slices.Backward(sel.spans[:before]) {
			if span.End <= s.End && (s.Start == s.End || r.holds(s, span.Start)) {
				return s
			}
			break // earlier spans end before it
		}
	}
	return r.whole()
}

// hasLines reports whether text contains the lines consecutively, whatever the white space at their ends.
func hasLines(text, wanted []byte) bool {
	for at := 0; at < len(text); at = lines.Next(text, at, len(text)) {
		if linesAt(text[at:], wanted) {
			return true
		}
	}
	return false
}

// linesAt reports whether text begins with the lines, each of them whole, whatever the white space at their ends.
func linesAt(text, wanted []byte) bool {
	for {
		want, rest, more := bytes.Cut(wanted, []byte("\n"))
		if len(text) == 0 {
			return false
		}
		next := lines.Next(text, 0, len(text))
		if !bytes.Equal(bytes.TrimSpace(text[:next]), bytes.TrimSpace(want)) {
			return false
		}
		if !more {
			return true
		}
		text, wanted = text[next:], rest
	}
}

// standsAt reports whether the lines are immediately after at, or, if below is false, immediately before it.
func standsAt(text []byte, at int, wanted []byte, below bool) bool {
	if below {
		return linesAt(text[at:], wanted)
	}
	start := at
	for range bytes.Count(wanted, []byte("\n")) + 1 {
		start = lines.Previous(text, 0, start)
	}
	return start < at && linesAt(text[start:at], wanted)
}

// asLines returns fresh as whole lines for insertion at a line boundary. It appends an ending, and prepends
// one if the preceding last line has none.
func (r *run) asLines(fresh []byte, at int) []byte {
	text := r.text.Bytes
	if at == len(text) && at > 0 && text[at-1] != '\n' {
		fresh = slices.Concat([]byte(r.lineEnding()), fresh)
	}
	return append(fresh, r.lineEnding()...)
}

// Rewrite is a compiled `rewrite`.
type Rewrite struct{ Text *Template }

func (s *Rewrite) needs(on acted) lineNeeds {
	return s.Text.needs().and(lineNeeds{others: !on.whole(), moves: true})
}

func (s *Rewrite) do(r *run) {
	c, f := r.changes(), r.filler()
	text := r.text.Bytes
	for _, span := range r.spans() {
		fresh, ok := f.fill(s.Text, span.Start, nil)
		if !ok {
			continue
		}
		e := edit.Edit{Start: span.Start, End: span.End}
		switch ending := lines.Ending(text[:span.End]); {
		case span.Start == span.End:
			e.New = r.asLines(fresh, span.Start)
		case ending == "":
			if e.New = append(fresh, r.lineEnding()...); !r.ended {
				e.New = withoutLastEnding(e.New)
			}
		default:
			e.New = append(fresh, ending...)
		}
		f.taken(c.offer(e))
	}
	c.commitLines()
}

// Comment is a compiled `comment out`, or `uncomment` if Out is false.
type Comment struct {
	Out  bool
	Mark *Template
}

func (s *Comment) needs(on acted) lineNeeds {
	return s.Mark.needs().and(lineNeeds{others: !on.whole(), spans: !on.whole()})
}

func (s *Comment) do(r *run) {
	c, f := r.changes(), r.filler()
	c.span = true
	for _, span := range r.spans() {
		mark, ok := f.fill(s.Mark, span.Start, nil)
		if !ok {
			continue
		}
		known := bytes.TrimRight(mark, " \t")
		if len(known) == 0 {
			r.fail(r.text.At(span.Start)+1, "the comment mark is empty")
			continue
		}
		var edits edit.List
		if s.Out {
			edits = r.commentOut(span, mark, known)
		} else {
			edits = r.uncomment(span, known)
		}
		f.taken(c.offer(edits...))
	}
	c.commit()
}

// nonBlank yields the offset and the content of each line of a span that is not blank.
func (r *run) nonBlank(span edit.Span, yield func(at int, line []byte)) {
	text := r.text.Bytes
	for from, to := range r.runs(span) {
		for at := from; at < to; {
			next := lines.Next(text, at, to)
			if line := lines.Content(text[at:next]); !lines.Blank(line) {
				yield(at, line)
			}
			at = next
		}
	}
}

// commentOut returns the edits that add a mark to the lines that do not begin with known. The marks stand below
// each other, at the least indentation of the lines.
func (r *run) commentOut(span edit.Span, mark, known []byte) (edits edit.List) {
	least := -1
	r.nonBlank(span, func(_ int, line []byte) {
		if n := len(lines.Indentation(line)); least < 0 || n < least {
			least = n
		}
	})
	r.nonBlank(span, func(at int, line []byte) {
		if !bytes.HasPrefix(line[len(lines.Indentation(line)):], known) {
			edits = append(edits, edit.Edit{Start: at + least, End: at + least, New: mark})
		}
	})
	return edits
}

// uncomment returns the edits that remove a mark, and the space behind it if that leaves the lines' indentation
// towards each other as it is.
func (r *run) uncomment(span edit.Span, mark []byte) (edits edit.List) {
	spaced := true
	r.nonBlank(span, func(_ int, line []byte) {
		bare, marked := bytes.CutPrefix(line[len(lines.Indentation(line)):], mark)
		spaced = spaced && (!marked || len(bare) == 0 || bare[0] == ' ' || bare[0] == '\t')
	})
	r.nonBlank(span, func(at int, line []byte) {
		indentation := len(lines.Indentation(line))
		bare, marked := bytes.CutPrefix(line[indentation:], mark)
		if !marked {
			return
		}
		e := edit.Edit{Start: at + indentation, End: at + indentation + len(mark)}
		if spaced && bytes.HasPrefix(bare, []byte(" ")) {
			e.End++
		}
		edits = append(edits, e)
	})
	return edits
}
