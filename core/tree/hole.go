package tree

import (
	"bytes"
	"regexp"
	"strings"
	"sync"

	"frizzel/core/lines"
	"frizzel/core/syntax"
)

// A hole is an expression of a template, {{ … }}, {% … %} or {# … #}, which is set aside while the text is read.
type hole struct {
	extent
	alone bool // on lines of its own, which are read as blank ones, or as comments
	blank bool // as a blank one, even in YAML
}

var (
	expression = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`(?s)\{\{-?\s*/\*.*?\*/\s*-?\}\}|\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}`)
	})
	// plainHole is where a plain value of YAML begins with an expression.
	plainHole = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?m)(?:^|[:?-][ \t])[ \t]*\{\{`) })
	opensHole = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^\{[{%][-~+]?\s*(if|range|with|define|block|for|macro|filter|call|raw|autoescape)\b`)
	})
	closesHole = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^\{[{%][-~+]?\s*end[a-z]*\b`) })
)

func (d *Document) findHoles() {
	d.holes = nil
	for _, m := range expression().FindAllIndex(d.Text, -1) {
		d.holes = append(d.holes, hole{extent: extent{m[0], m[1]}})
	}
	for i := 0; i < len(d.holes); { // runs of them on lines of their own
		from, to := d.lineStart(d.holes[i].start), d.holes[i].end
		k := i + 1
		for k < len(d.holes) && d.holes[k].start <= d.lineEnd(to) {
			to = d.holes[k].end
			k++
		}
		rest := from
		alone := true
		for _, h := range d.holes[i:k] {
			alone = alone && strings.TrimSpace(d.raw(rest, h.start)) == ""
			rest = h.end
		}
		alone = alone && strings.TrimSpace(d.raw(rest, d.lineEnd(rest))) == ""
		value := d.Syntax == syntax.YAML && alone && k == i+1 && bytes.HasPrefix(d.Text[d.holes[i].start:], []byte("{{")) && d.isWhole()
		for n := i; n < k; n++ {
			d.holes[n].alone = alone && !value
		}
		i = k
	}
	if d.Syntax == syntax.YAML {
		d.fillBlocks()
	}
}

// isWhole reports whether the text is one expression and nothing else.
func (d *Document) isWhole() bool {
	return len(d.holes) == 1 && strings.TrimSpace(d.raw(0, d.holes[0].start)+d.raw(d.holes[0].end, len(d.Text))) == ""
}

// filled returns a text of the same length without expressions.
func (d *Document) filled() []byte {
	out := bytes.Clone(d.Text)
	place := &holeScanner{Document: d}
	for _, h := range d.holes {
		put := filler(h.end - h.start)
		switch kind := place.before(h); {
		case h.alone || kind == betweenMembers:
			fresh := blanked(d.Text[h.start:h.end])
			if d.Syntax == syntax.YAML && !h.blank { // spaces would be text behind a block of lines
				fresh[0] = '#'
			}
			put = string(fresh)
		case kind == wholeValue:
			put = `"` + filler(h.end-h.start-2) + `"`
		}
		copy(out[h.start:h.end], put)
	}
	return out
}

// blanked returns spaces, and the line breaks of a text.
func blanked(text []byte) []byte {
	out := bytes.Repeat([]byte(" "), len(text))
	for i, c := range text {
		if c == '\n' || c == '\r' {
			out[i] = c
		}
	}
	return out
}

// A holePlace is where an expression stands.
type holePlace int

const (
	withinText holePlace = iota
	wholeValue
	betweenMembers
)

// A holeScanner tells where expressions stand, in the order of the text, by the quotes and tags before each.
type holeScanner struct {
	*Document
	at    int
	tag   bool // of XML that is open
	quote byte // that is open; 0 for none
	last  byte // the last character outside quotes that is no space
}

func (s *holeScanner) before(h hole) holePlace {
	if s.Syntax == syntax.YAML {
		text := s.Text[h.start:h.end]
		before := strings.TrimRight(s.raw(s.lineStart(h.start), h.start), " \t")
		control := opensHole().Match(text) || closesHole().Match(text)
		if control && (strings.HasSuffix(before, "-") || strings.HasSuffix(before, ":")) && strings.TrimSpace(s.raw(h.end, s.lineEnd(h.end))) == "" {
			return betweenMembers // what it begins is on the lines below
		}
		return withinText
	}
	for ; s.at < h.start; s.at++ {
		s.take(s.Text[s.at])
	}
	s.at = h.end
	switch {
	case s.tag && s.quote == 0:
		return betweenMembers
	case s.Syntax == syntax.XML, s.quote != 0:
		return withinText
	}
	next := byte('\n')
	if rest := strings.TrimLeft(s.raw(h.end, s.lineEnd(h.end)), " \t"); rest != "" {
		next = rest[0]
	}
	if strings.IndexByte(":=[,{", s.last) >= 0 && strings.IndexByte(",]}:#\n/", next) >= 0 && !(s.last == ',' && next == '\n') {
		s.last = '"'
		return wholeValue
	}
	return betweenMembers
}

// take takes the next character outside expressions.
func (s *holeScanner) take(c byte) {
	xml := s.Syntax == syntax.XML
	switch {
	case xml && !s.tag:
		s.tag = c == '<'
	case xml && s.quote == 0:
		s.tag = c != '>'
		if c == '"' || c == '\'' {
			s.quote = c
		}
	case xml && c == s.quote:
		s.quote = 0
	case xml:
	case s.quote != 0 && c == '\\' && s.quote == '"':
		s.at++
	case s.quote != 0 && c == s.quote:
		s.quote = 0
		s.last = c
	case s.quote != 0:
	case c == '"' || c == '\'' && s.Syntax == syntax.TOML:
		s.quote = c
	case c == '#' && s.Syntax == syntax.TOML:
		s.at = s.lineEnd(s.at) - 1
	case strings.IndexByte(" \t\r\n", c) < 0:
		s.last = c
	}
}

var blockBegins = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?:^|[ \t])[|>][-+0-9]*[ \t]*(?:#.*)?$`) })

