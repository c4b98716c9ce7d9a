package program

import (
	"math"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// A window may end only where what it selects is known without the lines behind it. Each address, when it
// is evaluated, binds the lines that belong together. If they go on behind the window, the lines from
// there on may turn out to be others than they seem, and so may what later addresses look at there.

// bond is lines of the text as it was read that belong together: [start, end), or to noEnd if more of
// the text may belong to them. What was looked at to know that ends at seen.
type bond struct{ start, end, seen int }

const noEnd = math.MaxInt

// windowed reports whether it matters where the window may end.
func (r *run) windowed() bool { return r.in.Window != nil && r.in.Window.More }

// bind notes that no window may end within the lines [from, to) of the text as it is, or behind from if
// to is noEnd, as the lines up to seen say.
func (r *run) bind(from, to, seen int) {
	if !r.windowed() {
		return
	}
	b := bond{r.lineStart(from), noEnd, noEnd}
	if r.places().inserted(from) { // the line before may have written it
		b.start = lines.Previous(r.in.Text, 0, b.start)
	}
	if to != noEnd {
		b.end = r.lineEnd(to)
		b.seen = max(b.end, r.lineEnd(min(seen, len(r.text.Bytes))))
	}
	r.result.bonds = append(r.result.bonds, b)
}

// lineStart returns where the line begins, as it was read, that holds a byte of the text as it is.
func (r *run) lineStart(at int) int { return lines.Start(r.in.Text, 0, r.places().origin(at)) }

// lineEnd returns where the line ends, as it was read, that ends at a byte of the text as it is.
func (r *run) lineEnd(at int) int {
	from := r.places().origin(at)
	if lines.AtStart(r.in.Text, from) {
		return from
	}
	return lines.Next(r.in.Text, from, len(r.in.Text))
}

// nextLine returns where the line ends that begins at at.
func (r *run) nextLine(at int) int { return lines.Next(r.text.Bytes, at, len(r.text.Bytes)) }

// bindUnder binds what paragraphs would that are not evaluated, because an address around them selects
// nothing yet.
func (r *run) bindUnder(body []Action) {
	if !r.windowed() {
		return
	}
	for _, a := range body {
		if b, ok := a.(*Addressed); ok {
			r.bindParts(b.Address)
			r.bindUnder(b.Body)
		}
	}
}

func (r *run) bindParts(addresses ...*Address) {
	for _, a := range addresses {
		if _, ok := a.Form.(*Paragraph); ok && r.windowed() {
			r.selected(a)
		}
	}
}

// Whole returns how many bytes of the text are known by themselves: a window ends there.
func (r *Result) Whole(text []byte) int {
	end := min(r.known, len(text))
	slices.SortFunc(r.bonds, func(a, b bond) int { return b.start - a.start }) // so that one round is enough
	for _, b := range r.bonds {
		if b.start < end && end < b.end {
			end = b.start
		}
	}
	return end
}

// selected returns what an address selects, and folds what it bound into what is known.
func (r *run) selected(a *Address) (spans []edit.Span, unclosed []int) {
	n := len(r.result.bonds)
	spans, unclosed = a.selects(r)
	known := r.result.known
	for _, b := range r.result.bonds[n:] {
		if b.end == noEnd || b.seen > r.result.known {
			known = min(known, b.start)
		}
	}
	r.result.known = known
	return spans, unclosed
}

// unknown returns where the first line begins, of the text as it is, that may turn out to be another one, or
// where the window ends.
func (r *run) unknown() int {
	known := r.result.known
	if known >= len(r.in.Text) {
		return len(r.text.Bytes)
	}
	return r.edits.Follow([]edit.Span{edit.SpanOf(known, known)}, r.in.Text)[0].Start
}

// bindParagraphs binds paragraphs, and the one that goes on where lines may turn out to be others.
func (r *run) bindParagraphs(found []edit.Span) {
	if !r.windowed() {
		return
	}
	for _, s := range found {
		r.bind(s.Start, s.End, r.nextLine(s.End))
	}
	at := r.unknown()
	if before := lines.Previous(r.text.Bytes, 0, at); before < at {
		if p, ok := r.text.Paragraph(r.text.At(before)); ok {
			r.bind(p.Start, noEnd, noEnd)
		}
	}
}

// bindEach binds lines with their neighbours.
func (r *run) bindEach(found []edit.Span) {
	for _, s := range found {
		end := s.End
		if end == len(r.text.Bytes) {
			end = noEnd
		}
		r.bind(s.Start, end, end)
	}
}

// bindAbove binds the n lines above the first line that may still change, since they are its neighbours.
func (r *run) bindAbove(n int) {
	if n == 0 || !r.windowed() {
		return
	}
	at := r.unknown()
	for range n {
		at = lines.Previous(r.text.Bytes, 0, at)
	}
	r.bind(at, noEnd, noEnd)
}
