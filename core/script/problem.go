package script

import (
	"fmt"
	"sort"
	"strings"
)

// Source is one script's name, as shown in messages, and its text.
type Source struct {
	Name string
	Text string
}

// line returns the source's line number n, from 1, without its line ending.
func (s *Source) line(n int) string {
	if s == nil || n < 1 {
		return ""
	}
	rest := s.Text
	for ; n > 1; n-- {
		i := strings.IndexByte(rest, '\n')
		if i < 0 {
			return ""
		}
		rest = rest[i+1:]
	}
	if i := strings.IndexByte(rest, '\n'); i >= 0 {
		rest = rest[:i]
	}
	return strings.TrimRight(rest, "\r")
}

// Pos is a place in a source: line and column from 1, the column and the width
// in characters.
type Pos struct {
	Line, Column, Width int
	// In is the source, of a part of a script that was parsed by itself; nil for that of the script.
	In *Source
}

// posAt returns a place in the script that a node is part of.
func posAt(line, column, width int) Pos { return Pos{Line: line, Column: column, Width: width} }

// Severity tells an error, which keeps a script from running, from a warning.
type Severity int

const (
	Error Severity = iota
	Warning
)

func (s Severity) String() string {
	if s == Warning {
		return "warning"
	}
	return "error"
}

// Problem is something wrong with a script: where, what, and what to do about it.
type Problem struct {
	Source   *Source
	Pos      Pos
	Severity Severity
	Reason   string
	Remedy   string // empty if none is likely
	// Fixes are what the remedy says as edits of the source; none if it is for a person to do.
	Fixes []Fix
}

// A Fix replaces something in a script.
type Fix struct {
	Title string // for a person; "" for the remedy
	Where FixPlace
	// Pos is what is replaced, unless Old is the word, or the text between quotes, to replace from there on. A width of 0
	// inserts.
	Pos      Pos
	Old, New string
}

// A FixPlace is where a fix writes its text.
type FixPlace int

const (
	FixHere FixPlace = iota
	FixTop           // a line of its own, behind the declarations at the top
	FixEnd           // a line of its own, at the end
)

// meant begins the remedy of a mistyped word.
const meant = "did you mean "

// fixesOf returns the fix of a remedy that names the word to write at the place of a problem.
func fixesOf(pos Pos, remedy string) []Fix {
	if word, ok := strings.CutPrefix(remedy, meant); ok && strings.HasSuffix(word, "?") {
		return []Fix{{Pos: pos, New: strings.TrimSuffix(word, "?")}}
	}
	return nil
}

// Error gives the place and the reason on one line.
func (p Problem) Error() string {
	if p.Pos.Line == 0 {
		return fmt.Sprintf("%s: %s: %s", p.Source.Name, p.Severity, p.Reason)
	}
	return fmt.Sprintf("%s:%d:%d: %s: %s", p.Source.Name, p.Pos.Line, p.Pos.Column, p.Severity, p.Reason)
}

// String gives the problem in full: place and reason, the line, and a caret
// under the place with the remedy behind it.
func (p Problem) String() string {
	line := p.Source.line(p.Pos.Line)
	if line == "" {
		if p.Remedy == "" {
			return p.Error()
		}
		return p.Error() + "\n    " + p.Remedy
	}
	var b strings.Builder
	line, column := around(line, p.Pos.Column)
	fmt.Fprintf(&b, "%s\n%s\n", p.Error(), visible(line))
	for i, r := range []rune(line) {
		if i >= column-1 {
			break
		}
		if r != '\t' {
			r = ' '
		}
		b.WriteRune(r)
	}
	b.WriteByte('^')
	b.WriteString(strings.Repeat("~", min(max(p.Pos.Width-1, 0), maxShown)))
	if p.Remedy != "" {
		b.WriteString(" " + p.Remedy)
	}
	return b.String()
}

// maxShown is the maximum number of characters that a problem shows of a line, and of a text in its reason.
const maxShown = 200

// Shorten returns a text for a message, cut with … if it is long.
func Shorten(s string) string {
	if len(s) <= maxShown {
		return s
	}
	if r := []rune(s); len(r) > maxShown {
		return string(r[:maxShown]) + "…"
	}
	return s
}

// around returns the part of a line around a 1-based column, cut with … if the line is long, and the column in it.
func around(line string, column int) (string, int) {
	r := []rune(line)
	if len(r) <= maxShown {
		return line, column
	}
	from := max(0, min(column-maxShown/2, len(r)-maxShown))
	out := string(r[from:min(from+maxShown, len(r))])
	if from+maxShown < len(r) {
		out += "…"
	}
	if from > 0 {
		out, column = "…"+out, column+1
	}
	return out, column - from
}

// visible replaces control characters, so that quoting a script's line cannot
// drive a terminal.
func visible(line string) string {
	return strings.Map(func(r rune) rune {
		if r != '\t' && (r < ' ' || r >= 0x7f && r < 0xa0) {
			return '\ufffd'
		}
		return r
	}, line)
}

// Problems is all that was found in one go, in the order of their places.
type Problems []Problem

// Few is the maximum number of problems that are shown in full.
const Few = 10

// Shown returns the first problems, and a line with the number of the others, or "".
func (ps Problems) Shown() (first Problems, more string) {
	if len(ps) <= Few {
		return ps, ""
	}
	more = fmt.Sprintf("and %d more problems", len(ps)-Few)
	if len(ps) == Few+1 {
		more = "and 1 more problem"
	}
	return ps[:Few], more
}

// Error returns the first problems in full, and the number of the others.
func (ps Problems) Error() string {
	first, more := ps.Shown()
	var texts []string
	for _, p := range first {
		texts = append(texts, p.String())
	}
	if more != "" {
		texts = append(texts, more)
	}
	return strings.Join(texts, "\n")
}

// Errors returns those problems that keep a script from running.
func (ps Problems) Errors() Problems {
	var errs Problems
	for _, p := range ps {
		if p.Severity == Error {
			errs = append(errs, p)
		}
	}
	return errs
}

// Sort orders the problems of each source by place, sources in the order in
// which they first appear.
func (ps Problems) Sort() {
	order := map[*Source]int{}
	for _, p := range ps {
		if _, ok := order[p.Source]; !ok {
			order[p.Source] = len(order)
		}
	}
	sort.SliceStable(ps, func(i, j int) bool {
		a, b := ps[i], ps[j]
		if a.Source != b.Source {
			return order[a.Source] < order[b.Source]
		}
		if a.Pos.Line != b.Pos.Line {
			return a.Pos.Line < b.Pos.Line
		}
		return a.Pos.Column < b.Pos.Column
	})
}
