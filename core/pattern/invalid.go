package pattern

import (
	"regexp/syntax"
	"slices"
	"unicode/utf8"
)

// The package regexp takes a byte that is not UTF-8 for U+FFFD. For an expression that names
// that character, invalid bytes are shown to it as private characters instead, which a dot
// matches, and a class that excludes others.
const private = 0x10f800 // and the byte

// namesReplacement reports whether an expression contains U+FFFD, as a literal or in a class that is not
// negated.
func namesReplacement(re *syntax.Regexp) bool {
	switch re.Op {
	case syntax.OpLiteral:
		return slices.Contains(re.Rune, utf8.RuneError)
	case syntax.OpCharClass:
		named := false
		for i := 0; i+1 < len(re.Rune); i += 2 {
			named = named || re.Rune[i] <= utf8.RuneError && utf8.RuneError <= re.Rune[i+1]
		}
		return named && re.Rune[len(re.Rune)-1] < private
	}
	return slices.ContainsFunc(re.Sub, namesReplacement)
}

// withoutInvalid returns text with each invalid byte as a private character, and how places
// in it are carried back: nil if nothing is invalid.
func withoutInvalid(text []byte) ([]byte, func(at int) int) {
	if utf8.Valid(text) {
		return text, nil
	}
	var out []byte
	var wide []int // offsets after the characters that represent invalid bytes
	for at := 0; at < len(text); {
		r, size := utf8.DecodeRune(text[at:])
		if r == utf8.RuneError && size == 1 {
			out = utf8.AppendRune(out, private+rune(text[at]))
			wide = append(wide, len(out))
		} else {
			out = append(out, text[at:at+size]...)
		}
		at += size
	}
	return out, func(at int) int {
		n, _ := slices.BinarySearch(wide, at+1)
		return at - n*(utf8.UTFMax-1)
	}
}
