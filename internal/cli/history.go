package cli

import (
	"cmp"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"text/tabwriter"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"frizzel/internal/change"
	"frizzel/internal/event"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/terminal"
	"frizzel/internal/usecase"
	"frizzel/internal/vault/history"
	"frizzel/internal/vault/store"
)

const historyLong = `List the runs so far, the newest last: when, by whom, what they changed, their rules
and notes, and what became of them.`

const historyExample = `  frizzel history
  frizzel history --of conf/clock.ini           # only runs that touched it
  frizzel history show 17          # the run's diff
  frizzel history verify                        # everything that is kept against its digest
  frizzel history prune --newest 20 --older-than 90d`

func (a *app) history() *cobra.Command {
	var of, format string
	c := &cobra.Command{
		Use:     "history",
		Short:   "The runs so far, and what each changed",
		Long:    historyLong,
		Example: historyExample,
		Args:    noCommand,
		RunE: func(*cobra.Command, []string) error {
			if format != "text" && format != "json" {
				return exit.Wrongf("--format is text or json, not %q", format)
			}
			s, err := usecase.OpenStore()
			if err != nil {
				return err
			}
			return a.listRuns(s, of, format)
		},
	}
	c.Flags().StringVar(&of, "of", "", "only runs that changed this `path`, or files below it")
	c.Flags().StringVar(&format, "format", "text", "text or json, one object a line")
	c.AddCommand(a.historyShow(), a.historyVerify(), a.historyPrune())
	return c
}

func (a *app) listRuns(s *store.Store, of, format string) error {
	records, damaged, err := s.Runs()
	if err != nil {
		return err
	}
	undone, err := history.Undone(records)
	if err != nil {
		return err
	}
	l := &listing{Store: s, undone: undone, busy: s.BeingWritten()}
	if of != "" {
		if of, err = filepath.Abs(of); err != nil {
			return err
		}
		if resolved, err := filepath.EvalSymlinks(of); err == nil {
			of = resolved
		}
		records = slices.DeleteFunc(records, func(r *store.Record) bool { return !history.Touched(r, of) })
	}
	if format == "json" {
		return a.runEvents(l, records, damaged)
	}
	if of != "" && len(records) == 0 {
		_, err = fmt.Fprintf(a.Err, "no run has changed %s\n", report.Path(report.Here(of)))
		return err
	}
	total, err := a.runTable(l, records)
	if err != nil {
		return err
	}
	for _, d := range damaged {
		fmt.Fprintf(a.Err, "note: run %s cannot be read and is left alone: %v\n", d.ID, d.Reason)
	}
	_, err = fmt.Fprintf(a.Err, "%s, %s in %s; %s\n", report.Count(len(records), "run"), humanize.IBytes(uint64(total)), report.Path(s.Path()), keeps(a.kept))
	return err
}

// A listing is all runs, and which files of each are undone.
type listing struct {
	*store.Store
	undone map[string]int
	busy   bool // a run is at work just now
}

func (a *app) runEvents(l *listing, records []*store.Record, damaged []store.Damaged) error {
	events := report.NewEvents(a.Out, "history", nil)
	last := event.History{Runs: len(records)}
	last.Host, _ = os.Hostname()
	for _, r := range records {
		rules, err := r.RulesUsed()
		if err != nil {
			return err
		}
		e := event.Run{
			Run: r.ID, Number: r.Number, Time: r.Time.UTC(), User: r.User, Host: r.Host, Kind: string(r.Kind), Undoes: r.Undoes,
			State: l.stateOf(r), Files: r.Targets(), Changes: r.Changes, Bytes: l.Size(r.ID), Rules: rules, Note: r.Note,
		}
		switch e.State {
		case event.Held:
			until := r.HeldUntil().UTC()
			e.HeldUntil = &until
		case event.TakenPart:
			e.FilesTakenBack = l.undone[r.ID]
		}
		for f, err := range r.Files.All() {
			if err != nil {
				return err
			}
			e.Paths = append(e.Paths, f.Absolute())
		}
		for _, left := range r.Left {
			e.Left = append(e.Left, event.Left{Path: string(left.Path), Reason: left.Reason, OldCopy: string(left.OldCopy)})
		}
		last.Bytes += e.Bytes
		if err := events.Write(e); err != nil {
			return err
		}
	}
	for _, d := range damaged {
		if err := events.Write(event.Damaged{Run: d.ID, Reason: d.Reason.Error()}); err != nil {
			return err
		}
	}
	return events.Write(last)
}

