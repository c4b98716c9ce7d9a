package program

import (
	"bytes"
	"errors"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"frizzel/core/script"
)

// A Template is a compiled text: literals and placeholders.
type Template struct{ Parts []Part }

// A Part is a literal or a placeholder of a Template.
type Part struct {
	From    Source
	Literal string // FromLiteral
	Group   int    // FromGroup
	Filters []script.Filter
}

// A Source is the origin of a Part's text.
type Source int

const (
	FromLiteral Source = iota
	FromGroup          // a group of the match; group 0 is the match
	FromCount
	FromCountAll
	FromCountHere
	FromPseudonym // the pseudonym of the match
	FromLine
	FromFile
	FromFileName
	FromValuePath
)

// A filling has the values for a template.
type filling struct {
	text     []byte // the text that loc refers to
	loc      []int  // offsets of the match and its groups; nil without a match
	count    int    // 1-based number of the change among the statement's changes in the file
	countAll int    // the same over all files
	here     int    // the same in the span of the innermost address
	// pseudonym returns the number of a matched text over all files.
	pseudonym func(matched string) int
	line      func() int
	path      func() string // path of the current value
	file      File
	ending    string // the line ending to write
	most      int    // maximum length of the text in bytes; 0 for no limit
}

// errTooLong means that a text exceeds the budget of a run.
var errTooLong = errors.New("the text to write is too long")

// expand appends the template's text to dst. The error names a value that a filter does not accept.
func (t *Template) expand(dst []byte, f *filling) ([]byte, error) {
	for i := range t.Parts {
		p := &t.Parts[i]
		if p.From == FromLiteral {
			dst = appendLines(dst, p.Literal, f.ending)
			continue
		}
		value := p.value(f)
		if f.most > 0 && len(dst)+len(value) > f.most {
			return dst, errTooLong
		}
		if len(p.Filters) == 0 {
			dst = append(dst, value...)
			continue
		}
		s, err := Filter(string(value), p.Filters)
		if err != nil {
			return dst, err
		}
		dst = append(dst, s...)
	}
	return dst, nil
}

// Fill returns the template's text for a new file; count is the file's 1-based number. The error names a value
// that a filter does not accept, and its 1-based line in the text.
func (t *Template) Fill(f File, count int) ([]byte, error) {
	var out []byte
	fill := &filling{count: count, countAll: count, file: f, ending: "\n"}
	fill.line = func() int { return bytes.Count(out, []byte("\n")) + 1 }
	for i := range t.Parts {
		one := Template{Parts: t.Parts[i : i+1]}
		text, err := one.expand(nil, fill)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", fill.line(), err)
		}
		out = append(out, text...)
	}
	return out, nil
}

// appendLines appends s with its newlines replaced by ending.
func appendLines(dst []byte, s, ending string) []byte {
	if ending == "\n" {
		return append(dst, s...)
	}
	for {
		i := strings.IndexByte(s, '\n')
		if i < 0 {
			return append(dst, s...)
		}
		dst = append(append(dst, s[:i]...), ending...)
		s = s[i+1:]
	}
}

func (p *Part) value(f *filling) []byte {
	switch p.From {
	case FromGroup:
		if 2*p.Group >= len(f.loc) || f.loc[2*p.Group] < 0 {
			return nil
		}
		return f.text[f.loc[2*p.Group]:f.loc[2*p.Group+1]]
	case FromCount:
		return strconv.AppendInt(nil, int64(f.count), 10)
	case FromCountAll:
		return strconv.AppendInt(nil, int64(f.countAll), 10)
	case FromCountHere:
		return strconv.AppendInt(nil, int64(f.here), 10)
	case FromPseudonym:
		return strconv.AppendInt(nil, int64(f.pseudonym(string(f.text[f.loc[0]:f.loc[1]]))), 10)
	case FromLine:
		return strconv.AppendInt(nil, int64(f.line()), 10)
	case FromFile:
		return []byte(f.file.Path)
	case FromValuePath:
		return []byte(f.path())
	default:
		return []byte(f.file.name())
	}
}

