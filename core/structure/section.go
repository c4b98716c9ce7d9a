package structure

import (
	"bytes"
	"regexp"
	"strings"
	"sync"

	"frizzel/core/edit"
	"frizzel/core/lines"
)

// header is a line of its own in brackets, single or double, and perhaps a comment
// behind it.
var header = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^[ \t]*\[(\[?)[ \t]*([^\[\]]+?)[ \t]*\]?\][ \t]*([#;].*)?$`)
})

// headerName returns the name in a line that is written like a header.
func headerName(line []byte) (string, bool) {
	if bytes.IndexByte(line, '[') < 0 {
		return "", false
	}
	m := header().FindSubmatch(line)
	if m == nil {
		return "", false
	}
	return string(m[2]), true
}

// Sections returns the sections of the name: from `[name]`, or `[[name]]`, to
// before the next header, blank lines at the end left out. A line within a value of several
// lines is no header. headers is where each header begins, whatever it names.
func (t *Text) Sections(name string) (found []edit.Span, headers []int) {
	open := -1
	close := func(at int) {
		if open >= 0 {
			found = append(found, t.Lines(open, t.withoutBlankEnd(open, at)))
			open = -1
		}
	}
	values := values{text: t}
	for i := 0; i < t.Count(); i++ {
		line := t.Content(i)
		if called, ok := headerName(line); ok && !values.open() {
			close(i)
			headers = append(headers, t.Start(i))
			if called == name {
				open = i
			}
			continue
		}
		i = values.pass(i, line)
	}
	close(t.Count())
	return found, headers
}

// values follows values of several lines.
type values struct {
	text   *Text
	quote  string // of a string that is open
	depth  int    // of brackets that are open
	header int    // the first line behind those passed that most likely is one, for depth own
	own    int
}

func (v *values) open() bool { return v.quote != "" || v.depth > 0 }

// pass reads line i, and returns the last line of a value that it opens, or i where the
// next lines tell.
func (v *values) pass(i int, line []byte) int {
	if v.text.syntax == TOML {
		v.toml(line)
		return i
	}
	return v.assigned(i, line)
}

// toml reads a line as TOML has it: brackets, strings and comments.
func (v *values) toml(line []byte) {
	for at := 0; at < len(line); {
		rest := line[at:]
		switch {
		case v.quote != "":
			end := bytes.Index(rest, []byte(v.quote))
			for v.quote == `"""` && end > 0 && oddBackslashes(rest[:end]) {
				more := bytes.Index(rest[end+1:], []byte(v.quote))
				if more < 0 {
					return
				}
				end += 1 + more
			}
			if end < 0 {
				return
			}
			at += end + len(v.quote)
			v.quote = ""
		case rest[0] == '#':
			return
		case bytes.HasPrefix(rest, []byte(`"""`)), bytes.HasPrefix(rest, []byte(`'''`)):
			v.quote = string(rest[:3])
			at += 3
		case rest[0] == '"', rest[0] == '\'':
			at += quotedLength(rest)
		default:
			switch rest[0] {
			case '[', '{':
				v.depth++
			case ']', '}':
				v.depth = max(v.depth-1, 0)
			}
			at++
		}
	}
}

// oddBackslashes reports whether s ends in a backslash that takes the next character.
func oddBackslashes(s []byte) bool {
	return (len(s)-len(bytes.TrimRight(s, `\`)))%2 == 1
}

// assignment is a key whose value begins with a bracket.
var assignment = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`=[ \t]*[\[{(]`) })

// assigned returns the line on which a bracket is closed that opens right behind = on line
// i, where no header stands before that.
func (v *values) assigned(i int, line []byte) int {
	if bytes.IndexByte(line, '=') < 0 || !assignment().Match(line) {
		return i
	}
	v.text.bracketEnds()
	at := v.text.outer[i]
	if at == beyond {
		v.text.doubt(v.text.Start(i))
	}
	if at < 0 {
		return i
	}
	last := v.text.At(at)
	if own := Depth(line); v.header <= i || own != v.own {
		v.header, v.own = v.text.nextHeader(i, own), own
	}
	if v.header < last {
		return i
	}
	return last
}

// nextHeader returns the first line behind line i that most likely is a header, and not a
// list within a list: it stands no deeper than own, and holds no value.
func (t *Text) nextHeader(i, own int) int {
	for k := i + 1; k < t.Count(); k++ {
		line := t.Content(k)
		name, ok := headerName(line)
		if ok && Depth(line) <= own && strings.IndexByte(`"'0123456789-`, name[0]) < 0 && !strings.Contains(name, ",") {
			return k
		}
	}
	return t.Count()
}

// IsHeader reports whether name can stand in a section's header.
func IsHeader(name string) bool {
	called, ok := headerName([]byte("[" + name + "]"))
	return ok && called == name && !lines.Blank([]byte(name))
}