// runTable prints a line a run; on a terminal rules and notes have one of their own
// below, so that lines fit. It returns the size of all.
func (a *app) runTable(l *listing, records []*store.Record) (total int64, err error) {
	printer := a.printer()
	head, details := "RUN\tWHEN\tWHO\tWHAT\tFILES\tCHANGES\tSIZE\tSTATE", "\tRULES\tNOTE"
	if printer.Terminal {
		details = ""
	}
	var table strings.Builder
	w := tabwriter.NewWriter(&table, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, head+details)
	for _, r := range records {
		size := l.Size(r.ID)
		total += size
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%d\t%d\t%s\t%s", r.Name(), r.Time.Format("2006-01-02 15:04:05"), r.User, whatOf(r), r.Targets(), r.Changes,
			humanize.IBytes(uint64(size)), l.shownState(r))
		if !printer.Terminal {
			fmt.Fprintf(w, "\t%s\t%s", namesOfRules(r), terminal.Visible([]byte(r.Note)))
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
		if more := strings.Trim(namesOfRules(records[i-1])+"  "+terminal.Visible([]byte(records[i-1].Note)), " -"); more != "" {
			fmt.Fprintln(a.Out, printer.Style.Soft("    "+report.Cut(more, max(printer.Width-4, 20))))
		}
	}
	return total, nil
}

func whatOf(r *store.Record) string {
	if r.Undoes != "" {
		return string(r.Kind) + " of " + nameOf(r.Undoes)
	}
	return string(r.Kind)
}

// nameOf shortens a run's ID to its number, if it has one.
func nameOf(id string) string {
	parts := strings.Split(id, "-")
	if len(parts) == 3 {
		return parts[2]
	}
	return id
}

// stateOf returns the state of a run for programs.
func (l *listing) stateOf(r *store.Record) event.State {
	undone := l.undone[r.ID]
	switch state := r.State(); {
	case state.Unfinished() && l.busy:
		return event.BeingWritten
	case state.Unfinished():
		return event.CutOff
	case state == store.PutBack && len(r.Left) > 0:
		return event.PutBackPart
	case state == store.PutBack:
		return event.PutBack
	case undone == r.Files.Len() && undone > 0:
		return event.TakenBack
	case undone > 0:
		return event.TakenPart
	case state == store.Held:
		return event.Held
	}
	return event.Done
}

// stateWords are the states as the table shows them, if they are not shown by their names.
var stateWords = map[event.State]string{
	event.BeingWritten: "being written", event.CutOff: "cut off", event.PutBack: "put back", event.PutBackPart: "put back in part",
	event.TakenBack: "taken back",
}

// shownState returns the state of a run for people.
func (l *listing) shownState(r *store.Record) string {
	switch state := l.stateOf(r); state {
	case event.Held:
		return "on hold until " + r.HeldUntil().Local().Format("15:04:05")
	case event.TakenPart:
		return fmt.Sprintf("%d taken back", l.undone[r.ID])
	default:
		return cmp.Or(stateWords[state], string(state))
	}
}

func namesOfRules(r *store.Record) string {
	names, err := r.RulesUsed()
	if err != nil || len(names) == 0 {
		return "-"
	}
	return strings.Join(names, ",")
}

func (a *app) historyShow() *cobra.Command {
	return &cobra.Command{
		Use:     "show RUN",
		Short:   "Show what a run changed, as a diff",
		Example: "  frizzel history show 17",
		Args:    one("a run"),
		RunE: func(_ *cobra.Command, args []string) error {
			s, r, err := namedRun(args[0])
			if err != nil {
				return err
			}
			return a.showRun(s, r)
		},
	}
}

