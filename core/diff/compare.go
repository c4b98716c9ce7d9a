package diff

import (
	"bytes"

	"frizzel/core/edit"
)

// mostCompared bounds the table of Compare, in cells; texts that differ by more are
// taken as wholly different where they do.
const mostCompared = 4 << 20

// Compare returns edits, whole lines each, that turn old into fresh: for two texts
// that no rule made of one another, such as what an example wants and what it gives.
// It keeps a longest common subsequence of lines, found by dynamic programming
// (Wagner and Fischer, "The string-to-string correction problem", 1974).
func Compare(old, fresh []byte) edit.List {
	a, b := bytes.SplitAfter(old, []byte("\n")), bytes.SplitAfter(fresh, []byte("\n"))
	front := 0
	for front < len(a) && front < len(b) && bytes.Equal(a[front], b[front]) {
		front++
	}
	at := len(bytes.Join(a[:front], nil))
	a, b = a[front:], b[front:]
	for len(a) > 0 && len(b) > 0 && bytes.Equal(a[len(a)-1], b[len(b)-1]) {
		a, b = a[:len(a)-1], b[:len(b)-1]
	}
	if len(a)*len(b) > mostCompared {
		removed := bytes.Join(a, nil)
		return edit.List{{Start: at, End: at + len(removed), New: bytes.Join(b, nil)}}
	}
	return script(a, b, common(a, b), at).Changing(old)
}

// common returns a table: how many lines a[i:] and b[j:] have in common, at most.
func common(a, b [][]byte) [][]int32 {
	table := make([][]int32, len(a)+1)
	cells := make([]int32, (len(a)+1)*(len(b)+1))
	for i := range table {
		table[i], cells = cells[:len(b)+1], cells[len(b)+1:]
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if bytes.Equal(a[i], b[j]) {
				table[i][j] = table[i+1][j+1] + 1
			} else {
				table[i][j] = max(table[i+1][j], table[i][j+1])
			}
		}
	}
	return table
}

// script walks through the table and gathers what is not in common.
func script(a, b [][]byte, table [][]int32, at int) edit.List {
	var edits edit.List
	e := edit.Edit{Start: at, End: at}
	flush := func() {
		if e.End > e.Start || len(e.New) > 0 {
			edits = append(edits, e)
		}
		e = edit.Edit{Start: at, End: at}
	}
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		switch {
		case i < len(a) && j < len(b) && bytes.Equal(a[i], b[j]):
			flush()
			at += len(a[i])
			e.Start, e.End = at, at
			i, j = i+1, j+1
		case j == len(b) || i < len(a) && table[i+1][j] >= table[i][j+1]:
			at += len(a[i])
			e.End = at
			i++
		default:
			e.New = append(e.New, b[j]...)
			j++
		}
	}
	flush()
	return edits
}
