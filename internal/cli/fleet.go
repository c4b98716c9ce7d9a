package cli

import (
	"context"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/kballard/go-shellquote"
	"github.com/spf13/cobra"

	"frizzel/internal/confine"
	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/fleet/member"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/report"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/store"
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
			output := &member.Output{}
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

// wayFlags say how hosts are reached.
type wayFlags struct {
	through, startWith string
	atOnce             int
	wait               time.Duration
	send               bool
	programs           string
}

func (f *wayFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.through, "through", "", "reach hosts by this `command` instead of ssh, such as 'container-shell {=host}'; it is started without a shell")
	fl.StringVar(&f.startWith, "start-with", "", "what frizzel is started with there, such as 'sudo -n'")
	fl.IntVar(&f.atOnce, "at-once", 32, "how many `hosts` at once")
	fl.DurationVar(&f.wait, "wait", 20*time.Second, "how long a host may be silent")
	fl.BoolVar(&f.send, "send-program", false, "bring this program to hosts, which need not have it")
	fl.StringVar(&f.programs, "programs", "", "a `directory` of programs for other systems, named frizzel-SYSTEM-MACHINE as in frizzel-linux-arm64; with --send-program")
}

// way returns how hosts are reached.
func (f *wayFlags) way() (*fleet.Way, error) {
	w := &fleet.Way{Wait: f.wait, Program: Version}
	var err error
	if f.through != "" {
		if w.Through, err = fleet.ParseThrough(f.through); err != nil {
			return nil, err
		}
	}
	if w.StartWith, err = shellquote.Split(f.startWith); err != nil {
		return nil, exit.Wrongf("--start-with: %v", err)
	}
	switch {
	case f.atOnce < 1:
		return nil, exit.Wrongf("--at-once is at least 1")
	case f.wait < 4*wire.Pulse:
		return nil, exit.Wrongf("--wait wants a time of at least %s, such as 20s, not %s", 4*wire.Pulse, f.wait)
	case f.programs != "" && !f.send:
		return nil, exit.Wrongf("--programs goes with --send-program")
	}
	if f.send {
		w.Sent, err = fleet.NewProgram(f.programs)
	}
	return w, err
}

// orderFlags say what is to be done on which hosts.
type orderFlags struct {
	wayFlags
	hosts string
	with  []string
	rules ruleFlags
	files fileFlags
}

func (f *orderFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.hosts, "hosts", "", "a `file` of hosts: a name a line, or a CSV, TOML, YAML or JSON file with a column host, whose other columns are parameters")
	fl.StringArrayVar(&f.with, "hosts-with", nil, "only hosts of which `NAME=VALUE` holds; may be repeated")
	f.wayFlags.add(c)
	f.rules.add(c)
	f.rules.addAllow(c)
	f.files.add(c)
}

// an order is what is to be done on which hosts, once everything is read on this side.
type order struct {
	plan    fleet.Plan
	way     *fleet.Way
	members []*fleet.Member
	labels  []string
}

// order reads hosts and rules, and compiles the rules for each host.
func (a *app) order(c *cobra.Command, f *orderFlags, paths []string) (*order, error) {
	if f.hosts == "" {
		return nil, exit.Wrongf("--hosts names the hosts; see %s --help", c.CommandPath())
	}
	if len(paths) == 0 {
		return nil, exit.Wrongf("%s wants the paths on the hosts", c.CommandPath())
	}
	for _, p := range paths {
		if !filepath.IsAbs(p) {
			return nil, exit.Wrongf("paths on hosts are absolute, and %q is not", p)
		}
	}
	if others := given(c, "from", "null"); len(others) > 0 {
		return nil, exit.Wrongf("%s is about files of this host", others[0])
	}
	o := &order{}
	var err error
	if o.way, err = f.way(); err != nil {
		return nil, err
	}
	hosts, err := fleet.ReadHosts(f.hosts, f.with)
	if err != nil {
		return nil, err
	}
	if err := a.compileFor(c, f, hosts, o); err != nil {
		return nil, err
	}
	files, err := a.fileSet(&f.files, paths)
	if err != nil {
		return nil, err
	}
	o.plan.Files = &wire.Files{
		Paths: cleaned(paths), Only: files.Only, Not: files.Not, Depth: files.Depth, NoHidden: files.NoHidden, NoDocuments: files.NoDocuments,
		Follow: files.Follow, OneFileSystem: files.OneFileSystem, MaxSize: files.MaxSize, Encoding: files.Encoding,
	}
	o.plan.Through, o.plan.StartWith, o.plan.Send, o.plan.Programs = o.way.Through, o.way.StartWith, f.send, f.programs
	o.plan.Wait, o.plan.AtOnce, o.plan.Context = f.wait, f.atOnce, 3
	return o, nil
}

