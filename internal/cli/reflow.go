package cli

import (
	"regexp"
	"strings"
	"sync"

	"frizzel/internal/terminal"

	"github.com/charmbracelet/x/ansi"
)

// maxReading is the maximum width in columns of a page's lines at a terminal.
const maxReading = 100

// wrapped breaks text at spaces, into lines of a width in columns; further ones begin with hanging.
func wrapped(text string, width int, hanging string) string {
	var out strings.Builder
	at := 0
	for i, word := range strings.Split(text, " ") {
		size := ansi.StringWidth(terminal.Render(word))
		switch {
		case i == 0:
		case at+1+size > width:
			out.WriteString("\n" + hanging)
			at = 0
		default:
			out.WriteString(" ")
			at++
		}
		out.WriteString(word)
		at += size
	}
	return out.String()
}

var listItem = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^ *(?:[-*]|\d+\.) +`) })

// A reflow breaks a page of Markdown anew, into lines of a width in columns.
type reflow struct {
	strings.Builder
	width      int
	item, text string   // the mark of a list's item, and its text, or a paragraph
	table      []string // its lines
}

// reflowed breaks the paragraphs and the list items of a page, and tables that are too wide. Code and headings stay.
func reflowed(page string, width int) string {
	r := reflow{width: width}
	code := false
	for line := range strings.Lines(page) {
		line = strings.TrimSuffix(line, "\n")
		bare := strings.TrimSpace(line)
		mark := listItem().FindString(line)
		fence := strings.HasPrefix(bare, "```")
		switch {
		case !code && bare != "" && line[0] == '|':
			r.table = append(r.table, line)
		case fence || code || bare == "" || line[0] == '#' || r.text == "" && strings.HasPrefix(line, "    "):
			r.flush()
			r.WriteString(line + "\n")
			code = code != fence
		case mark != "":
			r.flush()
			r.item, r.text = mark, line[len(mark):]
		default:
			r.text = strings.TrimPrefix(r.text+" "+bare, " ")
		}
	}
	r.flush()
	return r.String()
}

func (r *reflow) flush() {
	if r.item+r.text != "" {
		r.WriteString(r.item + wrapped(r.text, r.width-len(r.item), strings.Repeat(" ", len(r.item))) + "\n")
	}
	r.item, r.text = "", ""
	r.rows()
	r.table = nil
}

// rows writes a table: as it is if it is narrow, otherwise the other cells of each row below the first one.
func (r *reflow) rows() {
	wide := false
	for _, line := range r.table {
		wide = wide || ansi.StringWidth(line) > r.width
	}
	if !wide {
		for _, line := range r.table {
			r.WriteString(line + "\n")
		}
		return
	}
	names := cells(r.table[0])
	for _, line := range r.table[min(2, len(r.table)):] { // behind the head and its rule
		for i, cell := range cells(line) {
			if i == 0 {
				r.WriteString(wrapped(cell, r.width, "") + "\n")
				continue
			}
			if len(names) > 2 && i < len(names) && names[i] != "" {
				cell = names[i] + ": " + cell
			}
			r.WriteString("    " + wrapped(cell, r.width-4, "    ") + "\n")
		}
	}
}

// cells returns the cells of a table's row.
func cells(line string) []string {
	const bar = "\x00"
	line = strings.Trim(strings.ReplaceAll(line, `\|`, bar), "| ")
	all := strings.Split(line, "|")
	for i, c := range all {
		all[i] = strings.ReplaceAll(strings.TrimSpace(c), bar, "|")
	}
	return all
}
