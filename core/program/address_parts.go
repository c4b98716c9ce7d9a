package program

import (
	"bytes"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
)

// Section is `section NAME`, or, if Pattern is not nil, `section with PATTERN`.
type Section struct {
	Name       string
	IgnoreCase bool
	Pattern    *pattern.Pattern
}

func (f *Section) needs(acted) lineNeeds { return lineNeeds{others: true} }
func (f *Section) traits() traits        { return traits{scope: true, part: true} }

func (f *Section) find(r *run, a *Address) ([]edit.Span, []int) {
	spans := r.text.Sections(a.Direct, f.named)
	return joined(a.filter(r.text, spans)), nil
}

// named reports whether the address selects sections of that name.
func (f *Section) named(name []byte) bool {
	switch {
	case f.Pattern != nil:
		return f.Pattern.Has(name, 0, len(name))
	case f.IgnoreCase:
		return bytes.EqualFold(name, []byte(f.Name))
	}
	return string(name) == f.Name
}

// Block is `block with PATTERN`.
type Block struct{ Pattern *pattern.Pattern }

func (f *Block) needs(acted) lineNeeds { return lineNeeds{others: true} }
func (f *Block) traits() traits        { return traits{scope: true, part: true, narrow: true} }

// find returns the blocks whose opening lines match. Of nested blocks it returns the outermost.
func (f *Block) find(r *run, a *Address) (spans []edit.Span, unclosed []int) {
	t := r.text
	eachMatching(t, f.Pattern, func(i int) {
		s, ok := t.Block(i)
		switch {
		case !ok:
			unclosed = append(unclosed, i)
		case s.Start < s.End:
			s.Direct = a.Direct
			spans = append(spans, s)
		}
	})
	return joined(a.filter(t, spans)), unclosed
}

// Paragraph is `paragraph with PATTERN`.
type Paragraph struct{ Pattern *pattern.Pattern }

func (f *Paragraph) needs(acted) lineNeeds {
	return lineNeeds{others: f.Pattern.SpansLines(), parts: true}
}
func (f *Paragraph) traits() traits { return traits{scope: true, part: true} }

func (f *Paragraph) find(r *run, a *Address) (spans []edit.Span, _ []int) {
	end := 0
	eachMatching(r.text, f.Pattern, func(i int) {
		if r.text.Start(i) < end {
			return
		}
		if s, ok := r.text.Paragraph(i); ok {
			spans, end = append(spans, s), s.End
		}
	})
	r.bindParagraphs(spans)
	return joined(a.filter(r.text, spans)), nil
}

// eachMatching calls act with each 0-based line on which a match begins.
func eachMatching(t *outline.Text, p *pattern.Pattern, act func(i int)) {
	next := 0
	p.Find(t.Bytes, 0, len(t.Bytes), func(loc []int) bool {
		if loc[0] >= next {
			i := t.At(loc[0])
			next = t.Start(i + 1)
			act(i)
		}
		return true
	})
}

// A view is the own lines of a span, joined to one text.
type view struct {
	of    edit.Span
	whole *outline.Text
	text  []byte
	parts []part
}

// A part is a run of lines of a view: its offset there, and its range in the whole text.
type part struct{ at, start, end int }

// viewOf returns the view of a span.
func (r *run) viewOf(e edit.Span) *view {
	v := &view{of: e, whole: r.text}
	for from, to := range r.runs(e) {
		v.parts = append(v.parts, part{len(v.text), from, to})
		v.text = append(v.text, r.text.Bytes[from:to]...)
	}
	return v
}

// within returns a form's spans within the view, as ranges of the whole text.
func (v *view) within(f partForm) ([]edit.Span, int) {
	text := v.whole.Like(v.text)
	found, unclosed := f.within(text, edit.SpanOf(0, len(v.text)), func(int, int) {})
	for i, s := range found {
		found[i] = v.span(s)
	}
	if unclosed >= 0 {
		unclosed = v.whole.At(v.place(text.Start(unclosed)))
	}
	return found, unclosed
}

// place returns the offset in the whole text of the view's byte at.
func (v *view) place(at int) int {
	k := 0
	for k+1 < len(v.parts) && v.parts[k+1].at <= at {
		k++
	}
	return v.parts[k].start + at - v.parts[k].at
}

// span returns a span of the view as a span of the whole text.
func (v *view) span(s edit.Span) edit.Span {
	start := v.place(s.Start)
	if s.Start == s.End {
		if s.Start == len(v.text) {
			start = v.of.End
		}
		return edit.SpanOf(start, start)
	}
	out := edit.SpanOf(start, lines.Next(v.whole.Bytes, v.place(s.End-1), len(v.whole.Bytes)))
	if s.Last < s.End {
		out.Last = v.place(s.Last)
	}
	out.Direct = true
	return out
}
