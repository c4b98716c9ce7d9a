package explain

import (
	"fmt"
	"slices"
	"strings"

	"frizzel/core/lines"
	"frizzel/core/outline"
	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/core/syntax"
)

// maxMisses is the number of near misses of a kind that are shown.
const maxMisses = 3

// find returns the lines, from 1, of the matches of a pattern under addresses in the current text.
func (x *explaining) find(l *leaf, around []*script.Address, p *script.Pattern) (found []int) {
	n := &script.Assert{Head: script.Head{Pos: l.node.Place()}, Forbid: true, Pattern: p}
	made := x.program(l, around, n)
	if made == nil {
		return nil
	}
	matches, _ := made.Find(program.Input{Text: x.now, File: x.file, Document: x.document})
	for _, m := range matches {
		line := lines.Number(x.now, min(m.Start, len(x.now)))
		if k := len(found); k == 0 || found[k-1] != line {
			found = append(found, line)
		}
	}
	return found
}

// everyLine matches each line.
func everyLine() *script.Pattern {
	return &script.Pattern{Kind: script.Regex, Text: &script.Text{Raw: "^", Quote: '\'', Parts: []script.Part{{Literal: "^"}}}}
}

// selected notes which lines the addresses of a statement select.
func (x *explaining) selected(l *leaf) {
	if len(l.around) == 0 || x.only > 0 {
		return
	}
	if found := x.find(l, l.around, everyLine()); len(found) > 0 {
		x.account.Selected = append(x.account.Selected, Selected{l.shown, x.ranges(found)})
	}
}

// ranges returns lines as people say them, by their original numbers.
func (x *explaining) ranges(found []int) string {
	var parts []string
	for i := 0; i < len(found); {
		k := i
		for k+1 < len(found) && found[k+1] == found[k]+1 {
			k++
		}
		if len(parts) == 2*maxMisses {
			return strings.Join(parts, ", ") + " and others"
		}
		from, to := x.origin(found[i]), x.origin(found[k])
		if from == to {
			parts = append(parts, fmt.Sprint(from))
		} else {
			parts = append(parts, fmt.Sprintf("%d to %d", from, to))
		}
		i = k + 1
	}
	return strings.Join(parts, ", ")
}

// nothing says why a statement changes nothing.
func (x *explaining) nothing(l *leaf) {
	for k, a := range l.around {
		found := x.find(l, l.around[:k+1], everyLine())
		if len(found) == 0 {
			x.why(l, 0, "its address “"+a.String()+"” selects nothing"+x.nearSection(a))
			return
		}
		if k == len(l.around)-1 && x.only > 0 && !slices.ContainsFunc(found, func(line int) bool { return x.origin(line) == x.only }) {
			x.why(l, x.only, fmt.Sprintf("line %d is not selected by its address “%s”, which selects %s", x.only, a, x.ranges(found)))
			return
		}
	}
	p := patternOf(l.node)
	if _, each := l.node.(*script.ReplaceEach); each {
		x.why(l, 0, "none of the texts that it looks for is here")
		return
	}
	if p == nil {
		x.why(l, 0, "the text is so already")
		return
	}
	if found := x.on(x.find(l, l.around, p)); len(found) > 0 {
		x.why(l, x.origin(found[0]), "what it finds is what it would write already")
		return
	}
	if !x.misses(l, p) {
		where := "in this file"
		if x.only > 0 {
			where = fmt.Sprintf("on line %d", x.only)
		}
		x.why(l, 0, pattern(p)+" is nowhere "+where)
	}
}

// assertions says which assertions the result breaks.
func (x *explaining) assertions() {
	for _, s := range x.Scripts {
		for _, n := range s.Items {
			rule, nodes := (*script.Rule)(nil), []script.Node{n}
			if r, ok := n.(*script.Rule); ok {
				rule, nodes = r, r.Body
			}
			x.asserted(leaf{rule: rule, source: s.Source, declare: declared(s)}, nodes)
		}
	}
}

func (x *explaining) asserted(in leaf, nodes []script.Node) {
	for _, n := range nodes {
		switch n := n.(type) {
		case *script.Addressed:
			inner := in
			inner.around = append(slices.Clip(in.around), n.Address)
			x.asserted(inner, n.Body)
		case *script.Assert:
			l := in
			l.node, l.shown = n, script.OneLine(script.Within(in.around, n))
			if l.subject() != script.Content || x.unread {
				continue
			}
			found := x.find(&l, l.around, n.Pattern)
			switch {
			case n.Forbid:
				for _, line := range x.on(found)[:min(len(x.on(found)), maxMisses)] {
					x.why(&l, x.origin(line), fmt.Sprintf("nothing would be written, since it is found on line %d: “%s”", x.origin(line), script.Shorten(strings.TrimSpace(string(lineAt(x.now, line))))))
				}
			case n.PerFile && len(found) == 0:
				x.why(&l, 0, "nothing would be written, since it is not found in this file")
			}
		}
	}
}

// on returns those lines that are asked about.
func (x *explaining) on(found []int) []int {
	if x.only == 0 {
		return found
	}
	return slices.DeleteFunc(slices.Clone(found), func(line int) bool { return x.origin(line) != x.only })
}

// patternOf returns what a statement looks for, nil if it looks for nothing.
func patternOf(n script.Node) *script.Pattern {
	switch n := n.(type) {
	case *script.Replace:
		p := *n.Pattern
		p.IgnoreCase = p.IgnoreCase || n.KeepCase
		return &p
	case *script.Settle:
		return n.Pattern
	}
	return nil
}

// misses says what nearly matched. It reports whether anything did.
func (x *explaining) misses(l *leaf, p *script.Pattern) bool {
	told := false
	tell := func(found []int, reason string) {
		for i, line := range x.on(found) {
			if i == maxMisses {
				break
			}
			content := strings.TrimSpace(string(lineAt(x.now, line)))
			x.why(l, x.origin(line), fmt.Sprintf("%s: line %d is “%s”", reason, x.origin(line), script.Shorten(content)))
			told = true
		}
	}
	loose := *p
	if !p.IgnoreCase {
		loose.IgnoreCase = true
		tell(x.find(l, l.around, &loose), "it is there in another case")
	}
	if p.Kind == script.WholeWord {
		inside := *p
		inside.Kind = script.PlainText
		tell(x.find(l, l.around, &inside), "it is there inside a longer word")
	}
	if len(p.Guards) > 0 {
		bare := *p
		bare.Guards = nil
		tell(x.find(l, l.around, &bare), "it is there, but what must touch it is not, or what must not is")
	}
	if len(l.around) > 0 {
		tell(x.find(l, nil, p), "it is outside of its address")
	}
	return told
}

func lineAt(text []byte, line int) []byte {
	at := 0
	for ; line > 1; line-- {
		at = lines.Next(text, at, len(text))
	}
	return lines.Content(text[at:lines.Next(text, at, len(text))])
}

// nearSection names the section that an address may have meant.
func (x *explaining) nearSection(a *script.Address) string {
	s, ok := a.Form.(*script.Section)
	if !ok || s.Name == nil {
		return ""
	}
	name, plain := s.Name.Plain()
	if !plain {
		return ""
	}
	var known []string
	outline.New(x.now, syntax.Of(x.file.Path)).Sections(false, func(found []byte) bool {
		known = append(known, string(found))
		return false
	})
	for _, k := range known {
		if strings.EqualFold(k, name) {
			return "; there is “" + k + "”, in another case"
		}
	}
	if near := script.Nearest(name, known); near != "" {
		return "; there is “" + near + "”"
	}
	return ""
}
