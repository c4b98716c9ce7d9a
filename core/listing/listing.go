// Package listing writes places of many files as one text to edit by hand, and reads what a person made of it as edits.
//
// The text is made of the files' names, each on a line of its own, and below each name its entries:
//
//	12 | text        line 12
//	12:5 | value     the value at line 12, column 5
//	-12 |            line 12, deleted
//	| text           a line behind the one above it
//	name | text      what the file is called
//
// The central type is [File]. [Write] writes the text. [Read] returns the edits of each file against its own content, and
// the names: a line that is not in the text any more stays as it is.
package listing

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"frizzel/core/edit"
)

// A File is a file of the list.
type File struct {
	Name    string
	Ending  string // line ending of lines that are added
	Size    int    // bytes of its text
	Entries []Entry
	// Top are lines to add before the first one.
	Top []string
}

// An Entry is a line or a value of a file.
type Entry struct {
	// Label is the word of an entry that is no part of the content, such as a name; "" for others.
	Label  string
	Line   int // from 1
	Column int // from 1, in characters, of a value; 0 for a line
	// Start and End are the bytes of the line's content, or of the value; Next is the start of the next line.
	Start, End, Next int
	Old              string
	New              string // as it would become
	Deleted          bool
	Added            []string // lines behind it
}

// number returns what identifies the entry in its file.
func (e *Entry) number() string {
	switch {
	case e.Label != "":
		return e.Label
	case e.Column > 0:
		return fmt.Sprintf("%d:%d", e.Line, e.Column)
	}
	return strconv.Itoa(e.Line)
}

// Write writes the list.
func Write(out io.Writer, files []File) error {
	w := bufio.NewWriter(out)
	for i := range files {
		f := &files[i]
		if i > 0 {
			w.WriteByte('\n')
		}
		w.WriteString(shownName(f.Name) + "\n")
		added := func(lines []string) {
			for _, l := range lines {
				w.WriteString(entryLine("", l))
			}
		}
		added(f.Top)
		for k := range f.Entries {
			e := &f.Entries[k]
			if e.Deleted {
				w.WriteString("-" + e.number() + " |\n")
			} else {
				w.WriteString(entryLine(e.number()+" ", e.New))
			}
			added(e.Added)
		}
	}
	return w.Flush()
}

func entryLine(number, text string) string {
	if text == "" {
		return number + "|\n"
	}
	return number + "| " + encode(text) + "\n"
}

// shownName returns a file's name as a line of the list: in quotes if it could be read as something else.
func shownName(name string) string {
	plain := name != "" && strings.TrimSpace(name) == name && !strings.ContainsAny(name, "|\"") && utf8.ValidString(name) &&
		!strings.ContainsFunc(name, func(r rune) bool { return unicode.IsControl(r) || r == '\u2028' || r == '\u2029' })
	if plain {
		return name
	}
	return strconv.Quote(name)
}

// A Mistake is a line of the list that cannot be read.
type Mistake struct {
	Line   int // from 1
	Reason string
}

func (m *Mistake) Error() string { return fmt.Sprintf("line %d: %s", m.Line, m.Reason) }

// reader reads an edited list.
type reader struct {
	files  []File
	byName map[string]int
	number int // of the line

	file   int            // the current one; -1 before the first
	index  map[string]int // its entries
	seen   []map[string]bool
	behind int // the entry that lines are added behind, -1 for the top of the file; -2 if none can be
	edits  [][]placed
	labels []map[string]string
}

// placed is an edit. Of those at the same byte, added lines come first: they are behind the line before.
type placed struct {
	edit.Edit
	added bool
}

