package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/structure"
)

// A window may end only where what it holds can be told without the lines behind it. Each
// address, as it is come to, says which lines belong together; where those go on behind the
// window, the lines from there on may become others than they seem to. What a later address
// looks at there makes what it tells by that uncertain as well.

// gap is lines of the text as it was read that belong together: [start, end), to no end where
// more of the text may belong to them. What was looked at to tell so ends at seen.
type gap struct{ start, end, seen int }

const noEnd = structure.NoEnd

// holding reports whether it matters where the window may end.
func (r *run) holding() bool { return r.in.Window != nil && r.in.Window.More }

// hold remembers that no window may end within the lines [from, to) of the text as it is, or
// behind from where to is noEnd, as the lines up to seen tell.
func (r *run) hold(from, to, seen int) {
	if !r.holding() {
		return
	}
	g := gap{r.lineStart(from), noEnd, noEnd}
	if to != noEnd {
		g.end = r.lineEnd(to)
		g.seen = max(g.end, r.lineEnd(min(seen, len(r.text.Bytes))))
	}
	r.result.gaps = append(r.result.gaps, g)
}

// doubt remembers that from a byte on it is not known how the text reads.
func (r *run) doubt(from int) {
	r.hold(from, noEnd, noEnd)
	r.doubted = min(r.doubted, r.lineStart(from))
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

// holdBetween remembers that windows may end only where one of the headers begins.
func (r *run) holdBetween(headers []int) {
	if !r.holding() {
		return
	}
	last := 0
	for _, h := range headers {
		r.hold(last, h, r.nextLine(h))
		last = h
	}
	r.hold(last, noEnd, noEnd)
}

// nextLine returns where the line ends that begins at at.
func (r *run) nextLine(at int) int { return lines.Next(r.text.Bytes, at, len(r.text.Bytes)) }

// holdUnder holds what addresses would that are not come to, since one around them selects
// nothing yet.
func (r *run) holdUnder(body []Action) {
	if r.in.Window == nil {
		return
	}
	for _, a := range body {
		if b, ok := a.(*Addressed); ok {
			r.holdParts(b.Address)
			r.holdUnder(b.Body)
		}
	}
}

func (r *run) holdParts(addresses ...*Address) {
	for _, a := range addresses {
		if r.in.Window != nil && (a.Kind == Section || a.Kind == Block || a.Kind == Paragraph) {
			_, unclosed := r.selected(a)
			for _, line := range unclosed {
				r.result.unasked = append(r.result.unasked, unasked{a.Index, r.unclosed(r.text.Start(line - 1))})
			}
		}
	}
}

// Whole returns how much of the text can be told by itself, bytes: a window ends there.
func (r *Result) Whole(text []byte) int {
	end := min(r.told, len(text))
	slices.SortFunc(r.gaps, func(a, b gap) int { return b.start - a.start }) // so that one round is enough
	for _, g := range r.gaps {
		if g.start < end && end < g.end {
			end = g.start
		}
	}
	return end
}

// selected returns what an address selects, and folds what it held into what is told.
func (r *run) selected(a *Address) (spans []edit.Span, unclosed []int) {
	n := len(r.result.gaps)
	r.doubted = r.result.told
	spans, unclosed = a.selects(r)
	told := r.doubted
	for _, g := range r.result.gaps[n:] {
		if g.end == noEnd || g.seen > r.doubted {
			told = min(told, g.start)
		}
	}
	r.result.told = told
	return spans, unclosed
}

// untold returns where the first line begins, of the text as it is, that may become another
// one, or where the window ends.
func (r *run) untold() int {
	told := r.result.told
	if told >= len(r.in.Text) {
		return len(r.text.Bytes)
	}
	return r.edits.Follow([]edit.Span{edit.SpanOf(told, told)}, r.in.Text)[0].Start
}

// holdParagraphs holds paragraphs, and the one that goes on where lines may become others.
func (r *run) holdParagraphs(found []edit.Span) {
	if !r.holding() {
		return
	}
	for _, s := range found {
		r.hold(s.Start, s.End, r.nextLine(s.End))
	}
	at := r.untold()
	if before := lines.Previous(r.text.Bytes, 0, at); before < at {
		if p, ok := r.text.Paragraph(r.text.At(before)); ok {
			r.hold(p.Start, noEnd, noEnd)
		}
	}
}

// holdEach holds lines with their neighbours.
func (r *run) holdEach(found []edit.Span) {
	for _, s := range found {
		end := s.End
		if end == len(r.text.Bytes) {
			end = noEnd
		}
		r.hold(s.Start, end, end)
	}
}

// holdAbove holds so many lines above where lines may become others, as neighbours of those.
func (r *run) holdAbove(n int) {
	if n == 0 || !r.holding() {
		return
	}
	at := r.untold()
	for range n {
		at = lines.Previous(r.text.Bytes, 0, at)
	}
	r.hold(at, noEnd, noEnd)
}