// Filter applies filters to s in order. The error names a value that a filter does not accept.
func Filter(s string, filters []script.Filter) (string, error) {
	for i, f := range filters {
		switch f.Name {
		case "by":
			beside, ok := f.Table[s]
			if !ok && (i+1 == len(filters) || filters[i+1].Name != "or") {
				return s, fmt.Errorf("the table %s has no %q", f.Word, s)
			}
			s = beside
		case "upper":
			s = mapLetters(s, unicode.ToUpper)
		case "lower":
			s = mapLetters(s, unicode.ToLower)
		case "capital":
			s = string(capital([]byte(s)))
		case "trim":
			s = strings.TrimSpace(s)
		case "digits":
			s = strings.Map(func(r rune) rune {
				if r < '0' || r > '9' {
					return -1
				}
				return r
			}, s)
		case "pad":
			s = pad(s, f.Number)
		case "or":
			if s == "" {
				s = f.Word
			}
		case "plus", "minus":
			n := f.Number
			if f.Name == "minus" {
				n = -n
			}
			var err error
			if s, err = plus(s, n); err != nil {
				return s, fmt.Errorf("%s %d: %w", f.Name, f.Number, err)
			}
		case "times", "at least", "at most":
			if !script.IsDecimal(s) {
				return s, fmt.Errorf("%s %s: %q is not a number", f.Name, f.Word, s)
			}
			s = compute(f.Name, s, f.Word)
		default:
			panic("program: no filter " + f.Name)
		}
	}
	return s, nil
}

// mapLetters applies to to each character of s. Bytes that are not UTF-8 stay unchanged.
func mapLetters(s string, to func(rune) rune) string {
	var b strings.Builder
	for len(s) > 0 {
		r, size := utf8.DecodeRuneInString(s)
		if r == utf8.RuneError && size == 1 {
			b.WriteByte(s[0])
		} else {
			b.WriteRune(to(r))
		}
		s = s[size:]
	}
	return b.String()
}

// Constant returns the template's text if it has no placeholders.
func (t *Template) Constant() (string, bool) {
	switch {
	case len(t.Parts) == 0:
		return "", true
	case len(t.Parts) == 1 && t.Parts[0].From == FromLiteral:
		return t.Parts[0].Literal, true
	}
	return "", false
}

// pad inserts zeros after the sign of s up to width characters.
func pad(s string, width int) string {
	sign := ""
	if strings.HasPrefix(s, "-") {
		sign, s = "-", s[1:]
	}
	return sign + strings.Repeat("0", max(width-len(sign)-utf8.RuneCountInString(s), 0)) + s
}

// plus adds n to an integer of any length. If s is padded with zeros, the result keeps its width.
func plus(s string, n int) (string, error) {
	digits := strings.TrimPrefix(s, "-")
	if digits == "" || strings.Trim(digits, "0123456789") != "" {
		return s, fmt.Errorf("%q is not a whole number", s)
	}
	value, _ := new(big.Int).SetString(s, 10)
	sum := value.Add(value, big.NewInt(int64(n))).String()
	if digits[0] == '0' && len(digits) > 1 {
		sum = pad(sum, len(s))
	}
	return sum, nil
}

// compute returns a number s times, at least or at most n. A product is rounded half away from zero to as many decimals as s
// has, and keeps the width of a whole number that is padded with zeros.
func compute(name, s, n string) string {
	a, _ := new(big.Rat).SetString(s)
	b, _ := new(big.Rat).SetString(n)
	switch order := a.Cmp(b); {
	case name == "at least" && order < 0, name == "at most" && order > 0:
		return n
	case name != "times":
		return s
	}
	_, decimals, point := strings.Cut(s, ".")
	product := new(big.Rat).Mul(a, b).FloatString(len(decimals))
	if strings.Trim(product, "-0.") == "" {
		product = strings.TrimPrefix(product, "-") // no negative zero
	}
	if digits := strings.TrimPrefix(s, "-"); !point && len(digits) > 1 && digits[0] == '0' {
		product = pad(product, len(s))
	}
	return product
}

// KeepCase returns the replacement in the case of matched: all capitals, a capital first letter, or unchanged.
func KeepCase(matched, replacement []byte) []byte {
	letters, capitals := 0, 0
	firstIsCapital := false
	for len(matched) > 0 {
		r, size := utf8.DecodeRune(matched)
		matched = matched[size:]
		if !unicode.IsLetter(r) {
			continue
		}
		isCapital := unicode.IsUpper(r) || unicode.IsTitle(r)
		if letters == 0 {
			firstIsCapital = isCapital
		}
		letters++
		if isCapital {
			capitals++
		}
	}
	switch {
	case letters >= 2 && capitals == letters:
		return []byte(mapLetters(string(replacement), unicode.ToUpper))
	case capitals == 1 && firstIsCapital:
		return capital(replacement)
	}
	return replacement
}

// capital returns s with its first letter, which may follow other characters, in upper case.
func capital(s []byte) []byte {
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRune(s[i:])
		if unicode.IsLetter(r) {
			return slices.Concat(s[:i], []byte(string(unicode.ToTitle(r))), s[i+size:])
		}
		i += size
	}
	return s
}
