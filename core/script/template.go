package script

import "strings"

// ParseTemplate parses a text of many lines, placeholders and all; name is what messages
// call it. All problems are reported at once.
func ParseTemplate(name, raw string) (*Text, Problems) {
	source := &Source{Name: name, Text: raw}
	whole := &Text{Pos: posAt(1, 1, 1), Block: true, Raw: raw}
	var problems Problems
	number := 0
	for line := range strings.SplitAfterSeq(raw, "\n") {
		number++
		if !strings.Contains(line, "{=") {
			whole.literal(line)
			continue
		}
		p := &parser{source: source}
		var t *Text
		ok := p.attempt(func() {
			t = p.textFrom([]token{{kind: kindString, text: line, pos: posAt(number, 1, 1), textColumn: 1}})
		})
		problems = append(problems, p.problems...)
		if !ok {
			continue
		}
		for _, part := range t.Parts {
			if part.Hole == nil {
				whole.literal(part.Literal)
			} else {
				whole.Parts = append(whole.Parts, part)
			}
		}
	}
	return whole, problems
}

// literal appends literal text.
func (t *Text) literal(s string) {
	if n := len(t.Parts); n > 0 && t.Parts[n-1].Hole == nil {
		t.Parts[n-1].Literal += s
	} else if s != "" {
		t.Parts = append(t.Parts, Part{Literal: s})
	}
}
