// Package report prints results: diffs, counts, and omitted files, on a terminal or in a pipe.
//
// The central type is [Printer]. Contents of files never control the terminal: control characters are
// made visible. In a pipe a diff has the bytes themselves, so that it can be applied.
package report

import (
	"bufio"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"frizzel/core/diff"
	"frizzel/core/lines"
	"frizzel/core/pattern"
	"frizzel/internal/run"
	"frizzel/internal/selection"
)

// Printer writes results to Out and remarks to Err.
type Printer struct {
	Out, Err io.Writer
	// Terminal says that Out is a terminal, where control characters are shown
	// and changes are marked.
	Terminal bool
	Style    Style
	// Context is the number of context lines around a change.
	Context int
	Rules   []string           // labels, by index
	Width   int                // columns of the terminal, 0 for no bound
	Verbose bool               // name the files that are left out
	Hidden  []*pattern.Pattern // text that is hidden

	buffer  *bufio.Writer
	extends bool // a diff with an extended header was written, so that others need one, too
}

// buffered returns the buffered writer of Out; the caller flushes it.
func (p *Printer) buffered() *bufio.Writer {
	if p.buffer == nil {
		p.buffer = bufio.NewWriterSize(p.Out, 64<<10)
	}
	return p.buffer
}

// maxPaths is the maximum number of values that a hunk's header names.
const maxPaths = 3

// pathsOf returns the paths of the values that h changes, judged by its removed lines.
func pathsOf(h diff.Hunk, values func(line, at int) string) (paths []string) {
	if values == nil {
		return nil
	}
	line, more := h.OldStart, false
	for _, l := range h.Lines {
		if l.Op == diff.Remove {
			marks := l.Marks
			if len(marks) == 0 {
				marks = [][2]int{{len(lines.Indentation(l.Text)), 0}}
			}
			for _, m := range marks {
				if path := values(line, m[0]); path != "" && !slices.Contains(paths, path) {
					if len(paths) == maxPaths {
						more = true
						continue
					}
					paths = append(paths, path)
				}
			}
		}
		if l.Op != diff.Add {
			line++
		}
	}
	if more {
		paths = append(paths, "…")
	}
	return paths
}

// about names the rules that made a hunk, and the values that it changes.
func (p *Printer) about(h diff.Hunk, values func(line, at int) string) string {
	paths := pathsOf(h, values)
	between := " "
	if slices.ContainsFunc(paths, func(path string) bool { return strings.Contains(path, " ") }) { // words
		between = "; "
	}
	return strings.TrimSpace(p.rulesAbout(h) + "  " + strings.Join(paths, between))
}

func (p *Printer) rulesAbout(h diff.Hunk) string {
	var names []string
	for _, r := range h.Rules {
		if r < len(p.Rules) && p.Rules[r] != "" {
			names = append(names, p.Rules[r])
		}
	}
	return strings.Join(names, ", ")
}

// here is the current directory, which this program does not leave.
var here = sync.OnceValues(func() (string, error) { return filepath.Abs(".") })

// Here returns a path relative to the current directory if it is below it, and otherwise the absolute path.
func Here(path string) string {
	abs := filepath.Clean(path)
	if !filepath.IsAbs(abs) {
		var err error
		if abs, err = filepath.Abs(path); err != nil {
			return path
		}
	}
	if here, err := here(); err == nil {
		if rel, err := filepath.Rel(here, abs); err == nil && rel != ".." && !strings.HasPrefix(rel, "../") {
			return rel
		}
	}
	return abs
}

// DiffName returns the name that a file has in a diff: seen from the current directory
// if it is below it, else its whole path without the first slash.
func DiffName(path string) string {
	return strings.TrimPrefix(filepath.ToSlash(Here(path)), "/")
}