// Read returns the edits of each file that the edited list says, and the new texts of its labelled entries that differ from
// the old ones, by the labels. The error is a *Mistake.
func Read(text string, files []File) (lists []edit.List, labels []map[string]string, err error) {
	text = strings.TrimPrefix(text, "\ufeff")
	if !utf8.ValidString(text) {
		return nil, nil, &Mistake{1 + strings.Count(text[:firstInvalid(text)], "\n"), "this is not UTF-8"}
	}
	r := &reader{files: files, byName: map[string]int{}, file: -1, seen: make([]map[string]bool, len(files)), edits: make([][]placed, len(files))}
	for i := range files {
		r.byName[files[i].Name] = i
		r.labels = append(r.labels, map[string]string{})
	}
	for line := range strings.SplitSeq(text, "\n") {
		r.number++
		if err := r.line(strings.TrimSuffix(line, "\r")); err != nil {
			return nil, nil, &Mistake{r.number, err.Error()}
		}
	}
	lists = make([]edit.List, len(files))
	for i, edits := range r.edits {
		slices.SortStableFunc(edits, func(a, b placed) int {
			switch {
			case a.Start != b.Start:
				return a.Start - b.Start
			case a.added == b.added:
				return 0
			case a.added:
				return -1
			}
			return 1
		})
		for _, e := range edits {
			lists[i] = append(lists[i], e.Edit)
		}
	}
	return lists, r.labels, nil
}

func firstInvalid(text string) int {
	for i, r := range text {
		if r == utf8.RuneError {
			if _, n := utf8.DecodeRuneInString(text[i:]); n == 1 {
				return i
			}
		}
	}
	return 0
}

// line reads one line.
func (r *reader) line(line string) error {
	name := strings.TrimSpace(line)
	if i, ok := r.byName[name]; ok && shownName(name) == name { // also one that begins like an entry
		return r.begin(i)
	}
	if strings.HasPrefix(name, `"`) {
		if unquoted, err := strconv.Unquote(name); err == nil {
			if i, ok := r.byName[unquoted]; ok {
				return r.begin(i)
			}
			return fmt.Errorf("there is no file %s in the list", name)
		}
	}
	number, text, bar := strings.Cut(line, "|")
	switch {
	case !bar && name == "":
		return nil
	case !bar:
		return fmt.Errorf("%q is neither a file of the list nor a line such as 12 | text", cut(name))
	case r.file < 0:
		return fmt.Errorf("a line comes before the first file's name")
	}
	return r.entry(strings.TrimSpace(number), decode(strings.TrimPrefix(text, " ")))
}

