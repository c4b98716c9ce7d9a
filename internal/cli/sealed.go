package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/internal/report"
	"frizzel/internal/seal"
	"frizzel/internal/vault"
)

// readSeal reads a sealed review; rules and paths do not go with one.
func readSeal(c *cobra.Command, path string, paths []string) (*seal.Seal, error) {
	if len(paths) > 0 {
		return nil, wrong("a sealed review names its files; leave the paths out")
	}
	if others := given(c, "rules", "text", "word", "regex", "rule", "with", "set", "values", "files", "from"); len(others) > 0 {
		return nil, wrong("%s does not go with --sealed: the review holds its rules", others[0])
	}
	s, err := seal.Read(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, wrong("there is no sealed review %q", path)
	case err != nil:
		return nil, wrong("%w", err)
	}
	return s, nil
}

// showSeal prints what was reviewed.
func (a *app) showSeal(s *seal.Seal) error {
	terminal := a.printer().Terminal
	changes := 0
	for _, f := range s.Files {
		text := f.Diff
		if terminal {
			lines := strings.SplitAfter(text, "\n")
			for i, l := range lines {
				body, end := strings.CutSuffix(l, "\n")
				lines[i] = report.Visible([]byte(body))
				if end {
					lines[i] += "\n"
				}
			}
			text = strings.Join(lines, "")
		}
		if _, err := fmt.Fprint(a.Out, text); err != nil {
			return err
		}
		changes += f.Changes
	}
	_, err := fmt.Fprintf(a.Err, "sealed %s by %s on %s: %s, %s\n", s.Time.Format("2006-01-02 15:04"), s.User, s.Host,
		report.Count(len(s.Files), "file"), report.Count(changes, "change"))
	return err
}

// applySeal writes exactly what was reviewed, or names the files that differ.
func (a *app) applySeal(c *cobra.Command, s *seal.Seal, yes bool, how *writeFlags) error {
	changes, differ, err := s.Changes()
	if err != nil {
		return refused(err)
	}
	if len(differ) > 0 {
		fmt.Fprintln(a.Err, "frizzel: nothing was written: these files are not what was reviewed")
		for _, path := range differ {
			fmt.Fprintf(a.Err, "  %s\n", report.Path(path))
		}
		return &exitError{exitRefused, nil}
	}
	printer := a.printer()
	printer.Rules = s.Rules
	ap := &applying{app: a, printer: printer, asker: a.asker(yes, printer), how: how}
	for i, ch := range changes {
		counted := report.Count(s.Files[i].Changes, "change")
		take, err := ap.ask(c.Context(), report.Path(report.Here(ch.Path)), counted, "write "+counted, func() error {
			now, err := ch.Content()
			if err != nil {
				return err
			}
			return printer.Diff(ch.Path, now, ch.Edits)
		})
		if err != nil {
			return err
		}
		if take {
			ap.changes = append(ap.changes, ch)
			ap.count += s.Files[i].Changes
		}
	}
	return ap.write(c.Context(), how.intent(a, vault.Intent{
		Kind: vault.Apply, Command: os.Args, Rules: s.Rules, Changes: ap.count,
	}))
}
