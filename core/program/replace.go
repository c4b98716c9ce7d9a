package program

import (
	"bytes"
	"errors"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/literals"
	"frizzel/core/pattern"
	"frizzel/core/script"
)

// A filler fills templates for the changes of one statement in order.
type filler struct {
	run     *run
	filling filling
	counted int    // offset up to which lines are counted
	line    int    // 1-based line of that offset
	at      int    // offset of the current change
	span    int    // index of the span of the current change, for {=count-here}
	added   int    // number of lines inserted so far
	named   string // the text that received a new pseudonym in the current change
	room    []byte // unused memory for the next texts
	piece   int    // size of the last allocation in bytes

	constant *Template // the last template, if it does not depend on the text
	fixed    []byte    // its text
}

func (r *run) filler() *filler {
	f := &filler{run: r, line: 1}
	f.filling = filling{text: r.text.Bytes, file: r.in.File, ending: r.lineEnding()}
	f.filling.line = f.lineNumber
	before := r.in.Before
	if w := r.in.Window; w != nil {
		before = w.Before
	}
	f.filling.count = r.result.Counters.changes[r.statement] - before.of(r.statement)
	f.filling.path = func() string { return r.path(nil) }
	f.filling.pseudonym, f.filling.most = f.pseudonym, r.budget()
	return f
}

// lineNumber returns the 1-based line of the current change. Changes must be in order of their offsets.
func (f *filler) lineNumber() int {
	if f.at < f.counted {
		f.counted, f.line = 0, 1
	}
	f.line += bytes.Count(f.run.text.Bytes[f.counted:f.at], []byte("\n"))
	f.counted = f.at
	if v := f.run.value; v != nil {
		at := v.place(f.run.places().origin(f.at))
		return v.outer.in.linesBefore() + lines.Number(v.outer.text.Bytes, at) + f.added
	}
	return f.run.in.linesBefore() + f.line + f.added
}

// fillLine is fill for a line that is inserted at the offset at.
func (f *filler) fillLine(t *Template, at int) ([]byte, bool) {
	if lines.AtStart(f.run.text.Bytes, at) {
		return f.fill(t, at, nil)
	}
	f.added++ // after a last line without an ending
	out, ok := f.fill(t, at, nil)
	f.added--
	return out, ok
}

// inserted counts the lines of fresh if its insertion was accepted.
func (f *filler) inserted(ok bool, fresh []byte) {
	if ok {
		f.added += bytes.Count(fresh, []byte("\n")) + 1
	}
}

// fill returns the template's text for the change at the offset at. If a filter fails, it notes why and
// reports false.
func (f *filler) fill(t *Template, at int, loc []int) ([]byte, bool) {
	f.at, f.filling.loc = at, loc
	f.filling.count++
	f.countHere(loc != nil)
	f.filling.countAll = f.run.result.Counters.changes[f.run.statement] + 1
	if f.run.in.Of != script.Content { // the number of the name, whatever matches in it
		f.filling.countAll = f.run.in.Before.of(f.run.statement) + 1
		f.filling.count = f.filling.countAll
	}
	if f.named = ""; f.constant == t {
		return f.fixed, true
	}
	if cap(f.room) < 64 {
		f.piece = min(max(64, 2*f.piece), 16<<10)
		f.room = make([]byte, 0, f.piece)
	}
	out, err := t.expand(f.room, &f.filling)
	if errors.Is(err, errTooLong) {
		f.run.exceed("the changes of " + f.run.rule.Label)
		f.taken(false)
		return nil, false
	}
	if err != nil {
		f.run.fail(f.lineNumber(), err.Error())
		f.taken(false)
		return nil, false
	}
	f.room, out = out[len(out):], out[:len(out):len(out)]
	if _, ok := t.Constant(); ok {
		f.constant, f.fixed = t, out
	}
	return out, true
}

// countHere counts the change among those of its span. A statement without a match acts once in each span.
func (f *filler) countHere(match bool) {
	if !match {
		f.filling.here = 1
		return
	}
	spans := f.run.spans()
	k := f.span
	for k < len(spans)-1 && spans[k].End <= f.at && spans[k+1].Start <= f.at {
		k++
	}
	if k != f.span {
		f.span, f.filling.here = k, 0
	}
	f.filling.here++
}

// taken counts the current change if it was accepted, and otherwise frees its pseudonym.
func (f *filler) taken(ok bool) {
	if f.run.in.Of != script.Content {
		f.run.result.Counters.changes[f.run.statement] = f.run.in.Before.of(f.run.statement) + 1
		return
	}
	if ok {
		f.run.result.Counters.changes[f.run.statement]++
	} else {
		f.filling.count--
		f.filling.here--
		f.run.result.Counters.forget(f.run.statement, f.named)
	}
}

