package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"github.com/spf13/cobra"

	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/vault"
)

const undoLong = `Put back what a run changed: the last run that was not taken back yet, or the one
named. The diff is shown and each file asked about, unless --yes is given.

A file that has changed since the run is left alone and reported. An undo is a run
itself, so that it can be taken back in turn.`

const undoExample = `  # take the last run back, asking about each file
  frizzel undo

  # take back one run, without questions
  frizzel undo --yes 20260301-141502`

func (a *app) undo() *cobra.Command {
	var yes bool
	c := &cobra.Command{
		Use:     "undo [RUN]",
		Short:   "Put back what a run changed",
		Long:    undoLong,
		Example: undoExample,
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if !yes && !review.Terminal(a.In, a.Out) {
				return refused(errors.New("there is no terminal to ask at, so nothing was put back; --yes puts all files back without asking"))
			}
			folder, err := vault.DefaultFolder()
			if err != nil {
				return err
			}
			v := vault.Open(folder)
			record, err := findRun(v, args)
			if err != nil {
				return err
			}
			return a.takeBack(c, v, record, yes)
		},
	}
	c.Flags().BoolVarP(&yes, "yes", "y", false, "put all files back without asking")
	return c
}

// findRun returns the run named, or the last one that can be taken back.
func findRun(v *vault.Vault, args []string) (*vault.Record, error) {
	if len(args) == 0 {
		r, err := v.Last()
		if errors.Is(err, vault.ErrNothing) {
			return nil, refused(err)
		}
		return r, err
	}
	r, err := v.Run(args[0])
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, wrong("there is no run %q", args[0])
	case err != nil:
		return nil, err
	case r.State != vault.Done:
		return nil, refused(fmt.Errorf("run %s did not come to its end (%s), so there is nothing to take back", r.ID, r.State))
	}
	return r, nil
}

func (a *app) takeBack(c *cobra.Command, v *vault.Vault, record *vault.Record, yes bool) error {
	changes, left, err := v.Reverse(record)
	if err != nil {
		return err
	}
	printer := a.printer()
	printer.Rules = record.Rules
	ap := &applying{app: a, printer: printer, asker: a.asker(yes, printer)}
	if err := ap.confirmReverse(c.Context(), changes); err != nil {
		return err
	}
	for _, path := range left {
		fmt.Fprintf(a.Err, "left alone: %s has changed since run %s\n", report.Path(path), record.ID)
	}
	if err := ap.write(c.Context(), vault.Intent{
		Kind: vault.Undo, Undoes: record.ID, Command: os.Args, Rules: record.Rules, Changes: ap.count,
	}); err != nil {
		return err
	}
	if len(left) > 0 {
		return &exitError{exitRefused, nil}
	}
	return nil
}

// confirmReverse asks about each file to be put back.
func (ap *applying) confirmReverse(ctx context.Context, changes []vault.Change) error {
	for _, ch := range changes {
		show := func() error {
			now, err := ch.Content()
			if err != nil {
				return err
			}
			return ap.printer.Diff(ch.Path, now, ch.Edits)
		}
		take, err := ap.ask(ctx, report.Path(report.Here(ch.Path)), "to be put back", "put back", show)
		if err != nil {
			return err
		}
		if take {
			ap.changes = append(ap.changes, ch)
			ap.count += len(ch.Edits)
		}
	}
	return nil
}
