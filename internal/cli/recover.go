package cli

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/hold"
)

func (a *app) recover() *cobra.Command {
	return &cobra.Command{
		Use:     "recover",
		Short:   "Put back the files of runs that were cut off",
		Long:    "Put back the files of a run that was cut off, by a crash or a kill, and those of one on\nhold that nobody kept in time. Every command that writes does so first by itself; this\none does nothing else.",
		Example: "  frizzel recover",
		Args:    nothing,
		RunE: func(c *cobra.Command, _ []string) error {
			w, err := a.writing()
			if err != nil {
				return err
			}
			whole := true
			w.Recovered = func(s usecase.Recovered) { whole = a.tellRecovered(s) }
			s, err := usecase.Recover(c.Context(), w)
			switch {
			case err != nil:
				return err
			case !whole:
				return exit.Silent(exit.InPart)
			case len(s.CutOff)+len(s.Overdue) == 0:
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
		Example: "  frizzel keep 17",
		Args:    one("a run"),
		RunE: func(c *cobra.Command, args []string) error {
			s, r, err := namedRun(args[0])
			if err != nil {
				return err
			}
			l, err := s.Lock(c.Context())
			if err != nil {
				return err
			}
			defer l.Unlock()
			if r, err = hold.Keep(l, r.ID); err != nil {
				var notHeld *hold.NotHeldError
				if errors.As(err, &notHeld) {
					return exit.Refusedf("%v", err)
				}
				return err
			}
			_, err = fmt.Fprintf(a.Out, "run %s stays\n", r.Name())
			return err
		},
	}
}

// guard watches a run on hold; the program starts it itself, in a session of its own.
func (a *app) guard() *cobra.Command {
	return &cobra.Command{
		Use:    "guard RUN",
		Hidden: true,
		Args:   one("a run"),
		RunE: func(c *cobra.Command, args []string) error {
			s, err := usecase.OpenStore()
			if err != nil {
				return err
			}
			a.patient.Store(true) // until the run is taken back
			ctx := context.WithoutCancel(c.Context())
			hold.Guard(c.Context(), s, args[0], os.Args, func() {
				_, _ = a.files.Out.Write([]byte{'\n'})
				_ = a.files.Out.Close()
			}, func(o hold.Outcome) {
				hook.After(ctx, o.Run.After, string(o.Run.Dir), a.Err)
			})
			return nil
		},
	}
}
