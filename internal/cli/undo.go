package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/core/diff"
	"frizzel/internal/change"
	"frizzel/internal/exit"
	"frizzel/internal/progress"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
)

const undoLong = `Put back what a run changed: the last run that was not taken back yet, or the one
named, whole or only the PATHs given. The diff is shown and each file asked about,
unless --yes is given.

Of a file that has changed since the run, what the run changed is taken back around the
later changes, where the two do not touch: that is shown and asked, and without questions
done only with --keep-later. Where they touch the file is left alone and reported, unless
--force is given, which backs that state up first. An undo is a run itself, so that
"frizzel redo" takes it back in turn.`

const undoExample = `  # take the last run back, asking about each file
  frizzel undo

  # take back one run, without questions; or only one directory of it
  frizzel undo --yes 17
  frizzel undo 17 conf`

const redoLong = `Do again what an undo took back: the last undo, or the run named, which is an undo or was
taken back by one.`

func (a *app) undo() *cobra.Command {
	return a.taking(store.Undo, &cobra.Command{
		Use: "undo [RUN] [PATH]...", Short: "Put back what a run changed", Long: undoLong, Example: undoExample,
	})
}

func (a *app) redo() *cobra.Command {
	return a.taking(store.Redo, &cobra.Command{
		Use: "redo [RUN] [PATH]...", Short: "Do again what an undo took back", Long: redoLong,
		Example: "  frizzel redo\n  frizzel redo --yes 17",
	})
}

// taking makes a command that takes something back, as a run of a kind.
func (a *app) taking(kind store.Kind, c *cobra.Command) *cobra.Command {
	var yes, keepLater bool
	var note string
	o := usecase.UndoOptions{Kind: kind}
	c.RunE = func(c *cobra.Command, args []string) error {
		w, err := a.writing()
		if err != nil {
			return err
		}
		w.Note = note
		o.Names, o.Write = args, w
		if keepLater || !yes {
			o.Later = usecase.TakeLater
		}
		for {
			more, err := a.takeBack(c, o, yes)
			if err != nil || !more {
				return err
			}
		}
	}
	c.Flags().BoolVarP(&yes, "yes", "y", false, "do not ask")
	c.Flags().BoolVar(&o.Force, "force", false, "also files that have changed since, whose state is backed up first")
	c.Flags().BoolVar(&keepLater, "keep-later", false, "without questions, take files back that have changed since, around those changes")
	c.Flags().StringVar(&note, "note", "", "a `text` to keep with the run")
	return c
}

// takeBack writes one run that takes another one back. It reports more if a redo has further undos to redo.
func (a *app) takeBack(c *cobra.Command, o usecase.UndoOptions, yes bool) (more bool, err error) {
	b := &byFile{app: a}
	if o.Asks = !yes; o.Asks {
		b.prompt = a.prompt()
	}
	printer := a.printer()
	var refuse error
	o.Found = func(r *store.Record, left []store.Left) {
		printer.Rules = r.Rules
		refuse = a.canAsk(yes)
	}
	o.Take = func(back *history.Back, text diff.Windows) (bool, error) {
		if refuse != nil {
			return false, refuse
		}
		what := "put back"
		if back.Op == change.Remove {
			what = "take away"
		}
		said := map[string]string{"put back": "to be put back", "take away": "to be taken away"}[what]
		if back.Later {
			what += " around what has changed since"
			said += ", around what has changed since"
		}
		if back.Moved {
			what += " in a directory that is another one than the run wrote in"
			said += ", in a directory that is another one than the run wrote in"
		}
		return b.take(c.Context(), report.Moved(report.Here(back.Path), report.Here(back.To)), said, what, func() error {
			return printer.Change(&back.Change, back.To, text)
		})
	}
	o.Taken = b.flush
	o.Write.Progress = &progress.Meter{}
	if yes {
		o.Write.Progress.Begin("reading")
	}
	done, err := doing(a, o.Write.Progress, func() (*usecase.TakenBack, error) { return usecase.Undo(c.Context(), o) })
	if done != nil {
		left(a.Err, done.Left)
	}
	switch {
	case err != nil:
		return false, err
	case done.Run != nil:
		a.wrote(done.Run, done.Files)
	case done.Already > 0 && len(done.Left) == 0:
		fmt.Fprintf(a.Err, "nothing to write: %s as before the run already\n", report.Count(done.Already, "file"))
	default:
		fmt.Fprintln(a.Err, "nothing to write")
	}
	if len(done.Left) > 0 {
		return false, exit.Silent(exit.InPart)
	}
	return done.More && done.Run != nil, nil
}

// namedRun returns the store and one of its runs.
func namedRun(name string) (*store.Store, *store.Record, error) {
	s, err := usecase.OpenStore()
	if err != nil {
		return nil, nil, err
	}
	r, err := s.Run(name)
	return s, r, err
}