func cut(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// begin begins the entries of a file.
func (r *reader) begin(i int) error {
	r.file, r.behind = i, -1
	r.index = map[string]int{}
	for k := range r.files[i].Entries {
		r.index[r.files[i].Entries[k].number()] = k
	}
	if r.seen[i] == nil {
		r.seen[i] = map[string]bool{}
	}
	return nil
}

// entry reads what a line says of an entry.
func (r *reader) entry(number, text string) error {
	if number == "" {
		return r.added(text)
	}
	bare, deleted := strings.CutPrefix(number, "-")
	bare = strings.TrimSpace(bare)
	k, ok := r.index[bare]
	f := &r.files[r.file]
	switch {
	case !ok && strings.Trim(bare, "0123456789:") != "":
		return fmt.Errorf("%q is no number of a line", cut(number))
	case !ok:
		return fmt.Errorf("line %s of %s is not in this list", bare, f.Name)
	case r.seen[r.file][bare] && f.Entries[k].Label != "":
		return fmt.Errorf("%s of %s is here twice", bare, f.Name)
	case r.seen[r.file][bare]:
		return fmt.Errorf("line %s of %s is here twice", bare, f.Name)
	case deleted && strings.TrimSpace(text) != "":
		return fmt.Errorf("a line to be deleted has no text: write -%s |, or leave out the -", bare)
	}
	e := &f.Entries[k]
	if e.Label != "" {
		return r.labelled(e, text, deleted)
	}
	if deleted && e.Column > 0 {
		return fmt.Errorf("a value is changed here, and never deleted")
	}
	r.seen[r.file][bare] = true
	r.behind = k
	switch {
	case deleted:
		r.add(e.Start, e.Next, "", false)
	case text != e.Old:
		r.add(e.Start, e.End, text, false)
	}
	return nil
}

// labelled reads what a line says of a labelled entry. Lines behind it are behind the one before.
func (r *reader) labelled(e *Entry, text string, deleted bool) error {
	switch r.seen[r.file][e.Label] = true; {
	case deleted:
		return fmt.Errorf("a %s is changed here, and never deleted", e.Label)
	case text != e.Old:
		r.labels[r.file][e.Label] = text
	}
	return nil
}

// values reports whether a file's entries are values, and not lines.
func (f *File) values() bool {
	return slices.ContainsFunc(f.Entries, func(e Entry) bool { return e.Column > 0 })
}

// added reads a line to be added behind the one above it.
func (r *reader) added(text string) error {
	f := &r.files[r.file]
	if r.behind < 0 {
		if f.values() {
			return fmt.Errorf("values are changed here, and no line is added")
		}
		r.add(0, 0, text+f.Ending, true)
		return nil
	}
	e := &f.Entries[r.behind]
	switch {
	case e.Column > 0:
		return fmt.Errorf("values are changed here, and no line is added")
	case e.Next == e.End: // the file's last line has no ending
		r.add(e.Next, e.Next, f.Ending+text, true)
	default:
		r.add(e.Next, e.Next, text+f.Ending, true)
	}
	return nil
}

func (r *reader) add(start, end int, text string, added bool) {
	r.edits[r.file] = append(r.edits[r.file], placed{edit.Edit{Start: start, End: end, New: []byte(text)}, added})
}

// Some characters would not survive an editor, or would end a line in one. A private character of plane 16 stands for each.
// A text that holds such a private character itself has it escaped. So bytes that nobody edits stay as they are.
const (
	private = 0x100000 // and the byte of an invalid sequence, or the character
	escape  = 0x10FFFD // before a character of that range
	last    = 0x1000FF
)

// stands are the characters that are written as private ones.
func stands(r rune) bool {
	return r == '\n' || r == '\r' || r == 0 || r == '\v' || r == '\f' || r == 0x1c || r == 0x1d || r == 0x1e || r == 0x85
}

func encode(text string) string {
	if !strings.ContainsFunc(text, func(r rune) bool {
		return stands(r) || r == utf8.RuneError || r >= private || r == '\u2028' || r == '\u2029'
	}) {
		return text
	}
	var b strings.Builder
	for len(text) > 0 {
		r, n := utf8.DecodeRuneInString(text)
		switch {
		case r == utf8.RuneError && n == 1:
			b.WriteRune(escape)
			b.WriteRune(private + rune(text[0]))
		case stands(r):
			b.WriteRune(private + r)
		case r == '\u2028' || r == '\u2029':
			b.WriteRune(private + 0x80 + r - '\u2028') // no control character is here
		case r >= private && r <= last || r == escape:
			b.WriteRune(escape)
			b.WriteRune(escape)
			b.WriteRune(r)
		default:
			b.WriteRune(r)
		}
		text = text[n:]
	}
	return b.String()
}

func decode(text string) string {
	if !strings.ContainsFunc(text, func(r rune) bool { return r >= private }) {
		return text
	}
	var b strings.Builder
	runes := []rune(text)
	for i := 0; i < len(runes); i++ {
		r := runes[i]
		switch {
		case r == escape && i+2 < len(runes) && runes[i+1] == escape:
			b.WriteRune(runes[i+2])
			i += 2
		case r == escape && i+1 < len(runes) && private <= runes[i+1] && runes[i+1] <= last:
			b.WriteByte(byte(runes[i+1] - private))
			i++
		case r == private+0x80 || r == private+0x81:
			b.WriteRune('\u2028' + r - private - 0x80)
		case private <= r && r <= last:
			b.WriteRune(r - private)
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}
