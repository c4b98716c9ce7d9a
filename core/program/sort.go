package program

import (
	"bytes"
	"math/big"
	"slices"
	"strings"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
	"frizzel/core/script"
	"frizzel/core/word"
)

// Sort is a compiled `sort lines`.
type Sort struct {
	ByNumber   bool
	By         *pattern.Pattern // nil for the whole line
	Descending bool
	IgnoreCase bool
}

func (*Sort) needs(acted) lineNeeds { return wholeText }

func (s *Sort) do(r *run) {
	c := r.changes()
	for _, span := range r.spans() {
		if !r.withoutBlocks(span, "sort lines") {
			continue
		}
		slots := r.slots(span)
		sorted := slices.Clone(slots)
		for i := range sorted {
			s.key(&sorted[i])
		}
		slices.SortStableFunc(sorted, s.order)
		var edits edit.List
		for i, slot := range slots {
			if from := sorted[i]; from.Span != slot.Span {
				edits = append(edits, edit.Edit{Start: slot.Start, End: slot.End, New: r.wholeLines(from.Span)})
			}
		}
		c.offer(edits...)
	}
	c.commitLines()
}

// wholeLines returns a copy of lines, the last one with an ending.
func (r *run) wholeLines(s edit.Span) []byte {
	text := bytes.Clone(r.text.Bytes[s.Start:s.End])
	if lines.Ending(text) == "" {
		text = append(text, r.lineEnding()...)
	}
	return text
}

// withoutBlocks reports whether a span holds no block within it, nor a line at which its own goes on. Else it
// refuses the file.
func (r *run) withoutBlocks(span edit.Span, what string) bool {
	first, end := r.text.At(span.Start), r.lineBehind(span)
	for i := first; i < end; i++ {
		reason := ""
		switch item := r.text.Item(i); {
		case r.text.GoesOn(i):
			reason = "this line closes one part of a block and opens the next"
		case i == first && r.opens(span):
		case item.Kind == outline.Section, item.Kind == outline.Block && !item.Unclosed:
			reason = "this line opens one"
		}
		if reason != "" {
			r.fail(r.lineRead(r.text.Start(i)), what+" is for lines without blocks among them, and "+reason+"; select the lines")
			return false
		}
	}
	return true
}

// lineBehind returns the line behind a span.
func (r *run) lineBehind(span edit.Span) int {
	if span.Start == span.End {
		return r.text.At(span.Start)
	}
	return r.text.At(span.End-1) + 1
}

// opens reports whether a span's first line is a header, the opening line of a block, or that of a range.
func (r *run) opens(span edit.Span) bool {
	a := r.innermost()
	if a == nil || a.Outside {
		return false
	}
	switch f := a.Form.(type) {
	case *Section:
		return r.text.Item(r.text.At(span.Start)).Kind == outline.Section
	case *Block:
		return true
	case *Range:
		return f.Form != script.Between
	}
	return false
}

// A slot is a line that is sorted, with the comments directly above it.
type slot struct {
	edit.Span
	line []byte // without its ending
	// The key: what is compared, and whether the line has it.
	text   []byte
	number *big.Rat
	found  bool
}

// slots returns what is sorted of a span: its lines but blank ones, headers, opening and closing lines, and comments
// without a line below.
func (r *run) slots(span edit.Span) (slots []slot) {
	text := r.text.Bytes
	at := span.Start
	if r.opens(span) {
		at = lines.Next(text, at, span.End)
	}
	for from := at; at < span.Last; {
		next := lines.Next(text, at, span.End)
		i := r.text.At(at)
		switch line := lines.Content(text[at:next]); {
		case r.text.Item(i).Kind == outline.Comment:
		case lines.Blank(line) || r.text.Opens(i):
			from = next
		default:
			slots = append(slots, slot{Span: edit.SpanOf(from, next), line: line})
			from = next
		}
		at = next
	}
	return slots
}

// key sets what a slot is sorted by.
func (s *Sort) key(l *slot) {
	l.found, l.text = true, l.line
	if s.By != nil {
		start, end, found := s.By.First(l.line, 0, len(l.line), 0)
		if l.found = found; found {
			l.text = l.line[start:end]
		}
	}
	if s.ByNumber && l.found {
		l.number, l.found = firstNumber(string(l.text))
	}
	if s.IgnoreCase {
		l.text = []byte(word.FoldString(string(l.text)))
	}
}

// order compares two slots. Those without a key come first.
func (s *Sort) order(a, b slot) int {
	switch {
	case !a.found && !b.found:
		return 0
	case !a.found:
		return -1
	case !b.found:
		return 1
	}
	n := 0
	if s.ByNumber {
		n = a.number.Cmp(b.number)
	} else {
		n = bytes.Compare(a.text, b.text)
	}
	if s.Descending {
		return -n
	}
	return n
}

// firstNumber returns the first number in a text. A minus sign is part of it unless it stands behind a word.
func firstNumber(s string) (*big.Rat, bool) {
	const digits = "0123456789"
	from := strings.IndexAny(s, digits)
	if from < 0 {
		return nil, false
	}
	span := func(at int) int { return at + len(s[at:]) - len(strings.TrimLeft(s[at:], digits)) }
	to := span(from)
	if to+1 < len(s) && s[to] == '.' && strings.IndexByte(digits, s[to+1]) >= 0 {
		to = span(to + 1)
	}
	if from > 0 && s[from-1] == '-' && (from == 1 || strings.ContainsAny(s[from-2:from-1], " \t=:,([")) {
		from--
	}
	return new(big.Rat).SetString(s[from:to])
}

// DropRepeated is a compiled `drop repeated lines`.
type DropRepeated struct{}

func (DropRepeated) needs(acted) lineNeeds { return wholeText }

func (DropRepeated) do(r *run) {
	c := r.changes()
	text := r.text.Bytes
	for _, span := range r.spans() {
		if !r.withoutBlocks(span, "drop repeated lines") {
			continue
		}
		seen := map[string]bool{}
		var edits edit.List
		for at := span.Start; at < span.Last; {
			next := lines.Next(text, at, span.End)
			line := lines.Content(text[at:next])
			i := r.text.At(at)
			switch {
			case lines.Blank(line) || r.text.Opens(i) && !r.text.Item(i).Unclosed:
			case seen[string(line)]:
				edits = append(edits, edit.Edit{Start: at, End: next})
			}
			seen[string(line)] = true
			at = next
		}
		c.offer(edits...)
	}
	c.commitLines()
}