// pseudonym returns the number of the matched text.
func (f *filler) pseudonym(matched string) int {
	n, fresh := f.run.result.Counters.pseudonym(f.run.statement, matched)
	if fresh {
		f.named = matched
	}
	return n
}

// Replace is a compiled `replace`, or `remove` if With is nil.
type Replace struct {
	Pattern    *pattern.Pattern
	With       *Template
	Which      script.Which
	InFile     bool // count occurrences in the whole selection, not in each line
	KeepCase   bool
	WholeLines bool // `remove` also removes the lines' endings
}

func (s *Replace) needs(acted) lineNeeds {
	n := s.With.needs()
	n.others = s.InFile || s.Pattern.SpansLines()
	return n
}

func (s *Replace) do(r *run) {
	if r.lacks(s.Pattern) {
		return
	}
	c, f := r.changes(), r.filler()
	s.occurrences(r, func(loc []int) {
		e := edit.Edit{Start: loc[0], End: loc[1]}
		if s.With == nil {
			if s.WholeLines {
				e.End = lines.Next(r.text.Bytes, e.End, len(r.text.Bytes))
			}
			c.offer(e)
			return
		}
		fresh, ok := f.fill(s.With, loc[0], loc)
		if !ok {
			return
		}
		if s.KeepCase {
			fresh = KeepCase(r.text.Bytes[loc[0]:loc[1]], fresh)
		}
		e.New = fresh
		f.taken(c.offer(e))
	})
	if s.With == nil && s.WholeLines {
		c.keepEnd()
	}
	c.commit()
}

// occurrences calls act with each match that the statement changes.
func (s *Replace) occurrences(r *run, act func(loc []int)) {
	if s.Which == (script.Which{}) {
		for _, span := range r.parts() {
			s.Pattern.Find(r.text.Bytes, span.Start, span.End, func(loc []int) bool {
				r.found(1)
				act(loc)
				return true
			})
		}
		return
	}
	all := slices.ContainsFunc(r.rule.Expects, func(e Expectation) bool { return e.Matches })
	n, lineEnd := 0, -1
	var last []int // the last match in the line or in the file
	flush := func() {
		if last != nil {
			act(last)
			last = nil
		}
	}
	for _, span := range r.parts() {
		s.Pattern.Find(r.text.Bytes, span.Start, span.End, func(loc []int) bool {
			if !s.InFile && loc[0] >= lineEnd {
				flush()
				n, lineEnd = 0, lines.After(r.text.Bytes, loc[0], len(r.text.Bytes))
			}
			n++
			r.found(1)
			if s.Which.Last {
				last = append(last[:0], loc...)
			} else if n >= s.Which.From && (s.Which.To == 0 || n <= s.Which.To) {
				act(loc)
			}
			return all || !s.InFile || s.Which.Last || s.Which.To == 0 || n < s.Which.To
		})
	}
	flush()
}

// ReplaceEach is a compiled `replace each`.
type ReplaceEach struct {
	Set      *literals.Set
	With     []*Template // indexed by literal
	KeepCase bool
	Table    *Table // nil if the pairs are in the script
}

// A Table is a CSV file of pairs.
type Table struct {
	Path string
	Rows []string // the old texts
}

func (s *ReplaceEach) needs(acted) (n lineNeeds) {
	for _, with := range s.With {
		n = n.and(with.needs())
	}
	return n
}

func (s *ReplaceEach) do(r *run) {
	c, f := r.changes(), r.filler()
	for _, span := range r.parts() {
		s.Set.Find(r.text.Bytes, span.Start, span.End, func(start, end, which int) bool {
			loc := []int{start, end}
			r.found(1)
			fresh, ok := f.fill(s.With[which], start, loc)
			if !ok {
				return true
			}
			if s.KeepCase {
				fresh = KeepCase(r.text.Bytes[start:end], fresh)
			}
			f.taken(c.offer(edit.Edit{Start: start, End: end, New: fresh}))
			r.result.hit(s.Table, which)
			return true
		})
	}
	c.commit()
}

// hit records that a row of a table matched.
func (r *Result) hit(t *Table, row int) {
	if t == nil {
		return
	}
	if r.hits == nil {
		r.hits = map[*Table]map[int]bool{}
	}
	if r.hits[t] == nil {
		r.hits[t] = map[int]bool{}
	}
	r.hits[t][row] = true
}
