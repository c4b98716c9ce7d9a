package authoring

import (
	"bytes"
	"slices"
	"strings"

	"frizzel/core/compile"
	"frizzel/core/edit"
	"frizzel/core/lines"
	"frizzel/core/script"
	"frizzel/internal/oneoff"
)

// A Seen is a change in a file, from which an example is made.
type Seen struct {
	Name  string    // of the file, relative
	Text  []byte    // of the file
	Edits edit.List // all that are made to Text
	At    edit.Edit // the change itself, one of Edits
}

// Kept returns the script of the change, and reports whether it has an example made of what was seen: the shortest that
// passes, if one does. seen may be nil. If the change is a statement of a script, that is the script.
func (m *Drafted) Kept(seen *Seen) (text string, example bool) {
	s := *m.script
	if !m.draft.InScript() {
		s.Items = append(oneoff.Declared(m.draft.rules.Syntax.Name(), m.draft.files.Encoding), s.Items...)
	}
	if seen != nil {
		x := exampler{m.draft.read.Options, m.Values}
		x.options.Load, x.options.Lenient = m.draft.read.Load, true
		if e := x.example(&s, seen); e != nil {
			s.Items = append(slices.Clip(s.Items), e)
			example = true
		}
	}
	return script.Format(&s), example
}

// The sizes of excerpts to try as examples: lines above and below the change.
var excerpts = [][2]int{{0, 0}, {1, 0}, {2, 0}, {1, 1}, {3, 1}, {5, 2}, {8, 3}, {12, 5}, {20, 10}}

// maxExample is the maximum number of lines of a file that is taken as an example as a whole.
const maxExample = 60

// An exampler makes examples of scripts.
type exampler struct {
	options compile.Options
	values  map[string]string // of parameters
}

// example returns the shortest example of what was seen that passes, nil if none does.
func (x *exampler) example(s *script.Script, seen *Seen) *script.Example {
	start := lines.Start(seen.Text, 0, seen.At.Start)
	end := lines.Next(seen.Text, max(seen.At.Start, seen.At.End-1), len(seen.Text))
	tried := -1
	for _, around := range excerpts {
		from, to := lines.Above(seen.Text, start, around[0]), end
		if around[1] > 0 {
			to = lines.Below(seen.Text, end, around[1])
		}
		if to-from == tried {
			continue
		}
		tried = to - from
		if e := x.excerpt(s, seen, from, to); e != nil {
			return e
		}
	}
	if bytes.Count(seen.Text, []byte("\n")) <= maxExample {
		return x.excerpt(s, seen, 0, len(seen.Text))
	}
	return nil
}

// excerpt returns a part of the text as an example, if it passes, of whatever file or of this one.
func (x *exampler) excerpt(s *script.Script, seen *Seen, from, to int) *script.Example {
	given := marginBlock(seen.Text[from:to])
	var edits edit.List
	for _, e := range seen.Edits {
		if from <= e.Start && e.End <= to {
			edits = append(edits, e)
		}
	}
	gives := marginBlock(edits.Within(seen.Text, from, to))
	if given == nil || gives == nil || given.Raw == gives.Raw {
		return nil
	}
	e := &script.Example{Name: script.Quoted("from " + seen.Name), Given: given, Gives: gives}
	if e.Name == nil {
		e.Name = script.Quoted("what was seen")
	}
	for name, value := range x.values {
		if text := script.Quoted(value); text != nil {
			e.Sets = append(e.Sets, script.Set{Name: name, Value: text})
		}
	}
	for _, file := range []*script.Text{nil, script.Quoted(seen.Name)} {
		if e.File = file; x.passes(s, e) {
			return e
		}
	}
	return nil
}

// passes reports whether a script with an example can be read, and the example passes.
func (x *exampler) passes(s *script.Script, e *script.Example) bool {
	text := script.Format(&script.Script{Items: append(withoutExamples(s.Items), e)})
	read, problems := script.Parse(s.Source.Name, text)
	if len(problems.Errors()) > 0 {
		return false
	}
	trials, problems := compile.Examples(read, x.options)
	return len(problems.Errors()) == 0 && len(trials) == 1 && trials[0].Passed()
}

func withoutExamples(items []script.Node) (out []script.Node) {
	for _, n := range items {
		if _, ok := n.(*script.Example); !ok {
			out = append(out, n)
		}
	}
	return out
}

// marginBlock returns a text as it stands, nil if an example cannot have it.
func marginBlock(text []byte) *script.Text {
	s := strings.ReplaceAll(strings.TrimSuffix(strings.ReplaceAll(string(text), "\r\n", "\n"), "\n"), "{=", "{==")
	if strings.ContainsFunc(s, func(r rune) bool { return r < ' ' && r != '\n' && r != '\t' || r == '\uFFFD' }) {
		return nil
	}
	return &script.Text{Block: true, Raw: s}
}
