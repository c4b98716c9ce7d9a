package cli

import (
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"frizzel/internal/report"
	"frizzel/internal/vault"
)

const historyLong = `List the runs so far, the newest last: when, by whom, what they changed, their rules
and notes, and what became of them.`

const historyExample = `  frizzel history
  frizzel history --of conf/clock.ini           # only runs that touched it
  frizzel history show 20260301-141502          # the run's diff
  frizzel history prune --keep 20 --older-than 90d`

func (a *app) history() *cobra.Command {
	var of string
	c := &cobra.Command{
		Use:     "history",
		Short:   "The runs so far, and what each changed",
		Long:    historyLong,
		Example: historyExample,
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			v, err := openVault()
			if err != nil {
				return err
			}
			return a.listRuns(v, of)
		},
	}
	c.Flags().StringVar(&of, "of", "", "only runs that changed this `path`, or files below it")
	c.AddCommand(a.historyShow(), a.historyPrune())
	return c
}

func (a *app) listRuns(v *vault.Vault, of string) error {
	records, err := v.Runs()
	if err != nil {
		return err
	}
	undone := vault.Undone(records)
	if of != "" {
		if of, err = filepath.Abs(of); err != nil {
			return err
		}
		if real, err := filepath.EvalSymlinks(of); err == nil {
			of = real
		}
		records = slices.DeleteFunc(records, func(r *vault.Record) bool {
			return !slices.ContainsFunc(r.Files, func(e vault.Entry) bool { return e.Touches(of) })
		})
	}
	total, err := a.runTable(v, records, undone)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(a.Err, "%s, %s in %s\n", report.Count(len(records), "run"), humanize.IBytes(uint64(total)), v.Folder())
	return err
}

// runTable prints a line a run; on a terminal rules and notes have one of their own
// below, so that lines fit. It returns the size of all.
func (a *app) runTable(v *vault.Vault, records []*vault.Record, undone map[string]int) (total int64, err error) {
	printer := a.printer()
	head, details := "RUN\tWHO\tWHAT\tFILES\tCHANGES\tSIZE\tSTATE", "\tRULES\tNOTE"
	if printer.Terminal {
		details = ""
	}
	var table strings.Builder
	w := tabwriter.NewWriter(&table, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, head+details)
	for _, r := range records {
		size := v.Size(r)
		total += size
		fmt.Fprintf(w, "%s\t%s\t%s\t%d\t%d\t%s\t%s", r.ID, r.User, whatOf(r), len(r.Files), r.Changes,
			humanize.IBytes(uint64(size)), stateOf(v, r, undone[r.ID]))
		if !printer.Terminal {
			fmt.Fprintf(w, "\t%s\t%s", rulesOf(r), report.Visible([]byte(r.Note)))
		}
		fmt.Fprintln(w)
	}
	_ = w.Flush()
	for i, line := range slices.Collect(strings.Lines(table.String())) {
		if i == 0 && printer.Terminal {
			line = printer.Style.Strong(strings.TrimSuffix(line, "\n")) + "\n"
		}
		if _, err := fmt.Fprint(a.Out, line); err != nil {
			return total, err
		}
		if i == 0 || !printer.Terminal {
			continue
		}
		if more := strings.Trim(rulesOf(records[i-1])+"  "+report.Visible([]byte(records[i-1].Note)), " -"); more != "" {
			fmt.Fprintln(a.Out, printer.Style.Soft("    "+report.Cut(more, max(printer.Width-4, 20))))
		}
	}
	return total, nil
}

func whatOf(r *vault.Record) string {
	if r.Undoes != "" {
		return string(r.Kind) + " of " + r.Undoes
	}
	return string(r.Kind)
}

// stateOf says what became of a run.
func stateOf(v *vault.Vault, r *vault.Record, undone int) string {
	switch {
	case r.State == vault.Staging || r.State == vault.Replacing:
		return "cut off"
	case r.State == vault.PutBack:
		return "put back"
	case undone == len(r.Files) && undone > 0:
		return "taken back"
	case undone > 0:
		return fmt.Sprintf("%d taken back", undone)
	case !r.Hold.IsZero() && !v.Kept(r):
		return "on hold until " + r.Hold.Format("15:04:05")
	}
	return "done"
}

