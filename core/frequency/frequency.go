// Package frequency estimates how often each byte occurs in configuration, logs and sources, so that a
// search can look for the rarest byte of its target.
package frequency

import "unicode/utf8"

// shares are about which shares of the bytes of configuration, logs and sources the letters and
// some other characters are, in thousandths.
var shares = map[byte]float64{
	'e': 70, 't': 55, 'a': 45, 'i': 45, 'n': 45, 'r': 45, 'o': 45, 's': 40, 'l': 28, 'c': 25, 'd': 25, 'u': 20, 'p': 18, 'f': 18, 'm': 16,
	'h': 14, 'g': 12, 'b': 11, 'y': 9, 'v': 8, 'w': 7, 'x': 7, 'k': 5, 'z': 2, 'q': 1.5, 'j': 1.5,
	' ': 120, '\n': 30, '\t': 40, '0': 20, '1': 20, '2': 18, '3': 15, '4': 14, '5': 14, '6': 13, '7': 13, '8': 13, '9': 13, '.': 14, ',': 12, '(': 12, ')': 12, '/': 12, '"': 10, '_': 8, '-': 10, ':': 9, '=': 7,
	'@': 0.3, '%': 1, '~': 0.2, '^': 0.3, '`': 0.5, '$': 1, '?': 0.5, '!': 0.7, '|': 1,
}

// table is shares by byte.
var table = func() (t [256]float64) {
	for b := range t {
		share, ok := shares[byte(b)]
		switch {
		case ok:
		case b >= utf8.RuneSelf:
			share = 0.2
		case 'A' <= b && b <= 'Z':
			share = 3
		case b < ' ':
			share = 0.01
		default:
			share = 5
		}
		t[b] = share / 1000
	}
	return t
}()

// Of returns about which share of the bytes is b.
func Of(b byte) float64 { return table[b] }
