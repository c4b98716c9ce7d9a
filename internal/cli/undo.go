package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"frizzel/internal/report"
	"frizzel/internal/vault"
)

const undoLong = `Put back what a run changed: the last run that was not taken back yet, or the one
named, whole or only the PATHs given. The diff is shown and each file asked about,
unless --yes is given.

A file that has changed since the run is left alone and reported, unless --force is
given, which backs that state up first. An undo is a run itself, so that "frizzel redo"
takes it back in turn.`

const undoExample = `  # take the last run back, asking about each file
  frizzel undo

  # take back one run, without questions; or only one folder of it
  frizzel undo --yes 20260301-141502
  frizzel undo 20260301-141502 conf`

const redoLong = `Do again what an undo took back: the last undo, or the one named.`

func (a *app) undo() *cobra.Command {
	return a.taking(vault.Apply, vault.Undo, &cobra.Command{
		Use: "undo [RUN] [PATH]...", Short: "Put back what a run changed", Long: undoLong, Example: undoExample,
	})
}

func (a *app) redo() *cobra.Command {
	return a.taking(vault.Undo, vault.Redo, &cobra.Command{
		Use: "redo [RUN] [PATH]...", Short: "Do again what an undo took back", Long: redoLong,
		Example: "  frizzel redo\n  frizzel redo --yes 20260301-141502",
	})
}

// taking makes a command that takes back a run of one kind, which is a run of
// another.
func (a *app) taking(back, as vault.Kind, c *cobra.Command) *cobra.Command {
	var yes bool
	var how vault.Reversal
	var note string
	c.RunE = func(c *cobra.Command, args []string) error {
		if err := a.canAsk(yes); err != nil {
			return err
		}
		v, err := openVault()
		if err != nil {
			return err
		}
		record, paths, err := findRun(v, args, back)
		if err != nil {
			return err
		}
		how.Paths = paths
		return a.takeBack(c.Context(), v, record, how, yes, vault.Intent{Kind: as, Undoes: record.ID, Note: note})
	}
	c.Flags().BoolVarP(&yes, "yes", "y", false, "do not ask")
	c.Flags().BoolVar(&how.Force, "force", false, "also files that have changed since, whose state is backed up first")
	c.Flags().StringVar(&note, "note", "", "a `text` to keep with the run")
	return c
}

// namedRun returns the vault and one of its runs.
func namedRun(id string) (*vault.Vault, *vault.Record, error) {
	v, err := openVault()
	if err != nil {
		return nil, nil, err
	}
	r, err := v.Run(id)
	if errors.Is(err, fs.ErrNotExist) {
		err = wrong("there is no run %q", id)
	}
	return v, r, err
}

// findRun returns the run that the first argument names, or the last one of the kind,
// and the absolute paths that the other arguments name.
func findRun(v *vault.Vault, args []string, kind vault.Kind) (*vault.Record, []string, error) {
	var record *vault.Record
	if len(args) > 0 {
		r, err := v.Run(args[0])
		switch {
		case err == nil:
			record, args = r, args[1:]
		case !errors.Is(err, fs.ErrNotExist):
			return nil, nil, err
		}
	}
	var paths []string
	for _, p := range args {
		abs, err := filepath.Abs(p)
		if err != nil {
			return nil, nil, err
		}
		if _, err := os.Lstat(p); record == nil && errors.Is(err, fs.ErrNotExist) {
			return nil, nil, wrong("there is no run and no path %q", p)
		}
		if real, err := filepath.EvalSymlinks(abs); err == nil {
			abs = real
		}
		paths = append(paths, abs)
	}
	if record == nil {
		r, err := v.Last(kind)
		if errors.Is(err, vault.ErrNothing) {
			err = refused(err)
		}
		return r, paths, err
	}
	if record.State != vault.Done {
		return nil, nil, refused(fmt.Errorf("run %s did not come to its end (%s), so there is nothing to take back", record.ID, record.State))
	}
	return record, paths, nil
}

func (a *app) takeBack(ctx context.Context, v *vault.Vault, record *vault.Record, how vault.Reversal, yes bool, intent vault.Intent) error {
	changes, left, err := v.Reverse(record, how)
	if err != nil {
		return err
	}
	printer := a.printer()
	printer.Rules = record.Rules
	ap := &applying{app: a, printer: printer, asker: a.asker(yes, printer), madeIn: string(record.Folder)}
	if err := ap.confirmReverse(ctx, changes); err != nil {
		return err
	}
	for _, path := range left {
		fmt.Fprintf(a.Err, "left alone: %s has changed since run %s; --force puts it back all the same\n", report.Path(path), record.ID)
	}
	intent.Command, intent.Rules, intent.Changes, intent.After = os.Args, record.Rules, ap.count, record.After
	if err := ap.write(ctx, intent); err != nil {
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
		what := "put back"
		if ch.Remove {
			what = "take away"
		}
		take, err := ap.ask(ctx, report.Path(report.Here(ch.Path)), "to be "+what, what, show)
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

func (a *app) recoverCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "recover",
		Short:   "Settle a run that was cut off",
		Long:    "Put back the files of a run that was cut off, by a crash or a kill. Every command that\nwrites does so first by itself; this one does nothing else.",
		Example: "  frizzel recover",
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			v, err := openVault()
			if err != nil {
				return err
			}
			recovered, err := v.Recover(c.Context())
			if err != nil {
				return err
			}
			for _, r := range recovered {
				fmt.Fprintf(a.Out, "run %s of %s had been cut off; its files were put back\n", r.ID, r.Time.Format("2006-01-02 15:04"))
			}
			if len(recovered) == 0 {
				fmt.Fprintln(a.Out, "no run was cut off")
			}
			return nil
		},
	}
}

func (a *app) keep() *cobra.Command {
	return &cobra.Command{
		Use:     "keep RUN",
		Short:   "Keep what a run on hold wrote",
		Long:    "Say that what a run wrote with --hold is good, so that it is not put back.",
		Example: "  frizzel keep 20260301-141502",
		Args:    cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			v, r, err := namedRun(args[0])
			if err != nil {
				return err
			}
			records, err := v.Runs()
			switch {
			case err != nil:
				return err
			case r.Hold.IsZero():
				return refused(fmt.Errorf("run %s is not on hold, so it stays anyway", r.ID))
			case vault.Undone(records)[r.ID] > 0:
				return refused(fmt.Errorf("run %s was put back already; frizzel redo does it again", r.ID))
			}
			if err := v.Keep(r); err != nil {
				return err
			}
			_, err = fmt.Fprintf(a.Out, "run %s stays\n", r.ID)
			return err
		},
	}
}
