package learn

import (
	"bytes"
	"strings"

	"frizzel/core/diff"
	"frizzel/core/lines"
)

// maxAligned is the number of pairs of lines up to which those of a hunk are aligned.
const maxAligned = 900

// aligned splits a hunk of lines that became more or fewer ones: a line that is like another one became that one, and the
// others are gone or added.
func aligned(now []byte, h hunk) []hunk {
	old, fresh := split(now[h.start:h.end]), split(h.fresh)
	if len(old) == len(fresh) || len(old) == 0 || len(fresh) == 0 || len(old)*len(fresh) > maxAligned {
		return []hunk{h}
	}
	// best[i][k] is the highest likeness of the lines from i on to the fresh ones from k on.
	best := make([][]float64, len(old)+1)
	for i := range best {
		best[i] = make([]float64, len(fresh)+1)
	}
	alike := make([]float64, len(old)*len(fresh))
	for i := range old {
		for k := range fresh {
			alike[i*len(fresh)+k] = likeness(old[i], fresh[k])
		}
	}
	like := func(i, k int) float64 { return alike[i*len(fresh)+k] }
	for i := len(old) - 1; i >= 0; i-- {
		for k := len(fresh) - 1; k >= 0; k-- {
			best[i][k] = max(best[i+1][k], best[i][k+1], best[i+1][k+1]+like(i, k))
		}
	}
	var hunks []hunk
	at := h.start
	next := func(size int, text []byte) {
		if n := len(hunks); n > 0 && hunks[n-1].end == at && (size == 0) == (hunks[n-1].start == hunks[n-1].end) && (len(text) == 0) == (len(hunks[n-1].fresh) == 0) && (size == 0 || len(text) == 0) {
			hunks[n-1].end += size
			hunks[n-1].fresh = append(bytes.Clone(hunks[n-1].fresh), text...)
		} else {
			hunks = append(hunks, hunk{at, at + size, text})
		}
		at += size
	}
	i, k := 0, 0
	for i < len(old) || k < len(fresh) {
		switch {
		case i < len(old) && k < len(fresh) && like(i, k) > 0 && best[i][k] == best[i+1][k+1]+like(i, k):
			next(len(old[i]), fresh[k])
			i, k = i+1, k+1
		case k < len(fresh) && (i == len(old) || best[i][k] == best[i][k+1]):
			next(0, fresh[k])
			k++
		default:
			next(len(old[i]), nil)
			i++
		}
	}
	return hunks
}

// split returns the lines of a text with their endings.
func split(text []byte) (all [][]byte) {
	for at := 0; at < len(text); {
		next := lines.Next(text, at, len(text))
		all = append(all, text[at:next])
		at = next
	}
	return all
}

// likeness returns how much of two lines is alike, from 0 to 1; 0 if it is less than half. Lines with the same key are.
func likeness(a, b []byte) float64 {
	key := keyOf(strings.TrimSpace(string(a)))
	if strings.ContainsAny(key, "=:") && key == keyOf(strings.TrimSpace(string(b))) {
		return 1
	}
	from, to := tokenLines(a), tokenLines(b)
	all := bytes.Count(from, []byte("\n")) + bytes.Count(to, []byte("\n"))
	differ := 0
	for _, e := range diff.Compare(from, to) {
		differ += bytes.Count(from[e.Start:e.End], []byte("\n")) + bytes.Count(e.New, []byte("\n"))
	}
	if all == 0 || 2*differ > all {
		return 0
	}
	return 1 - float64(differ)/float64(all)
}
