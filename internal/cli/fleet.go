package cli

import (
	"context"
	"fmt"
	"os"
	"os/user"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/internal/confine"
	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/fleet/member"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/progress"
	"frizzel/internal/report"
)

const fleetLong = `Run the same rules on many hosts, over the remote shell that is there: OpenSSH as you have set it
up, or what --through names. Frizzel runs on each host, reviews that host's own files, and writes
them as a run of that host's own history.

Look first: the same change on several hosts is shown once, with the hosts' names. Then write in
waves; a wave in which anything fails is the last one. What was written can be taken back
everywhere, or on a host by itself.`

const fleetExample = `  # what would change where?
  frizzel fleet preview --hosts hosts.csv -r move-depot.friz /etc/railway

  # review, then one host, then ten at a time; each proves itself, and waits ten minutes to be kept
  frizzel fleet apply --hosts hosts.csv -r move-depot.friz --wave 10 --prove 'railwayd --test' --hold 10m /etc/railway
  frizzel fleet keep f17

  # all of it back
  frizzel fleet undo f17`

func (a *app) fleet() *cobra.Command {
	c := &cobra.Command{Use: "fleet", Short: "The same rules on many hosts: review once, write in waves, take all back", Long: fleetLong, Example: fleetExample, Args: aCommand,
		RunE: func(c *cobra.Command, _ []string) error { return c.Help() }}
	c.AddCommand(a.fleetPreview(), a.fleetApply(), a.fleetResume(), a.fleetKeep(), a.fleetUndo(), a.fleetHistory())
	return c
}

// aCommand refuses words that are no command.
func aCommand(c *cobra.Command, args []string) error {
	if len(args) > 0 {
		return exit.Wrongf("%s has no command %q; see %s --help", c.CommandPath(), args[0], c.CommandPath())
	}
	return nil
}

// fleetHost serves the control side on a host.
func (a *app) fleetHost() *cobra.Command {
	return &cobra.Command{
		Use: "fleet-host", Short: "Serve a run over many hosts, on standard input and output", Hidden: true, Args: nothing,
		RunE: func(c *cobra.Command, _ []string) error {
			output := &wire.Tail{}
			a.Err.W, a.Err.Shown = output, false
			w, err := a.writing()
			if err != nil {
				return err
			}
			w.Out = output
			m := &member.Member{In: a.In, Out: a.files.Out, Program: Version, Write: w, Output: output}
			if a.alone {
				m.Confine = func() error {
					confined, err := confine.Begin()
					a.confined.Store(confined)
					return err
				}
			}
			return m.Serve(c.Context())
		},
	}
}

// look asks all hosts what would change. It says how many have answered, if that takes long.
func (a *app) look(ctx context.Context, o *order, request func(*fleet.Member) *wire.Request) *fleet.Survey {
	meter := &progress.Meter{Of: "host"}
	meter.Begin("asking")
	s, _ := doing(a, meter, func() (*fleet.Survey, error) {
		return fleet.Look(ctx, fleet.Order{Way: o.way, AtOnce: o.plan.AtOnce, Members: o.members, Rules: len(o.labels), Request: request, Heard: meter.File}), nil
	})
	return s
}

// names returns hosts as a person reads them: all of few, or the first of many and their number, unless all are wanted.
func names(members []*fleet.Member, every bool) string {
	most := 8
	if every {
		most = len(members)
	}
	var all []string
	for _, m := range members[:min(len(members), most)] {
		all = append(all, report.Path(m.Name))
	}
	text := strings.Join(all, ", ")
	if more := len(members) - most; more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return text
}

// whoami returns the name of the user.
func whoami() string {
	u, err := user.Current()
	if err != nil {
		return os.Getenv("USER")
	}
	return u.Username
}