// Summary writes the numbers of files that were read, changed and omitted, and the number of changes of each rule.
// changed is the verb for the files, such as "would change".
func (p *Printer) Summary(s *run.Summary, changed string) {
	fmt.Fprintf(p.Err, "%s read, %s %s: %s\n",
		Read(s), Number(s.Changed), changed, Count(s.Changes, "change"))
	p.perRule(s)
	p.leftOut(s)
	p.renames(s)
	p.Remarks(s)
}

// Remarks writes the notes about files, and the rules and addresses that found nothing.
func (p *Printer) Remarks(s *run.Summary) {
	p.notes(s)
	for _, place := range s.Tally.Idle() {
		if s.Read > 0 {
			fmt.Fprintf(p.Err, "note: %s: this address selects nothing in any file\n", place)
		}
	}
	p.foreign(s)
	unused := s.Tally.UnusedRows()
	for _, table := range slices.Sorted(maps.Keys(unused)) {
		fmt.Fprintf(p.Err, "note: %s: %s found nowhere: %s\n", table, Count(len(unused[table]), "row"), some(unused[table]))
	}
}

// foreign writes the number of files that paths skipped because of their syntax.
func (p *Printer) foreign(s *run.Summary) {
	by := map[int][]string{} // by number of files
	for place, n := range s.Tally.Foreign() {
		by[n] = append(by[n], place)
	}
	for _, n := range slices.Sorted(maps.Keys(by)) {
		slices.Sort(by[n])
		which := ": " + some(by[n])
		if strings.HasPrefix(by[n][0], "--") && len(by[n]) == 1 {
			which = ""
		}
		fmt.Fprintf(p.Err, "note: %s passed over: this path is for files of another kind%s\n", Count(n, "file"), which)
	}
}

// Matches writes the numbers of files that were read and that contain matches.
func (p *Printer) Matches(s *run.Summary) {
	fmt.Fprintf(p.Err, "%s read, %s with matches: %s\n",
		Read(s), Number(s.Changed), Count(s.Changes, "match"))
	p.leftOut(s)
	p.foreign(s)
	p.notes(s)
}

// maxNotes is the maximum number of notes of a kind without Verbose.
const maxNotes = 8

// maxOpaque is the number of documents with files in them that are named without Verbose.
const maxOpaque = 2

// notes writes the notes about files.
func (p *Printer) notes(s *run.Summary) {
	for _, text := range p.noted(s) {
		fmt.Fprintf(p.Err, "note: %s\n", text)
	}
}

// noted returns the notes about files, at most maxNotes of a kind without Verbose.
func (p *Printer) noted(s *run.Summary) (all []string) {
	type kind struct {
		rule int
		text string
	}
	of := map[kind]int{}
	var kinds []kind
	opaque, within := 0, 0
	for _, n := range s.Notes {
		if n.Rule < 0 && n.Unchanged != nil {
			opaque++
			within += len(*n.Unchanged)
		}
	}
	if opaque > maxOpaque && !p.Verbose {
		all = append(all, fmt.Sprintf("%s and programs within %s are not searched; --verbose names them", Count(within, "embedded file"), Count(opaque, "document")))
	}
	for _, n := range s.Notes {
		if n.Rule < 0 && n.Unchanged != nil && opaque > maxOpaque && !p.Verbose {
			continue
		}
		k := kind{n.Rule, n.Text}
		if of[k]++; of[k] == 1 {
			kinds = append(kinds, k)
		}
		if of[k] > maxNotes && !p.Verbose {
			continue
		}
		where := Path(n.Path)
		if n.Line > 0 {
			where += fmt.Sprintf(":%d", n.Line)
		}
		if n.Rule >= 0 && p.Rules[n.Rule] != "" {
			where += ": rule " + p.Rules[n.Rule]
		}
		all = append(all, where+": "+n.Text)
		if n.Line == 0 && n.Unchanged != nil && p.Verbose {
			for _, u := range *n.Unchanged {
				all = append(all, strings.TrimSuffix(where+": "+u.Place+": "+u.Text, ": "))
			}
		}
	}
	for _, k := range kinds {
		if more := of[k] - maxNotes; more > 0 && !p.Verbose {
			all = append(all, fmt.Sprintf("the same of %s more, which --verbose names: %s", Count(more, "line"), k.text))
		}
	}
	if s.Unknown > 0 {
		all = append(all, fmt.Sprintf("%s in no known encoding, where characters above ASCII are not found: name it, such as --encoding windows-1252", Count(s.Unknown, "file")))
	}
	return all
}

