package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/progress"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/store"
)

// drive opens a run over many hosts to work on it.
func (a *app) drive(name string) (*fleet.Drive, error) {
	s, err := usecase.OpenStore()
	if err != nil {
		return nil, err
	}
	r, err := fleet.Open(s, name)
	if err != nil {
		return nil, err
	}
	d := &fleet.Drive{Run: r, Way: &fleet.Way{Through: r.Through, StartWith: r.StartWith, Wait: r.Wait, Program: Version}}
	if r.Send {
		if d.Way.Sent, err = fleet.NewProgram(r.Programs); err != nil {
			r.Close()
			return nil, err
		}
	}
	a.patient.Store(true)
	return d, nil
}

// table prints a line for each host.
func (a *app) table(r *fleet.Run) error {
	rows := [][]string{{"HOST", "STATE", "FILES", "RUN", "WHY"}}
	for _, h := range r.Hosts {
		files, why := "", h.Why
		if h.State.Written() {
			files = fmt.Sprint(h.Files)
		}
		if h.State == fleet.Held && !h.Until.IsZero() {
			why = "until " + h.Until.Local().Format("15:04:05") + ", unless it is kept"
		}
		run := h.Run
		if run == "" {
			run = "-"
		}
		rows = append(rows, []string{report.Path(h.Name), string(h.State), files, run, report.Path(why)})
	}
	return report.Table(a.Out, a.printer().Style, rows)
}

// endedFleet prints the table, unless it is quiet, and how the run goes on, and returns its status.
func (a *app) endedFleet(r *fleet.Run, err error, quiet bool) error {
	if !quiet {
		if tableErr := a.table(r); err == nil {
			err = tableErr
		}
	}
	counts := r.Counts()
	written, open := counts[fleet.Held]+counts[fleet.Done], counts[fleet.Waiting]+counts[fleet.Unreached]+counts[fleet.Told]
	fmt.Fprintf(a.Err, "%s of %d written as run %s\n", report.Count(written, "host"), len(r.Hosts), r.Name())
	if counts[fleet.Held] > 0 {
		fmt.Fprintf(a.Err, "to keep it: frizzel fleet keep %s\n", r.Name())
	}
	if open > 0 {
		fmt.Fprintf(a.Err, "to go on: frizzel fleet resume %s\n", r.Name())
	}
	if written+counts[fleet.Told] > 0 {
		fmt.Fprintf(a.Err, "to take it back: frizzel fleet undo %s\n", r.Name())
	}
	if err != nil {
		return stopped(r, err)
	}
	if status := r.Status(); status != exit.Done {
		return exit.Silent(status)
	}
	return nil
}

// driven works on a run, and shows how many hosts have answered.
func (a *app) driven(d *fleet.Drive, work func(*fleet.Drive) error) error {
	meter := &progress.Meter{Of: "host"}
	meter.Begin("answered")
	d.Told = func(h *fleet.Planned) {
		if h.State != fleet.Told {
			meter.File()
		}
	}
	_, err := doing(a, meter, func() (struct{}, error) { return struct{}{}, work(d) })
	return err
}

// stopped words the error of a person who broke off: hosts may have been told to write.
func stopped(r *fleet.Run, err error) error {
	if errors.Is(err, context.Canceled) {
		return exit.With(exit.Interrupted, fmt.Errorf("interrupted; run %s is not at its end", r.Name()))
	}
	return err
}

func (a *app) fleetResume() *cobra.Command {
	var again bool
	c := &cobra.Command{
		Use: "resume RUN", Short: "Go on with a run over many hosts that was cut off or stopped", Args: one("a run, such as f17"),
		Long: `Ask each host what became of the run, and write those that still wait, wave by wave. Nothing is
written twice, and nothing that was not reviewed.`,
		Example: "  frizzel fleet resume f17",
		RunE: func(c *cobra.Command, args []string) error {
			d, err := a.drive(args[0])
			if err != nil {
				return err
			}
			defer d.Close()
			d.Again = again
			err = a.driven(d, func(d *fleet.Drive) error {
				if err := d.Resume(c.Context()); err != nil {
					return err
				}
				return d.Write(c.Context())
			})
			return a.endedFleet(d.Run, err, false)
		},
	}
	c.Flags().BoolVar(&again, "again", false, "also hosts on which a proof failed")
	return c
}