func cleaned(paths []string) (all []string) {
	for _, p := range paths {
		all = append(all, filepath.Clean(p))
	}
	return all
}

// compileFor compiles the rules for each host, so that a mistake in a value is found before any host is reached.
func (a *app) compileFor(c *cobra.Command, f *orderFlags, hosts []fleet.Host, o *order) error {
	oneOff, err := f.rules.oneOff(c)
	if err != nil {
		return err
	}
	change, err := oneOff.Script()
	if err != nil {
		return err
	}
	if len(f.rules.scripts) == 0 && change == nil {
		return a.noRules(c)
	}
	rules, err := f.rules.rules(a, change)
	if err != nil {
		return err
	}
	bundler, err := usecase.NewBundler(rules)
	if err != nil {
		return err
	}
	for i, h := range hosts {
		compiled, err := bundler.Compile(h.Values)
		if err != nil {
			if len(h.Values) > 1 {
				err = fmt.Errorf("with the values of %s: %w", h.Name, err)
			}
			return exit.With(exit.Wrong, err)
		}
		if i == 0 {
			a.warn(compiled.Warnings)
			o.labels = compiled.Labels
		}
		h.Values = compiled.Values
		hosts[i] = h
		o.members = append(o.members, &fleet.Member{Host: h})
	}
	o.plan.Rules, o.plan.Labels, o.plan.Differs = bundler.Bundle(), o.labels, fleet.Differing(hosts)
	return nil
}

// look asks all hosts what would change. It says how many have answered, if that takes long.
func (a *app) look(ctx context.Context, o *order, request func(*fleet.Member) *wire.Request) *fleet.Survey {
	return fleet.Look(ctx, fleet.Order{Way: o.way, AtOnce: o.plan.AtOnce, Members: o.members, Request: request})
}

// names returns hosts as a person reads them: all of few, or the first of many and their number.
func names(members []*fleet.Member) string {
	const most = 8
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
func (a *app) table(r *fleet.Run) {
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
	report.Table(a.Out, report.Style{On: a.printer().Style.On}, rows)
}

// endedFleet prints the table, unless it is quiet, and how the run goes on, and returns its status.
func (a *app) endedFleet(r *fleet.Run, err error, quiet bool) error {
	if !quiet {
		a.table(r)
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
		return err
	}
	if status := r.Status(); status != exit.Done {
		return exit.Silent(status)
	}
	return nil
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
			if err = d.Resume(c.Context()); err == nil {
				err = d.Write(c.Context())
			}
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
			return a.endedFleet(d.Run, d.Keep(c.Context()), false)
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
			err = d.Undo(c.Context())
			a.table(d.Run)
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
			a.table(r)
			return nil
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
	report.Table(a.Out, a.printer().Style, rows)
	for _, d := range damaged {
		fmt.Fprintf(a.Err, "frizzel: %s\n", d)
	}
	if len(damaged) > 0 {
		return exit.Silent(exit.InPart)
	}
	return nil
}

// whoami returns the name of the user.
func whoami() string {
	u, err := user.Current()
	if err != nil {
		return os.Getenv("USER")
	}
	return u.Username
}
