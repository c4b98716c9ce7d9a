package program

import (
	"slices"

	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/pattern"
)

// Lines is `lines 10 to 30`. Numbers are 1-based; To is 0 for the last line.
type Lines struct{ From, To int }

func (f *Lines) needs(acted) lineNeeds { return lineNeeds{numbers: true} }
func (f *Lines) traits() traits        { return traits{single: f.From == f.To, shifts: true, narrow: true} }

func (f *Lines) find(r *run, _ *Address) ([]edit.Span, []int) {
	before := r.in.linesBefore()
	from, to := max(f.From-1-before, 0), f.To-before
	if f.To == 0 {
		to = r.text.Count()
	}
	if to = min(to, r.text.Count()); from < to {
		return []edit.Span{r.text.Lines(from, to)}, nil
	}
	return nil, nil
}

// FirstLines is `first 2 lines`.
type FirstLines struct{ Count int }

func (f *FirstLines) needs(on acted) lineNeeds { return lineNeeds{others: !on.whole()} }
func (f *FirstLines) traits() traits           { return traits{shifts: true, narrow: true} }

func (f *FirstLines) within(t *outline.Text, e edit.Span, _ func(int, int)) ([]edit.Span, int) {
	end := e.Start
	for range f.Count {
		end = lines.Next(t.Bytes, end, e.End)
	}
	if end == e.Start {
		return nil, -1
	}
	return []edit.Span{edit.SpanOf(e.Start, end)}, -1
}

// LastLines is `last 2 lines`.
type LastLines struct{ Count int }

func (f *LastLines) needs(on acted) lineNeeds { return lineNeeds{others: !on.whole()} }
func (f *LastLines) traits() traits           { return traits{shifts: true, narrow: true} }

func (f *LastLines) within(t *outline.Text, e edit.Span, _ func(int, int)) ([]edit.Span, int) {
	start := e.End
	for range f.Count {
		start = lines.Previous(t.Bytes, e.Start, start)
	}
	if start == e.End {
		return nil, -1
	}
	return []edit.Span{edit.SpanOf(start, e.End)}, -1
}

// LinesWith is `lines with PATTERN`, each with its neighbours, or `lines without PATTERN`.
type LinesWith struct {
	Without      bool
	Pattern      *pattern.Pattern
	Above, Below int // number of neighbouring lines to include
}

func (f *LinesWith) neighbours() bool { return f.Above+f.Below > 0 }

func (f *LinesWith) needs(on acted) lineNeeds {
	return lineNeeds{others: f.Pattern.SpansLines(), parts: f.neighbours() && !on.alone}
}

func (f *LinesWith) traits() traits {
	return traits{single: true, part: f.neighbours(), shifts: true, narrow: true}
}

func (f *LinesWith) within(t *outline.Text, e edit.Span, _ func(int, int)) ([]edit.Span, int) {
	spans := linesWith(t.Bytes, f.Pattern, e)
	if f.Without {
		return eachLine(t.Bytes, complement(spans, e)), -1
	}
	if !f.neighbours() {
		return spans, -1
	}
	starts := lineStarts(t.Bytes, e)
	for i := range spans {
		k, _ := slices.BinarySearch(starts, spans[i].Start)
		spans[i].Start = starts[max(k-f.Above, 0)]
		if k += f.Below + 1; k < len(starts) {
			spans[i].End = starts[k]
		} else {
			spans[i].End = e.End
		}
		spans[i].Last, spans[i].Below = spans[i].End, spans[i].End
	}
	return spans, -1
}

// EdgeLinesWith is `first 2 lines with PATTERN`, or `last` if Last is set: the first or last matching lines.
type EdgeLinesWith struct {
	Last    bool
	Count   int
	Pattern *pattern.Pattern
}

func (f *EdgeLinesWith) needs(acted) lineNeeds { return lineNeeds{others: true} }
func (f *EdgeLinesWith) traits() traits        { return traits{shifts: true, narrow: true} }

func (f *EdgeLinesWith) within(t *outline.Text, e edit.Span, _ func(int, int)) ([]edit.Span, int) {
	found := linesWith(t.Bytes, f.Pattern, e)
	n := min(f.Count, len(found))
	if f.Last {
		found = found[len(found)-n:]
	}
	return adjoined(found[:n]), -1
}

// LinesNear is `2 lines below PATTERN`, or `above` if Below is false: the lines next to each line that matches,
// without the lines that match.
type LinesNear struct {
	Count   int
	Below   bool
	Pattern *pattern.Pattern
}

func (f *LinesNear) needs(acted) lineNeeds { return lineNeeds{others: true} }
func (f *LinesNear) traits() traits        { return traits{shifts: true, narrow: true} }

func (f *LinesNear) within(t *outline.Text, e edit.Span, _ func(int, int)) ([]edit.Span, int) {
	matching := linesWith(t.Bytes, f.Pattern, e)
	starts := append(lineStarts(t.Bytes, e), e.End)
	var out []edit.Span
	done := 0 // index of the first line that is not selected yet
	for i, m := range matching {
		k, _ := slices.BinarySearch(starts, m.Start)
		from, to := max(k-f.Count, done), k
		if f.Below {
			from, to = k+1, min(k+1+f.Count, len(starts)-1)
			if i+1 < len(matching) {
				next, _ := slices.BinarySearch(starts, matching[i+1].Start)
				to = min(to, next)
			}
		}
		if from < to {
			out = append(out, edit.SpanOf(starts[from], starts[to]))
		}
		done = k + 1
	}
	return adjoined(out), -1
}

// adjoined joins spans that touch.
func adjoined(spans []edit.Span) (out []edit.Span) {
	for _, s := range spans {
		if n := len(out); n > 0 && out[n-1].End == s.Start {
			out[n-1] = edit.SpanOf(out[n-1].Start, s.End)
		} else {
			out = append(out, s)
		}
	}
	return out
}

// lineStarts returns the offsets of the lines of a span.
func lineStarts(text []byte, e edit.Span) (starts []int) {
	for at := e.Start; at < e.End; at = lines.Next(text, at, e.End) {
		starts = append(starts, at)
	}
	return starts
}

// linesWith returns the lines of e that contain a match.
func linesWith(text []byte, p *pattern.Pattern, e edit.Span) (spans []edit.Span) {
	done := e.Start
	p.Find(text, e.Start, e.End, func(loc []int) bool {
		if loc[0] < done && loc[1] <= done {
			return true
		}
		start := max(lines.Start(text, e.Start, loc[0]), done)
		last := max(loc[1]-1, loc[0])
		end := lines.Next(text, min(last, e.End), e.End)
		done = end
		for start < end {
			next := lines.Next(text, start, e.End)
			spans = append(spans, edit.SpanOf(start, next))
			start = next
		}
		return true
	})
	return spans
}
