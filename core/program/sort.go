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
		if !r.plain(span, "sort lines") {
			continue
		}
		slots := r.slots(span)
		sorted := slices.Clone(slots)
		slices.SortStableFunc(sorted, s.order(r))
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

// plain reports whether a span holds no block within it. Else it refuses the file.
func (r *run) plain(span edit.Span, what string) bool {
	first, end := r.text.At(span.Start), r.lineBehind(span)
	for i := first; i < end; i++ {
		item := r.text.Item(i)
		inner := item.Kind == outline.Section || item.Kind == outline.Block && !item.Unclosed
		if inner && !(i == first && r.opens(span)) {
			r.fail(r.lineRead(r.text.Start(i)), what+" is for lines without blocks among them, and this line opens one; select the lines")
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
		switch line := lines.Content(text[at:next]); {
		case r.text.Item(r.text.At(at)).Kind == outline.Comment:
		case lines.Blank(line) || isBrackets(line):
			from = next
		default:
			slots = append(slots, slot{edit.SpanOf(from, next), line})
			from = next
		}
		at = next
	}
	return slots
}

// isBrackets reports whether a line only opens or closes a block.
func isBrackets(line []byte) bool {
	line = bytes.TrimSpace(line)
	return len(line) > 0 && len(bytes.Trim(line, "{}[]();,")) == 0 || bytes.HasPrefix(line, []byte("</"))
}

// order returns the comparison of lines.
func (s *Sort) order(r *run) func(a, b slot) int {
	type key struct {
		ok     bool
		text   string
		number *big.Rat
	}
	keys := map[int]key{}
	keyOf := func(l slot) key {
		if k, ok := keys[l.Start]; ok {
			return k
		}
		k := key{ok: true, text: string(l.line)}
		if s.By != nil {
			start, end, found := s.By.First(l.line, 0, len(l.line), 0)
			if k.ok = found; found {
				k.text = string(l.line[start:end])
			}
		}
		if s.ByNumber && k.ok {
			k.number, k.ok = firstNumber(k.text)
		}
		if s.IgnoreCase {
			k.text = word.FoldString(k.text)
		}
		keys[l.Start] = k
		return k
	}
	return func(a, b slot) int {
		x, y := keyOf(a), keyOf(b)
		switch {
		case !x.ok && !y.ok:
			return 0
		case !x.ok:
			return -1
		case !y.ok:
			return 1
		}
		n := strings.Compare(x.text, y.text)
		if s.ByNumber {
			n = x.number.Cmp(y.number)
		}
		if s.Descending {
			return -n
		}
		return n
	}
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
		if !r.plain(span, "drop repeated lines") {
			continue
		}
		seen := map[string]bool{}
		var edits edit.List
		for at := span.Start; at < span.Last; {
			next := lines.Next(text, at, span.End)
			line := lines.Content(text[at:next])
			switch {
			case lines.Blank(line) || isBrackets(line):
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
