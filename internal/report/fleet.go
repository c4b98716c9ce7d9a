package report

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"

	"frizzel/internal/terminal"
)

// Unified writes a unified diff that was made elsewhere. At a terminal it is coloured, and its control characters are
// made visible.
func (p *Printer) Unified(text []byte) error {
	if !p.Terminal {
		_, err := p.Out.Write(text)
		return err
	}
	inHunk := false
	for line := range bytes.Lines(text) {
		shown := terminal.Visible(bytes.TrimRight(line, "\n"))
		switch {
		case bytes.HasPrefix(line, []byte("@@")):
			inHunk = true
			at, about, _ := strings.Cut(strings.TrimPrefix(shown, "@@"), "@@")
			shown = p.Style.place("@@"+at+"@@") + p.Style.rule(about)
		case bytes.HasPrefix(line, []byte("--- ")) && !inHunk, bytes.HasPrefix(line, []byte("+++ ")) && !inHunk:
			shown = p.Style.head(shown)
		case bytes.HasPrefix(line, []byte("diff --git ")):
			inHunk, shown = false, p.Style.Soft(shown)
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

// Table writes rows in columns. The first one is their header.
func Table(out io.Writer, style Style, rows [][]string) error {
	var text strings.Builder
	w := tabwriter.NewWriter(&text, 0, 0, 2, ' ', 0)
	for _, row := range rows {
		fmt.Fprintln(w, strings.TrimRight(strings.Join(row, "\t"), "\t"))
	}
	_ = w.Flush() // to memory
	head, body, _ := strings.Cut(text.String(), "\n")
	_, err := fmt.Fprintf(out, "%s\n%s", style.Strong(head), body)
	return err
}
