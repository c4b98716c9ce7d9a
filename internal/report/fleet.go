package report

import (
	"bytes"
	"fmt"
	"io"
	"strings"

	"frizzel/core/script"
	"frizzel/internal/terminal"
)

// Unified writes a unified diff that was made elsewhere. At a terminal it is coloured, and its control characters are
// made visible.
func (p *Printer) Unified(text []byte) error {
	if !p.Terminal {
		_, err := p.Out.Write(text)
		return err
	}
	inHunk := 0 // lines that the hunk still has, of either side
	for line := range bytes.Lines(text) {
		shown := terminal.Visible(bytes.TrimRight(line, "\n"))
		switch {
		case bytes.HasPrefix(line, []byte("@@")):
			inHunk = 1
			at, about, _ := strings.Cut(strings.TrimPrefix(shown, "@@"), "@@")
			shown = p.Style.place("@@"+at+"@@") + p.Style.rule(about)
		case bytes.HasPrefix(line, []byte("--- ")) && inHunk == 0, bytes.HasPrefix(line, []byte("+++ ")) && inHunk == 0:
			shown = p.Style.head(shown)
		case bytes.HasPrefix(line, []byte("diff --git ")):
			inHunk, shown = 0, p.Style.Soft(shown)
		case line[0] == '-':
			shown = p.Style.remove(shown)
		case line[0] == '+':
			shown = p.Style.add(shown)
		}
		if _, err := fmt.Fprintln(p.Out, shown); err != nil {
			return err
		}
	}
	return nil
}

// Table writes rows in columns, the first of which is a header.
func Table(out io.Writer, style Style, rows [][]string) {
	widths := make([]int, len(rows[0]))
	for _, row := range rows {
		for i, cell := range row {
			widths[i] = max(widths[i], Width(cell))
		}
	}
	for n, row := range rows {
		var line strings.Builder
		for i, cell := range row {
			line.WriteString(cell)
			if i < len(row)-1 {
				line.WriteString(strings.Repeat(" ", widths[i]-Width(cell)+2))
			}
		}
		text := strings.TrimRight(line.String(), " ")
		if n == 0 {
			text = style.Strong(text)
		}
		fmt.Fprintln(out, text)
	}
}

// SubjectOf returns the subject with a number, that of contents for one that there is not.
func SubjectOf(number int) script.Subject {
	if number < 0 || number >= script.Subjects {
		return script.Content
	}
	return script.Subject(number)
}