func (a *app) showRun(s *store.Store, r *store.Record) error {
	printer := a.printer()
	printer.Rules = r.Rules
	for e, err := range r.Files.All() {
		if err != nil {
			return err
		}
		if !e.HasContent() || e.NewName != "" || r.PathAfter(e) != e.Absolute() {
			if err := printer.Change(history.ChangeOf(e), r.PathAfter(e), history.Shown(s, r, e)); err != nil {
				return err
			}
			continue
		}
		if e.Op != change.Rewrite {
			said := map[change.Op]string{change.Create: "created", change.Remove: "taken away"}[e.Op]
			fmt.Fprintf(a.Out, "# %s: %s\n", report.Path(e.Absolute()), said)
			continue
		}
		if err := printer.Diff(e.Absolute(), history.Shown(s, r, e)); err != nil {
			return err
		}
	}
	left(a.Err, r.Left)
	_, err := fmt.Fprintf(a.Err, "run %s, %s by %s on %s, %s, %s: %s\n", r.Name(), r.Time.Format("2006-01-02 15:04:05"), r.User, r.Host,
		report.Count(r.Targets(), "file"), report.Count(r.Changes, "change"), strings.ReplaceAll(string(r.State()), "-", " "))
	return err
}

func (a *app) historyVerify() *cobra.Command {
	return &cobra.Command{
		Use:     "verify",
		Short:   "Hold everything that is kept against its digest",
		Long:    "Read every record and every backup, and name those that are not what was written. The\nexit status is 4 if there is one.",
		Example: "  frizzel history verify",
		Args:    nothing,
		RunE: func(*cobra.Command, []string) error {
			s, err := usecase.OpenStore()
			if err != nil {
				return err
			}
			damaged, runs, err := history.Verify(s)
			if err != nil {
				return err
			}
			for _, d := range damaged {
				fmt.Fprintf(a.Out, "%s: %v\n", report.Path(d.ID), d.Reason)
			}
			if len(damaged) > 0 {
				fmt.Fprintf(a.Err, "%s checked; what is damaged is left alone, and keeps nothing else\n", report.Count(runs, "run"))
				return exit.Silent(exit.Unreadable)
			}
			_, err = fmt.Fprintf(a.Err, "%s checked: all is as it was written\n", report.Count(runs, "run"))
			return err
		},
	}
}

func (a *app) historyPrune() *cobra.Command {
	var newest int
	var older, total string
	c := &cobra.Command{
		Use:     "prune [--newest N] [--older-than TIME] [--total SIZE]",
		Short:   "Delete old runs and their backups",
		Long:    "Delete all runs except the newest N, or those older than a time (with both options, runs\nthat meet both), and then the oldest ones until the rest is within a size. A deleted run\ncan no longer be undone. Runs on hold stay. Each new run also deletes very old ones;\nfrizzel settings shows the limits.",
		Example: "  frizzel history prune --newest 20 --older-than 90d",
		Args:    nothing,
		RunE: func(c *cobra.Command, _ []string) error {
			p := history.Pruning{Newest: newest}
			var err error
			if p.OlderThan, err = parseAge(older); err != nil {
				return err
			}
			if p.Newest < 0 {
				return exit.Wrongf("--newest is at least 1, the number of runs that stay")
			}
			if total != "" {
				n, err := humanize.ParseBytes(total)
				if err != nil || n == 0 || n > math.MaxInt64 {
					return exit.Wrongf("--total wants a size such as 500MB, not %q", total)
				}
				p.Total = int64(n)
			}
			if p == (history.Pruning{}) {
				return exit.Wrongf("say which runs to delete: --newest N, --older-than 90d, or --total 1GB")
			}
			s, err := usecase.OpenStore()
			if err != nil {
				return err
			}
			l, err := s.Lock(c.Context())
			if err != nil {
				return err
			}
			defer l.Unlock()
			pruned, freed, err := history.Prune(l, p, time.Now())
			for _, r := range pruned {
				fmt.Fprintf(a.Out, "deleted %s\n", r.ID)
			}
			fmt.Fprintf(a.Err, "%s deleted, %s freed\n", report.Count(len(pruned), "run"), humanize.IBytes(uint64(freed)))
			return err
		},
	}
	c.Flags().IntVar(&newest, "newest", 0, "how many of the newest `runs` stay")
	c.Flags().StringVar(&total, "total", "", "the `size` that all runs may take together, such as 1GB")
	c.Flags().StringVar(&older, "older-than", "", "how old a run must be, such as 90d or 12h")
	return c
}

var days = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^([0-9]+)(d|w)$`) })

// parseAge reads a time such as 90d, 2w or 12h.
func parseAge(s string) (time.Duration, error) {
	if s == "" {
		return 0, nil
	}
	if m := days().FindStringSubmatch(s); m != nil {
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
		return 0, exit.Wrongf("--older-than wants a time such as 90d, 2w or 12h, not %q", s)
	}
	return d, nil
}
