package program

import (
	"math"
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// A window may end only where the selections in it do not depend on the following lines. Each address, when it
// is evaluated, binds the lines that belong together. If they may continue in the next window, the selection
// of these lines is not final, and neither are later addresses that search them.

// A bond is a range of lines of Input.Text that belong together: [start, end), or up to noEnd if following
// lines may belong to them. The decision depends on the text before seen.
type bond struct{ start, end, seen int }

const noEnd = math.MaxInt

// windowed reports whether it matters where the window may end.
func (r *run) windowed() bool { return r.in.Window != nil && r.in.Window.More }

// bind records that no window may end within the lines [from, to) of the current text, or anywhere after from
// if to is noEnd. The decision depends on the text before seen.
func (r *run) bind(from, to, seen int) {
	if !r.windowed() {
		return
	}
	b := bond{r.lineStart(from), noEnd, noEnd}
	if r.places().inserted(from) { // a statement on the line before may have inserted it
		b.start = lines.Previous(r.in.Text, 0, b.start)
	}
	if to != noEnd {
		b.end = r.lineEnd(to)
		b.seen = max(b.end, r.lineEnd(min(seen, len(r.text.Bytes))))
	}
	r.result.bonds = append(r.result.bonds, b)
}

// lineStart returns the start, in Input.Text, of the line that contains a byte of the current text.
func (r *run) lineStart(at int) int { return lines.Start(r.in.Text, 0, r.places().origin(at)) }

// lineEnd returns the end, in Input.Text, of the line that ends at an offset of the current text.
func (r *run) lineEnd(at int) int {
	from := r.places().origin(at)
	if lines.AtStart(r.in.Text, from) {
		return from
	}
	return lines.Next(r.in.Text, from, len(r.in.Text))
}

// nextLine returns the end of the line that begins at at.
func (r *run) nextLine(at int) int { return lines.Next(r.text.Bytes, at, len(r.text.Bytes)) }

// bindUnder binds the paragraphs of addresses that are not evaluated because an enclosing address selects
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

// Whole returns the number of bytes of text whose result does not depend on following text: the window's end.
func (r *Result) Whole(text []byte) int {
	end := min(r.known, len(text))
	slices.SortFunc(r.bonds, func(a, b bond) int { return b.start - a.start }) // descending, so one pass is enough
	for _, b := range r.bonds {
		if b.start < end && end < b.end {
			end = b.start
		}
	}
	return end
}

// selected returns an address's selection and updates the known offset by its bonds.
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

// unknown returns the start of the first line of the current text whose selection is not final, or the
// window's end.
func (r *run) unknown() int {
	known := r.result.known
	if known >= len(r.in.Text) {
		return len(r.text.Bytes)
	}
	return r.edits.Follow([]edit.Span{edit.SpanOf(known, known)}, r.in.Text)[0].Start
}

// bindParagraphs binds paragraphs, including one that continues into lines that are not final.
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

// bindEach binds matching lines to their neighbours.
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
	for ; n > 0 && at > 0; n-- {
		at = lines.Previous(r.text.Bytes, 0, at)
	}
	r.bind(at, noEnd, noEnd)
}
