package program

import (
	"fmt"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"frizzel/core/script"
)

// template is a compiled text: literals and what is filled in for each change.
type template struct {
	parts []part
}

type part struct {
	literal string
	from    source
	group   int // of sourceGroup
	filters []script.Filter
	pos     script.Pos
}

type source int

const (
	sourceLiteral source = iota
	sourceGroup
	sourceCount
	sourceCountAll
	sourceLine
	sourceFile
	sourceFileName
)

var sources = map[string]source{
	"count": sourceCount, "count-all": sourceCountAll, "line": sourceLine, "file": sourceFile, "filename": sourceFileName,
}

// template compiles a text. groups are the names of the pattern's groups, group 0
// included; nil where there is no match to refer to.
func (c *compiler) template(t *script.Text, groups []string) *template {
	tmpl := &template{}
	literal := func(s string) {
		if n := len(tmpl.parts); n > 0 && tmpl.parts[n-1].from == sourceLiteral {
			tmpl.parts[n-1].literal += s
		} else if s != "" {
			tmpl.parts = append(tmpl.parts, part{literal: s})
		}
	}
	for _, p := range t.Parts {
		if p.Hole == nil {
			literal(p.Literal)
			continue
		}
		hole := part{filters: p.Hole.Filters, pos: p.Hole.Pos}
		if from, ok := sources[p.Hole.Name]; ok {
			hole.from = from
			c.program.sequential = c.program.sequential || from == sourceCountAll
		} else if g, ok := c.group(p.Hole, groups); ok {
			hole.from, hole.group = sourceGroup, g
		} else if v, ok := c.value(p.Hole); ok {
			literal(v)
			continue
		} else {
			c.unknownIn(p.Hole, groups)
			continue
		}
		tmpl.parts = append(tmpl.parts, hole)
	}
	return tmpl
}

// group returns the number of the group that a placeholder names.
func (c *compiler) group(h *script.Placeholder, groups []string) (int, bool) {
	if n, err := strconv.Atoi(h.Name); err == nil {
		return n, n < len(groups)
	}
	i := slices.Index(groups, h.Name)
	if i > 0 {
		if _, ok := c.values[h.Name]; ok {
			c.errorf(h.Pos, "rename one of them", "{=%s} is both a group and a parameter", h.Name)
		}
	}
	return i, i > 0
}

// unknownIn reports a placeholder that names nothing, or a group that is not there.
func (c *compiler) unknownIn(h *script.Placeholder, groups []string) {
	n, err := strconv.Atoi(h.Name)
	switch {
	case err != nil:
		c.unknown(h, groups)
	case len(groups) == 0:
		c.errorf(h.Pos, "", "{=%d} refers to a match, and there is none here", n)
	case len(groups) == 1:
		c.errorf(h.Pos, "{=0} is the whole match", "there is no group %d: the pattern has no groups", n)
	default:
		c.errorf(h.Pos, "", "there is no group %d: the pattern's last one is %d", n, len(groups)-1)
	}
}

// filling is what a template is filled from.
type filling struct {
	text     []byte // the text that loc refers to
	loc      []int  // the match and its groups; nil without one
	count    int    // this change of this statement in this file, from 1
	countAll int    // the same through all files
	line     func() int
	file     File
	ending   string // what a line break is written as
}

// expand appends the template's text to dst. The error is a value that a filter
// cannot take.
func (t *template) expand(dst []byte, f *filling) ([]byte, error) {
	for i := range t.parts {
		p := &t.parts[i]
		if p.from == sourceLiteral {
			dst = appendLines(dst, p.literal, f.ending)
			continue
		}
		value := p.value(f)
		if len(p.filters) == 0 {
			dst = append(dst, value...)
			continue
		}
		s, err := filtered(string(value), p.filters)
		if err != nil {
			return dst, err
		}
		dst = append(dst, s...)
	}
	return dst, nil
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

func (p *part) value(f *filling) []byte {
	switch p.from {
	case sourceGroup:
		if 2*p.group >= len(f.loc) || f.loc[2*p.group] < 0 {
			return nil
		}
		return f.text[f.loc[2*p.group]:f.loc[2*p.group+1]]
	case sourceCount:
		return strconv.AppendInt(nil, int64(f.count), 10)
	case sourceCountAll:
		return strconv.AppendInt(nil, int64(f.countAll), 10)
	case sourceLine:
		return strconv.AppendInt(nil, int64(f.line()), 10)
	case sourceFile:
		return []byte(f.file.Path)
	default:
		return []byte(f.file.name())
	}
}

// filtered passes a value through filters.
func filtered(s string, filters []script.Filter) (string, error) {
	for _, f := range filters {
		switch f.Name {
		case "upper":
			s = mapLetters(s, unicode.ToUpper)
		case "lower":
			s = mapLetters(s, unicode.ToLower)
		case "capital":
			s = capital(s)
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
		}
	}
	return s, nil
}

// mapLetters maps the characters of s; bytes that are no UTF-8 stay.
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

func capital(s string) string {
	r, size := utf8.DecodeRuneInString(s)
	if r == utf8.RuneError && size <= 1 {
		return s
	}
	return string(unicode.ToTitle(r)) + s[size:]
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
		return s, fmt.Errorf("%q is no whole number", s)
	}
	value, _ := new(big.Int).SetString(s, 10)
	sum := value.Add(value, big.NewInt(int64(n))).String()
	if digits[0] == '0' && len(digits) > 1 {
		sum = pad(sum, len(s))
	}
	return sum, nil
}

// keepCase gives the replacement the case of what was matched: all capitals, or
// a capital first letter.
func keepCase(matched, replacement []byte) []byte {
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
		return capitalLetter(replacement)
	}
	return replacement
}

// capitalLetter raises the first letter of s, wherever it stands.
func capitalLetter(s []byte) []byte {
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRune(s[i:])
		if unicode.IsLetter(r) {
			return slices.Concat(s[:i], []byte(string(unicode.ToTitle(r))), s[i+size:])
		}
		i += size
	}
	return s
}
