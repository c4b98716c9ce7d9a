package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
)

const fmtLong = `Lay out rule scripts the standard way: four spaces a level, one statement a line, a
blank line around rules and examples. Comments stay, and so does the meaning.

The scripts are written as "apply" writes, so "frizzel undo" takes it back. A script
that is wrong is reported and left alone.`

const fmtExample = `  frizzel fmt move-depot.friz
  frizzel fmt rules              # all scripts in a directory
  frizzel fmt --check rules      # only name those that would change
  frizzel fmt - < draft.friz     # from standard input to standard output`

func (a *app) fmt() *cobra.Command {
	var checkOnly bool
	c := &cobra.Command{
		Use:     "fmt [SCRIPT or DIRECTORY]...",
		Short:   "Lay out a rule script the standard way",
		Long:    fmtLong,
		Example: fmtExample,
		RunE: func(c *cobra.Command, paths []string) error {
			o := usecase.LayoutOptions{
				Paths: paths, Stdin: a.In,
				Text:    func(text string) error { _, err := fmt.Fprint(a.Out, text); return err },
				Differs: func(path string) { fmt.Fprintln(a.Out, report.Path(path)) },
			}
			if !checkOnly {
				w, err := a.writing()
				if err != nil {
					return err
				}
				w.Note = "layout"
				o.Write = &w
			}
			done, err := usecase.Layout(c.Context(), o)
			switch {
			case err != nil:
				return err
			case checkOnly && done.Files > 0:
				return exit.Silent(exit.Would)
			case done.Run != nil:
				a.wrote(done.Run, done.Files)
			}
			return nil
		},
	}
	c.Flags().BoolVar(&checkOnly, "check", false, "only name the scripts that would change; exit status 1 if any would")
	return c
}
