package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/hold"
	"frizzel/internal/vault/store"
)

func (a *app) recover() *cobra.Command {
	var force bool
	c := &cobra.Command{
		Use:   "recover [RUN]",
		Short: "Put back the files of runs that were cut off",
		Long: `Put back the files of a run that was cut off, by a crash or a kill, and those of one on
hold that nobody kept in time. Every command that writes does so first by itself; this
one does nothing else.

A run that cannot be put back by itself is named each time: its directories are others by
now or out of reach, or its record is damaged. --force settles it by what its files hold:
those that have the run's content get the old one, wherever their directories come from.
What cannot be read is given up, and named with the place of its old content.`,
		Example: "  frizzel recover\n  frizzel recover --force 17",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			w, err := a.writing()
			if err != nil {
				return err
			}
			if len(args) > 0 && !force {
				return exit.Wrongf("recover takes a run only with --force; without, it puts back all that it can")
			}
			if force {
				w.Force = func(id string) bool { return len(args) == 0 || store.Names(args[0], id) }
			}
			whole := true
			w.Recovered = func(s usecase.Recovered) { whole = a.tellRecovered(s) }
			s, err := usecase.Recover(c.Context(), w)
			switch {
			case err != nil:
				return err
			case !whole:
				return exit.Silent(exit.InPart)
			case len(s.CutOff)+len(s.Overdue)+len(s.Done)+len(s.GivenUp) == 0:
				fmt.Fprintln(a.Out, "no run was cut off")
			}
			return nil
		},
	}
	c.Flags().BoolVar(&force, "force", false, "settle runs that cannot be put back by themselves by what their files hold, or give them up")
	return c
}

func (a *app) keep() *cobra.Command {
	return &cobra.Command{
		Use:     "keep RUN",
		Short:   "Keep what a run on hold wrote",
		Long:    "Say that what a run wrote with --hold is good, so that it is not put back.",
		Example: "  frizzel keep 17",
		Args:    aHeldRun,
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

// aHeldRun is one("a run"), and names those on hold.
func aHeldRun(c *cobra.Command, args []string) error {
	if len(args) > 0 {
		return one("a run")(c, args)
	}
	s, err := usecase.OpenStore()
	if err != nil {
		return err
	}
	held, err := s.OnHold()
	if err != nil {
		return err
	}
	if len(held) == 0 {
		return exit.Wrongf("keep wants a run, and none is on hold")
	}
	commands := make([]string, len(held))
	for i, r := range held {
		commands[i] = fmt.Sprintf("frizzel keep %s (until %s)", r.Name(), r.HeldUntil().Format(time.TimeOnly))
	}
	return exit.Wrongf("keep wants a run; on hold: %s", strings.Join(commands, ", "))
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
