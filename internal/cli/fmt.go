package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"frizzel/core/diff"
	"frizzel/core/script"
	"frizzel/internal/report"
	"frizzel/internal/vault"
)

const fmtLong = `Lay out rule scripts the standard way: four spaces a level, one statement a line, a
blank line around rules and examples. Comments stay, and so does the meaning.

The scripts are written as "apply" writes, so "frizzel undo" takes it back. A script
that is wrong is reported and left alone.`

const fmtExample = `  frizzel fmt move-depot.friz
  frizzel fmt rules              # all scripts in a folder
  frizzel fmt --check rules      # only name those that would change
  frizzel fmt - < draft.friz     # from standard input to standard output`

func (a *app) fmt() *cobra.Command {
	var checkOnly bool
	c := &cobra.Command{
		Use:     "fmt [SCRIPT or FOLDER]...",
		Short:   "Lay out a rule script the standard way",
		Long:    fmtLong,
		Example: fmtExample,
		RunE: func(c *cobra.Command, paths []string) error {
			scripts, err := scriptsIn(paths)
			if err != nil {
				return err
			}
			var changes []vault.Change
			var problems script.Problems
			for _, path := range scripts {
				text, err := a.readScript(path)
				if err != nil {
					return err
				}
				s, ps := script.Parse(filepath.ToSlash(path), text)
				if problems = append(problems, ps...); len(ps) > 0 {
					continue
				}
				fresh := script.Format(s)
				if path == "-" && !checkOnly {
					if _, err := fmt.Fprint(a.Out, fresh); err != nil {
						return err
					}
					continue
				}
				if fresh != text {
					changes = append(changes, layout(path, text, fresh))
				}
			}
			if len(problems) > 0 {
				return problems
			}
			return a.layOut(c.Context(), changes, checkOnly)
		},
	}
	c.Flags().BoolVar(&checkOnly, "check", false, "only name the scripts that would change; exit status 1 where any would")
	return c
}

// layout is the change that lays out one script.
func layout(path, text, fresh string) vault.Change {
	c := vault.Change{Path: path, Before: vault.DigestOf([]byte(text)), Edits: diff.Compare([]byte(text), []byte(fresh))}
	if abs, err := filepath.Abs(path); err == nil {
		if real, err := filepath.EvalSymlinks(abs); err == nil {
			abs = real
		}
		c.Folder, c.Name = filepath.Dir(abs), filepath.Base(abs)
	}
	return c
}

func (a *app) layOut(ctx context.Context, changes []vault.Change, checkOnly bool) error {
	for _, c := range changes {
		fmt.Fprintln(a.Out, report.Path(c.Path))
	}
	if len(changes) == 0 {
		return nil
	}
	if checkOnly {
		return &exitError{exitWould, nil}
	}
	ap := &applying{app: a, changes: changes}
	return ap.write(ctx, vault.Intent{Kind: vault.Apply, Command: os.Args, Note: "layout", Changes: len(changes)})
}
