package document

import (
	"bytes"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/core/edit"
)

// Compare returns edits that turn old's text into fresh's. If both have the same number of lines, each edit
// is within a line.
func Compare(old, fresh *Document) edit.List {
	if len(old.lines) != len(fresh.lines) {
		return diff.Compare(old.Text, fresh.Text)
	}
	var edits edit.List
	for i, l := range old.lines {
		was, is := l.text, fresh.lines[i].text
		if bytes.Equal(was, is) {
			continue
		}
		before, after := 0, 0
		for before < min(len(was), len(is)) && was[before] == is[before] {
			before++
		}
		for before > 0 && (before < len(was) && !utf8.RuneStart(was[before]) || before < len(is) && !utf8.RuneStart(is[before])) {
			before--
		}
		for after < min(len(was), len(is))-before && was[len(was)-1-after] == is[len(is)-1-after] {
			after++
		}
		for after > 0 && !utf8.RuneStart(was[len(was)-after]) {
			after--
		}
		edits = append(edits, edit.Edit{Start: old.starts[i] + before, End: old.starts[i] + len(was) - after, New: is[before : len(is)-after]})
	}
	return edits
}
