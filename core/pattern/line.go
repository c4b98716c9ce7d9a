package pattern

import "bytes"

// lineStart returns where the line that holds text[at] begins, not before lo.
func lineStart(text []byte, lo, at int) int {
	return lo + bytes.LastIndexByte(text[lo:at], '\n') + 1
}

// lineEnd returns where the line that holds text[at] ends, before its line
// ending, and where the next line begins.
func lineEnd(text []byte, at, hi int) (end, next int) {
	i := bytes.IndexByte(text[at:hi], '\n')
	if i < 0 {
		return hi, hi
	}
	end, next = at+i, at+i+1
	if end > 0 && text[end-1] == '\r' && end > at {
		end--
	}
	return end, next
}
