package program

import (
	"bytes"
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"frizzel/core/script"
)

// Template is a compiled text: literals, and what is filled in for each change.
type Template struct{ Parts []Part }

// Part is a piece of a Template.
type Part struct {
	From    Source
	Literal string // FromLiteral
	Group   int    // FromGroup
	Filters []script.Filter
}

// Source is where a Part's text comes from.
type Source int

const (
	FromLiteral Source = iota
	FromGroup          // of the match; group 0 is the whole of it
	FromCount
	FromCountAll
	FromPseudonym // of the match
	FromLine
	FromFile
	FromFileName
	FromValuePath
)

// A filling has the values for a template.
type filling struct {
	text     []byte // the text that loc refers to
	loc      []int  // the match and its groups; nil without one
	count    int    // this change of this statement in this file, from 1
	countAll int    // the same through all files
	// pseudonym returns the number of a matched text, through all files.
	pseudonym func(matched string) int
	line      func() int
	path      func() string // of the value at hand
	file      File
	ending    string // what a line break is written as
}

// expand appends the template's text to dst. The error is a value that a filter
// cannot take.
func (t *Template) expand(dst []byte, f *filling) ([]byte, error) {
	for i := range t.Parts {
		p := &t.Parts[i]
		if p.From == FromLiteral {
			dst = appendLines(dst, p.Literal, f.ending)
			continue
		}
		value := p.value(f)
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

// Fill returns the text of a file made from the template, the count-th of many, from
// 1. The error is a value that a filter cannot take, with its line in the text, from 1.
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

// appendLines appends s with its line breaks written as ending.
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

// Filter passes a value through filters. The error is a value that one cannot take.
func Filter(s string, filters []script.Filter) (string, error) {
	for _, f := range filters {
		switch f.Name {
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
		default:
			panic("program: no filter " + f.Name)
		}
	}
	return s, nil
}

// mapLetters maps the characters of s; bytes that are not UTF-8 stay.
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

// Constant returns the template's text where nothing is filled in.
func (t *Template) Constant() (string, bool) {
	switch {
	case len(t.Parts) == 0:
		return "", true
	case len(t.Parts) == 1 && t.Parts[0].From == FromLiteral:
		return t.Parts[0].Literal, true
	}
	return "", false
}

// pad puts zeros before s, behind its sign, up to width characters.
func pad(s string, width int) string {
	sign := ""
	if strings.HasPrefix(s, "-") {
		sign, s = "-", s[1:]
	}
	return sign + strings.Repeat("0", max(width-len(sign)-utf8.RuneCountInString(s), 0)) + s
}

// plus adds n to a whole number of any length, whose width stays where it is
// padded with zeros.
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

// KeepCase gives the replacement the case of what was matched: all capitals, or
// a capital first letter.
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

// capital raises the first letter of s, wherever it stands.
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
