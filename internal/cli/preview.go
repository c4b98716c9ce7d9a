package cli

import (
	"github.com/spf13/cobra"

	"frizzel/internal/run"
)

const previewLong = `Show what rules would change, as a diff for each file, and write nothing.

Standard output holds the diff alone, which "git apply" and "patch -p1" take as it
is; the count of what would change goes to standard error.`

const previewExample = `  # a host's new name, but not in depot-30 or old-depot-3
  frizzel preview --word depot-3 --with depot-4 --joiners "-" conf docs

  # a script's rules, over the files below the current folder
  frizzel preview -r move-depot.friz

  # swap two parts of what an expression matches, on some lines only
  frizzel preview --regex '(\w+)=(\w+)' --with '{=2}={=1}' --on 'lines 10 to 30' conf/kiosk.ini

  # keep the change for review
  frizzel preview -r move-depot.friz conf > change.diff`

func (a *app) preview() *cobra.Command {
	var rules ruleFlags
	var files fileFlags
	var lines int
	var saveTo string
	c := &cobra.Command{
		Use:     "preview [-r SCRIPT]... [PATH]...",
		Short:   "Show what would change, as a diff for each file; write nothing",
		Long:    previewLong,
		Example: previewExample,
		RunE: func(c *cobra.Command, paths []string) error {
			p, err := a.compile(c, &rules)
			if err != nil {
				return err
			}
			plan, err := a.plan(&files, p, paths)
			if err != nil {
				return err
			}
			if err := rules.save(c, saveTo); err != nil {
				return err
			}
			printer := a.printer()
			printer.Rules = ruleNames(p)
			printer.Context = lines
			var refuses refusals
			s, err := plan.Do(c.Context(), func(r *run.Result) (bool, error) {
				if r.Refuse != nil {
					refuses.add(r)
					return false, nil
				}
				return true, printer.Result(r)
			})
			if err != nil {
				return err
			}
			printer.Summary(s, "would change", files.verbose)
			if refuses = append(refuses, s.Tally.Unmet()...); len(refuses) > 0 {
				return refuse(a.Err, refuses)
			}
			return unreadable(s)
		},
	}
	rules.add(c)
	files.add(c)
	c.Flags().StringVar(&saveTo, "save", "", "keep the change given on the command line as a script in this new `file`")
	c.Flags().IntVar(&lines, "context", 3, "how many `lines` to show around a change")
	return c
}

// unreadable is the error of a run that could not read some of its files, nil where
// it could read them all.
func unreadable(s *run.Summary) error {
	if len(s.Unreadable()) > 0 {
		return &exitError{exitUnreadable, nil}
	}
	return nil
}
