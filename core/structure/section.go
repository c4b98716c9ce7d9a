package structure

import (
	"bytes"
	"regexp"

	"frizzel/core/edit"
)

// header is a line of its own in brackets, single or double, and perhaps a comment
// behind it.
var header = regexp.MustCompile(`^[ \t]*\[(\[?)[ \t]*([^\[\]]+?)[ \t]*\]?\][ \t]*([#;].*)?$`)

// Sections returns the sections of the name: from `[name]`, or `[[name]]`, to
// before the next header, blank lines at the end left out.
func (t *Text) Sections(name string) []edit.Span {
	var found []edit.Span
	open := -1
	for i := range t.Count() {
		line := t.Content(i)
		if bytes.IndexByte(line, '[') < 0 {
			continue
		}
		m := header.FindSubmatch(line)
		if m == nil {
			continue
		}
		if open >= 0 {
			found = append(found, t.Lines(open, t.withoutBlankEnd(open, i)))
			open = -1
		}
		if string(m[2]) == name {
			open = i
		}
	}
	if open >= 0 {
		found = append(found, t.Lines(open, t.withoutBlankEnd(open, t.Count())))
	}
	return found
}