// rulesOf lists the rules that changed something, as far as they have names.
func rulesOf(r *vault.Record) string {
	used := map[int]bool{}
	for _, e := range r.Files {
		for _, rule := range e.Rules {
			used[rule] = true
		}
	}
	var names []string
	for i, name := range r.Rules {
		if used[i] && name != "" {
			names = append(names, name)
		}
	}
	if len(names) == 0 {
		return "-"
	}
	return strings.Join(names, ",")
}

func (a *app) historyShow() *cobra.Command {
	return &cobra.Command{
		Use:     "show RUN",
		Short:   "Show what a run changed, as a diff",
		Example: "  frizzel history show 20260301-141502",
		Args:    cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			v, r, err := namedRun(args[0])
			if err != nil {
				return err
			}
			printer := a.printer()
			printer.Rules = r.Rules
			for i := range r.Files {
				e := &r.Files[i]
				if e.Created || e.Removed {
					fmt.Fprintf(a.Out, "# %s: %s\n", report.Path(e.Absolute()), map[bool]string{true: "created", false: "taken away"}[e.Created])
					continue
				}
				old, err := v.Old(r, e)
				if err != nil {
					return err
				}
				edits, err := v.Edits(r, e)
				if err != nil {
					return err
				}
				if err := printer.Diff(e.Absolute(), old, edits); err != nil {
					return err
				}
			}
			_, err = fmt.Fprintf(a.Err, "%s by %s on %s, %s, %s: %s\n", r.Time.Format("2006-01-02 15:04:05"), r.User, r.Host,
				report.Count(len(r.Files), "file"), report.Count(r.Changes, "change"), r.State)
			return err
		},
	}
}

func (a *app) historyPrune() *cobra.Command {
	var keep int
	var older string
	c := &cobra.Command{
		Use:     "prune [--keep N] [--older-than TIME]",
		Short:   "Forget old runs and their backups",
		Long:    "Forget runs past the newest N, or older than a time, or both where both are given. What\nis forgotten cannot be taken back any more. Runs on hold stay.",
		Example: "  frizzel history prune --keep 20 --older-than 90d",
		Args:    cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			p := vault.Pruning{Keep: keep}
			var err error
			if p.OlderThan, err = parseAge(older); err != nil {
				return err
			}
			if p.Keep <= 0 && p.OlderThan == 0 {
				return wrong("say which runs to forget: --keep N, --older-than 90d, or both")
			}
			v, err := openVault()
			if err != nil {
				return err
			}
			before := sizeOf(v)
			pruned, err := v.Prune(c.Context(), p, time.Now())
			for _, r := range pruned {
				fmt.Fprintf(a.Out, "forgot %s\n", r.ID)
			}
			fmt.Fprintf(a.Err, "%s forgotten, %s freed\n", report.Count(len(pruned), "run"), humanize.IBytes(uint64(before-sizeOf(v))))
			return err
		},
	}
	c.Flags().IntVar(&keep, "keep", 0, "how many of the newest `runs` to keep")
	c.Flags().StringVar(&older, "older-than", "", "how old a run must be, such as 90d or 12h")
	return c
}

func sizeOf(v *vault.Vault) (total int64) {
	records, _ := v.Runs()
	for _, r := range records {
		total += v.Size(r)
	}
	return total
}

var days = regexp.MustCompile(`^([0-9]+)(d|w)$`)

// parseAge reads a time such as 90d, 2w or 12h.
func parseAge(s string) (time.Duration, error) {
	if s == "" {
		return 0, nil
	}
	if m := days.FindStringSubmatch(s); m != nil {
		n, err := strconv.Atoi(m[1])
		if m[2] == "w" {
			n *= 7
		}
		if err == nil && n < 100*365 {
			return time.Duration(n) * 24 * time.Hour, nil
		}
	}
	d, err := time.ParseDuration(s)
	if err != nil || d <= 0 {
		return 0, wrong("--older-than wants a time such as 90d, 2w or 12h, not %q", s)
	}
	return d, nil
}
