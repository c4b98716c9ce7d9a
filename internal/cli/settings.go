package cli

import (
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/settings"
	"frizzel/internal/vault/history"
)

const settingsLong = `Show what is set for good, and where.

Settings are lines of a file, $XDG_CONFIG_HOME/frizzel/config.toml or else
~/.config/frizzel/config.toml; their names are those of the options that they stand for,
and an option that is given wins:

  ask = "match"
  joiners = "-"
  not-files = ["*.bak", "archive/**"]
  older-than = "90d"

What decides what a change means counts only for changes given on the command line: a
script means the same on every host. What lets a run write unasked, or pass what is
refused, cannot be set.`

func (a *app) showSettings() *cobra.Command {
	return &cobra.Command{
		Use:     "settings",
		Short:   "What is set for good, and where",
		Long:    settingsLong,
		Example: "  frizzel settings",
		Args:    nothing,
		RunE: func(*cobra.Command, []string) error {
			w := tabwriter.NewWriter(a.Out, 0, 0, 2, ' ', 0)
			fmt.Fprintln(w, "SETTING\tVALUE\tFROM\tWHAT")
			for _, k := range settings.Keys() {
				value, from := k.Default, "default"
				if v, ok := a.settings.Values[k.Name]; ok {
					value, from = strings.Join(v.Texts, " "), fmt.Sprintf("%s:%d", report.Path(a.settings.Path), v.Line)
				} else if k.Name == "color" && os.Getenv("NO_COLOR") != "" {
					value, from = "never", "NO_COLOR"
				}
				about := k.About
				if k.OneOff {
					about += "; not for scripts"
				}
				fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", k.Name, value, from, about)
			}
			if err := w.Flush(); err != nil {
				return err
			}
			if !a.settings.There {
				fmt.Fprintf(a.Err, "nothing is set: there is no %s\n", report.Path(a.settings.Path))
			}
			return nil
		},
	}
}

// rescues are the commands that put something back, or keep it.
var rescues = []string{"undo", "redo", "recover", "keep", "guard"}

// set reads the settings files and applies them to options that are not on the command line.
func (a *app) set(c *cobra.Command) error {
	var err error
	a.settings, err = settings.Read()
	if err == nil {
		err = fits(a.settings)
	}
	if err == nil {
		a.kept, err = keeping(a.settings)
	}
	if err == nil && a.settings.Untrusted != nil {
		fmt.Fprintf(a.Err, "note: the settings in %s are not used: %v\n", report.Path(a.settings.Path), a.settings.Untrusted)
	}
	if err != nil && slices.Contains(rescues, c.Name()) { // which must not fail for a slip of the pen
		fmt.Fprintf(a.Err, "note: nothing is taken from the settings: %v\n", err)
		a.settings, a.kept = &settings.Settings{}, history.Keeping{}
		return nil
	}
	if err != nil {
		return exit.Wrongf("%v", err)
	}
	oneOff := len(given(c, "text", "word", "regex", "rule")) > 0 && !c.Flags().Changed("rules")
	for _, k := range settings.Keys() {
		v, ok := a.settings.Values[k.Name]
		f := c.Flags().Lookup(k.Name)
		if !ok || f == nil || f.Changed || k.OneOff && !oneOff || c.Name() == "prune" {
			continue
		}
		for _, text := range v.Texts {
			if err := f.Value.Set(text); err != nil {
				return exit.Wrongf("%s:%d: %s wants %s, not %q", a.settings.Path, v.Line, k.Name, wants(f), text)
			}
		}
	}
	return nil
}

// fits checks the settings against the values that options accept, so that an error names the settings file and
// not an option that nobody typed.
func fits(s *settings.Settings) error {
	for _, k := range settings.Keys() {
		v := s.Values[k.Name]
		for _, text := range v.Texts {
			if want := misfit(k.Name, text); want != "" {
				return exit.Wrongf("%s:%d: %s wants %s, not %q", s.Path, v.Line, k.Name, want, text)
			}
		}
	}
	return nil
}

// misfit returns a description of the values that a setting accepts, or "" if text is one of them.
func misfit(name, text string) string {
	switch name {
	case "color":
		if !slices.Contains(coloring, text) {
			return oneOf(coloring)
		}
	case "ask":
		if !slices.Contains(waysToAsk, text) {
			return oneOf(waysToAsk)
		}
	case "context":
		if n, err := strconv.Atoi(text); err != nil || n < 0 {
			return "a whole number from 0"
		}
	case "max-size":
		if n, err := humanize.ParseBytes(text); err != nil || n == 0 || n > 1<<62 {
			return "a size such as 10MB"
		}
	case "not-files":
		if !program.ValidGlob(text) {
			return "valid globs"
		}
	}
	return ""
}

// oneOf writes choices as a sentence does.
func oneOf(choices []string) string {
	last := len(choices) - 1
	return strings.Join(choices[:last], ", ") + " or " + choices[last]
}

// The default limits on the age and the size of kept runs.
var usual = history.Keeping{For: 365 * 24 * time.Hour, Bytes: 2 << 30}

// keeping returns how long runs are kept.
func keeping(s *settings.Settings) (history.Keeping, error) {
	k := usual
	if v, ok := s.Values["older-than"]; ok {
		age := v.Texts[0]
		k.For = 0
		if age != "never" {
			var err error
			if k.For, err = parseAge(age); err != nil || k.For <= 0 {
				return k, exit.Wrongf("%s:%d: older-than wants a time such as 90d, or never, not %q", s.Path, v.Line, age)
			}
		}
	}
	if v, ok := s.Values["total"]; ok {
		k.Bytes = 0
		if size := v.Texts[0]; size != "any" {
			n, err := humanize.ParseBytes(size)
			if err != nil || n == 0 || n > math.MaxInt64 {
				return k, exit.Wrongf("%s:%d: total wants a size such as 500MB, or any, not %q", s.Path, v.Line, size)
			}
			k.Bytes = int64(n)
		}
	}
	return k, nil
}

// keeps says how long runs are kept.
func keeps(k history.Keeping) string {
	switch {
	case k.For == 0 && k.Bytes == 0:
		return "all are kept"
	case k.For == 0:
		return "kept up to " + humanize.IBytes(uint64(k.Bytes))
	case k.Bytes == 0:
		return "kept for " + inDays(k.For)
	}
	return "kept for " + inDays(k.For) + ", up to " + humanize.IBytes(uint64(k.Bytes))
}

func inDays(d time.Duration) string {
	if d%(24*time.Hour) == 0 {
		return report.Count(int(d/(24*time.Hour)), "day")
	}
	return d.String()
}