// fillBlocks makes those expressions part of the text that stand within blocks of lines, as deep as their lines.
func (d *Document) fillBlocks() {
	for at := 0; at < len(d.Text); {
		next := lines.Next(d.Text, at, len(d.Text))
		if header := string(lines.Content(d.Text[at:next])); blockBegins().MatchString(header) {
			d.fillBlock(next, len(header)-len(strings.TrimLeft(header, " -")))
		}
		at = next
	}
}

// fillBlock is fillBlocks for the block whose first line begins at the byte at, below a line whose text begins in the column
// outer.
func (d *Document) fillBlock(at, outer int) {
	inside, end := -1, 0 // the column of its lines, and where the last of them ends
	var within []int
	for last := at; at < len(d.Text); at = last {
		last = lines.Next(d.Text, at, len(d.Text))
		column := len(lines.Indentation(d.Text[at:last]))
		i := d.holeAt(at)
		switch {
		case lines.Blank(d.Text[at:last]):
			continue
		case i < len(d.holes) && d.holes[i].alone && d.holes[i].start < last:
			for ; i < len(d.holes) && d.holes[i].start < last; i++ {
				within = append(within, i)
			}
			last = max(last, lines.Next(d.Text, d.holes[i-1].end, len(d.Text)))
			if inside >= 0 || column <= outer {
				continue
			}
		case inside < 0 && column < outer, inside < 0 && column == outer && outer > 0, inside >= 0 && column < inside:
			at = len(d.Text)
			last = at
			continue
		}
		if inside < 0 {
			inside = column
		}
		end = last
	}
	for _, i := range within {
		switch h := &d.holes[i]; {
		case inside >= 0 && h.start-d.lineStart(h.start) >= inside:
			h.alone = false
		case h.start < end: // a comment would end the block
			h.blank = true
		}
	}
}