func (a *app) fleetKeep() *cobra.Command {
	return &cobra.Command{
		Use: "keep RUN", Short: "Keep what a run over many hosts wrote on hold", Args: one("a run, such as f17"),
		Example: "  frizzel fleet keep f17",
		RunE: func(c *cobra.Command, args []string) error {
			d, err := a.drive(args[0])
			if err != nil {
				return err
			}
			defer d.Close()
			return a.endedFleet(d.Run, a.driven(d, func(d *fleet.Drive) error { return d.Keep(c.Context()) }), false)
		},
	}
}

func (a *app) fleetUndo() *cobra.Command {
	var later bool
	c := &cobra.Command{
		Use: "undo RUN", Short: "Take a run over many hosts back, on all of them", Args: one("a run, such as f17"),
		Long:    "Take a run back on each host, by that host's own history. A host that cannot be reached is named and stays open.",
		Example: "  frizzel fleet undo f17",
		RunE: func(c *cobra.Command, args []string) error {
			d, err := a.drive(args[0])
			if err != nil {
				return err
			}
			defer d.Close()
			d.KeepLater = later
			err = stopped(d.Run, a.driven(d, func(d *fleet.Drive) error { return d.Undo(c.Context()) }))
			err = cmp.Or(err, a.table(d.Run))
			if err == nil && d.Run.Status() != exit.Done {
				err = exit.Silent(d.Run.Status())
			}
			return err
		},
	}
	c.Flags().BoolVar(&later, "keep-later", false, "take files back that have changed since, around those changes")
	return c
}

func (a *app) fleetHistory() *cobra.Command {
	c := &cobra.Command{
		Use: "history", Short: "List the runs over many hosts", Args: nothing, Example: "  frizzel fleet history\n  frizzel fleet history show f17",
		RunE: func(*cobra.Command, []string) error {
			s, err := usecase.OpenStore()
			if err != nil {
				return err
			}
			return a.listFleet(s)
		},
	}
	c.AddCommand(&cobra.Command{
		Use: "show RUN", Short: "Show where each host of a run is", Args: one("a run, such as f17"), Example: "  frizzel fleet history show f17",
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := usecase.OpenStore()
			if err != nil {
				return err
			}
			r, err := fleet.Find(s, args[0])
			if err != nil {
				return err
			}
			return a.table(r)
		},
	})
	return c
}

// listFleet lists the runs over many hosts.
func (a *app) listFleet(s *store.Store) error {
	runs, damaged, err := fleet.Runs(s)
	if err != nil {
		return err
	}
	rows := [][]string{{"RUN", "WHEN", "WHO", "HOSTS", "STATE", "RULES", "NOTE"}}
	for _, r := range runs {
		counts := r.Counts()
		var states []string
		for state, n := range counts {
			states = append(states, fmt.Sprintf("%d %s", n, state))
		}
		slices.Sort(states)
		labels := slices.DeleteFunc(slices.Clone(r.Labels), func(l string) bool { return l == "" })
		rows = append(rows, []string{r.Name(), r.Time.Local().Format("2006-01-02 15:04"), report.Path(r.User), fmt.Sprint(len(r.Hosts)),
			strings.Join(states, ", "), report.Path(strings.Join(labels, ", ")), report.Path(r.Write.Note)})
	}
	if err := report.Table(a.Out, a.printer().Style, rows); err != nil {
		return err
	}
	for _, d := range damaged {
		fmt.Fprintf(a.Err, "frizzel: %s\n", d)
	}
	if len(damaged) > 0 {
		return exit.Silent(exit.InPart)
	}
	return nil
}
