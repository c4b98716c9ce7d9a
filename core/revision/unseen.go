package revision

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"frizzel/core/program"
	"frizzel/core/textfile"
)

// maxPlaces is the maximum number of places in a message.
const maxPlaces = 3

// Unseen returns what look finds in the parts of a document that its text does not show, and that
// nothing changes: a note for each rule, so that nobody believes a name to be gone that is there.
func Unseen(p *program.Program, file *textfile.File, f program.File, look func(program.Input) ([]program.Match, *program.Result)) (notes []program.Note) {
	d := file.Document
	if d == nil {
		return nil
	}
	if len(d.Embedded) > 0 {
		notes = append(notes, program.Note{Rule: -1, Text: "not looked into: " + some(d.Embedded)})
	}
	if len(d.Hidden) == 0 {
		return notes
	}
	var text []byte
	for _, h := range d.Hidden {
		text = append(append(text, h.Text...), '\n')
	}
	matches, _ := look(program.Input{Text: text, File: f})
	places, line, counted := map[int][]string{}, 0, 0
	counts := map[int]int{}
	for _, m := range matches {
		if m.Start == m.End || bytes.IndexByte(text[m.Start:m.End], '\n') >= 0 { // it is about lines
			continue
		}
		line += bytes.Count(text[counted:m.Start], []byte("\n"))
		counted = m.Start
		counts[m.Rule]++
		if place := d.Hidden[line].Place; !slices.Contains(places[m.Rule], place) {
			places[m.Rule] = append(places[m.Rule], place)
		}
	}
	for rule := range p.Rules {
		if counts[rule] > 0 {
			notes = append(notes, program.Note{Rule: rule, Text: unseen(counts[rule], places[rule])})
		}
	}
	return notes
}

func unseen(n int, places []string) string {
	matches := "1 match"
	if n > 1 {
		matches = fmt.Sprintf("%d matches", n)
	}
	return matches + " where nothing is changed: " + some(places)
}

// some lists a few of many.
func some(all []string) string {
	if more := len(all) - maxPlaces; more > 0 {
		return strings.Join(all[:maxPlaces], "; ") + fmt.Sprintf(" and %d more", more)
	}
	return strings.Join(all, "; ")
}
