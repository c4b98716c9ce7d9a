package cli

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"time"

	"github.com/kballard/go-shellquote"
	"github.com/spf13/cobra"

	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/fleet/wire"
	"frizzel/internal/report"
	"frizzel/internal/rules"
)

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
	given, err := a.given(c, &f.rules)
	if err != nil {
		return err
	}
	bundler, err := rules.NewBundler(given)
	if err != nil {
		return err
	}
	for i, h := range hosts {
		compiled, err := bundler.Compile(h.Values)
		if err != nil {
			if i > 0 { // else it is not about a host
				fmt.Fprintf(a.Err, "with the values of %s:\n", report.Path(h.Name))
			}
			return err
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
	text, err := json.Marshal(o.plan.Rules)
	if err == nil && len(text) > wire.MaxLine/2 {
		err = exit.Wrongf("the scripts and tables have %d MiB, and %d are the most that is sent to a host", len(text)>>20, wire.MaxLine>>21)
	}
	return err
}