// Read counts the files and the names that were read.
func Read(s *run.Summary) string {
	switch {
	case s.Named > 0 && s.Read == 0:
		return Count(s.Named, "name")
	case s.Named > 0:
		return filesRead(s) + " and " + Count(s.Named, "name")
	}
	return filesRead(s)
}

func filesRead(s *run.Summary) string {
	if s.Documents == 0 {
		return Count(s.Read, "file")
	}
	return fmt.Sprintf("%s (%s)", Count(s.Read, "file"), Count(s.Documents, "document"))
}

// some lists a few of many.
func some(words []string) string {
	const few = 8
	if len(words) <= few {
		return strings.Join(words, ", ")
	}
	return strings.Join(words[:few], ", ") + fmt.Sprintf(" and %d more", len(words)-few)
}

func (p *Printer) perRule(s *run.Summary) {
	width := 0
	for i, name := range p.Rules {
		if s.Tally.Acts(i) {
			width = max(width, utf8.RuneCountInString(name))
		}
	}
	for i := range s.Tally.Changes {
		if p.Rules[i] != "" && s.Tally.Acts(i) {
			fmt.Fprintf(p.Err, "  %-*s  %s\n", width, p.Rules[i], ruleCounts(s, i))
		}
	}
}

// ruleCounts says what a rule changed and what it looked for in vain.
func ruleCounts(s *run.Summary, rule int) string {
	t := s.Tally
	text := Count(t.Changes[rule], "change")
	if t.Changes[rule] > 0 {
		text += " in " + Count(t.Files[rule], "file")
	}
	if t.Asked[rule] == 0 && s.Read+s.Named > 0 {
		return text + ": it is for none of these files"
	}
	if missed := t.Missed(rule); len(missed) > 0 && s.Read+s.Named > 0 {
		text += "; found nowhere: " + some(missed)
	}
	return text
}

// leftOut writes the numbers of omitted files by reason, and with Verbose also their paths. Files that the rules
// do not select are counted only with Verbose.
func (p *Printer) leftOut(s *run.Summary) {
	reasons := s.Reasons()
	var parts []string
	for _, r := range slices.Sorted(maps.Keys(reasons)) {
		parts = append(parts, r.Count(reasons[r]))
	}
	if len(parts) > 0 {
		fmt.Fprintf(p.Err, "left out: %s\n", strings.Join(parts, ", "))
	}
	for _, k := range s.Skipped {
		switch {
		case k.Reason == selection.Damaged:
			fmt.Fprintf(p.Err, "note: %s: left out: %s\n", Path(k.Path), Reason(k.Err))
		case k.Reason == selection.Unreadable:
			fmt.Fprintf(p.Err, "frizzel: %s: %s\n", Path(k.Path), Reason(k.Err))
		case p.Verbose:
			fmt.Fprintf(p.Err, "  %s: %s\n", Path(k.Path), k.Reason)
		}
	}
}

// Number writes a count, with "none" for nothing.
func Number(n int) string {
	if n == 0 {
		return "none"
	}
	return fmt.Sprint(n)
}

// Count writes a number of things.
func Count(n int, thing string) string {
	if n == 1 {
		return "1 " + thing
	}
	if strings.HasSuffix(thing, "ch") {
		thing += "e"
	}
	return fmt.Sprintf("%d %ss", n, thing)
}
