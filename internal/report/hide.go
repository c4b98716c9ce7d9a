package report

import (
	"bytes"
	"slices"

	"frizzel/core/diff"
	"frizzel/core/pattern"
)

// mask replaces hidden text. Its length is fixed so that it reveals nothing.
const mask = "•••••"

// A stretch is a half-open range of a line's bytes.
type stretch struct{ from, to int }

// matches returns the stretches of a line that a pattern of --hide matches.
func matches(hidden []*pattern.Pattern, text []byte) (all []stretch) {
	for _, p := range hidden {
		p.Find(text, 0, len(text), func(loc []int) bool {
			all = append(all, stretch{loc[0], loc[1]})
			return true
		})
	}
	return all
}

// covered returns text with a mask for each run of stretches that overlap or touch; nil if there are none.
func covered(text []byte, all []stretch) []byte {
	if len(all) == 0 {
		return nil
	}
	slices.SortFunc(all, func(a, b stretch) int { return a.from - b.from })
	var out []byte
	at, end := 0, -1
	for _, s := range all {
		if s.from > end {
			out = append(append(out, text[at:s.from]...), mask...)
		}
		end = max(end, s.to)
		at = end
	}
	return append(out, text[at:]...)
}

// masked returns text with matches masked, nil if there are none.
func masked(hidden []*pattern.Pattern, text []byte) []byte {
	return covered(text, matches(hidden, text))
}

// Masked returns text with what --hide hides masked.
func (p *Printer) Masked(text string) string {
	if out := masked(p.Hidden, []byte(text)); out != nil {
		return string(out)
	}
	return text
}

// mask replaces hidden text in a hunk. A secret that a change replaces in part is hidden in both lines: its rest would show
// in the other one, which the pattern may not match.
func (p *Printer) mask(h *diff.Hunk) {
	if len(p.Hidden) == 0 {
		return
	}
	all := make([][]stretch, len(h.Lines))
	for i := range h.Lines {
		all[i] = matches(p.Hidden, h.Lines[i].Text)
	}
	for i := 0; i < len(h.Lines); {
		old := i
		for i < len(h.Lines) && h.Lines[i].Op == diff.Remove {
			i++
		}
		fresh := i
		for i < len(h.Lines) && h.Lines[i].Op == diff.Add {
			i++
		}
		if old == fresh || fresh == i {
			i = max(i, old+1)
			continue
		}
		carry(h.Lines[old:fresh], h.Lines[fresh:i], all[old:fresh], all[fresh:i])
	}
	for i := range h.Lines {
		if text := covered(h.Lines[i].Text, all[i]); text != nil {
			h.Lines[i].Text, h.Lines[i].Marks = text, nil
		}
	}
}

// carry adds to the stretches of removed and added lines what those of the other lines stand for there. If there are as many
// of both, they are paired by their order, and what a secret became is hidden as a whole. Since lines may have been joined,
// split or moved, whatever else is part of a secret is hidden, too.
func carry(old, fresh []diff.Line, ofOld, ofFresh [][]stretch) {
	secrets, fresher := textsOf(old, ofOld), textsOf(fresh, ofFresh)
	if len(old) == len(fresh) {
		for i := range old {
			a, b := old[i].Text, fresh[i].Text
			p := common(a, b)
			q := commonEnd(a[p:], b[p:])
			own := slices.Clone(ofFresh[i])
			for _, s := range ofOld[i] {
				ofFresh[i] = append(ofFresh[i], s.across(p, q, len(a), len(b)))
			}
			for _, s := range own {
				ofOld[i] = append(ofOld[i], s.across(p, q, len(b), len(a)))
			}
		}
	}
	for i := range fresh {
		ofFresh[i] = append(ofFresh[i], partsOf(fresh[i].Text, secrets)...)
	}
	for i := range old {
		ofOld[i] = append(ofOld[i], partsOf(old[i].Text, fresher)...)
	}
}

// textsOf returns the secrets of lines, a newline after each.
func textsOf(of []diff.Line, all [][]stretch) (texts []byte) {
	for i, l := range of {
		for _, s := range all[i] {
			texts = append(append(texts, l.Text[s.from:s.to]...), '\n')
		}
	}
	return texts
}

// shortest is the length in bytes from which a part of a secret is hidden.
const shortest = 3

// partsOf returns the stretches of a line that are parts of secrets.
func partsOf(text, secrets []byte) (all []stretch) {
	for i := 0; i+shortest <= len(text) && len(secrets) > 0; i++ {
		end := i + shortest
		if !bytes.Contains(secrets, text[i:end]) {
			continue
		}
		for end < len(text) && bytes.Contains(secrets, text[i:end+1]) {
			end++
		}
		all = append(all, stretch{i, end})
		i = end - shortest
	}
	return all
}

// across returns the stretch of a line of size bytes that corresponds to one in another line of was bytes, if their first p
// bytes and their last q bytes are equal.
func (s stretch) across(p, q, was, size int) stretch {
	switch {
	case s.to <= p:
		return s
	case s.from >= was-q:
		return stretch{s.from + size - was, s.to + size - was}
	}
	return stretch{min(p, s.from), size - min(q, was-s.to)}
}

// common returns the length of the longest common beginning of two texts, and commonEnd that of their end.
func common(a, b []byte) (n int) {
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

func commonEnd(a, b []byte) (n int) {
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}
