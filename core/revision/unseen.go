package revision

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"frizzel/core/program"
	"frizzel/core/textfile"
)

// maxPlaces is the maximum number of places in a note's text.
const maxPlaces = 3

// Unseen returns what look finds in the parts of a document that its text does not show, and that
// nothing changes: a note for each rule, so that nobody believes a name to be gone that is there.
func Unseen(p *program.Program, file *textfile.File, f program.File, look func(program.Input) ([]program.Match, *program.Result)) (notes []program.Note) {
	d := file.Document
	if d == nil {
		return nil
	}
	if len(d.Embedded) > 0 {
		var all []program.Unchanged
		for _, name := range d.Embedded {
			all = append(all, program.Unchanged{Place: name, Reason: "it is not looked into"})
		}
		notes = append(notes, program.Note{Rule: -1, Text: "not looked into: " + some(all), Unchanged: &all})
	}
	if len(d.Hidden) == 0 {
		return notes
	}
	var text []byte
	for _, h := range d.Hidden {
		text = append(append(text, h.Text...), '\n')
	}
	matches, _ := look(program.Input{Text: text, File: f})
	found, line, counted := map[int][]program.Unchanged{}, 0, 0
	for _, m := range matches {
		if m.Start == m.End || bytes.IndexByte(text[m.Start:m.End], '\n') >= 0 { // it is about lines
			continue
		}
		line += bytes.Count(text[counted:m.Start], []byte("\n"))
		counted = m.Start
		found[m.Rule] = append(found[m.Rule], program.Unchanged{Place: d.Hidden[line].Place, Text: string(text[m.Start:m.End]), Reason: "it is not shown"})
	}
	for rule := range p.Rules {
		if all := found[rule]; len(all) > 0 {
			notes = append(notes, program.Note{Rule: rule, Text: unseen(all), Unchanged: &all})
		}
	}
	return notes
}

func unseen(all []program.Unchanged) string {
	matches := "1 match"
	if n := len(all); n > 1 {
		matches = fmt.Sprintf("%d matches", n)
	}
	return matches + " where nothing is changed: " + some(all)
}

// some lists a few of the places.
func some(all []program.Unchanged) string {
	var places []string
	for _, u := range all {
		if !slices.Contains(places, u.Place) {
			places = append(places, u.Place)
		}
	}
	if more := len(places) - maxPlaces; more > 0 {
		return strings.Join(places[:maxPlaces], "; ") + fmt.Sprintf(" and %d more", more)
	}
	return strings.Join(places, "; ")
}
