package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/terminal"
)

const findLong = `Show where a pattern is found, or where a script's rules would change something.

On a terminal the matches stand under their files; in a pipe they come as
path:line:column:text, one a line, columns in characters from 1. The exit status is 0
where something was found, 1 where nothing was.`

const findExample = `  # where is the old host named, and in what context?
  frizzel find --word depot-3 --joiners "-" --context 2 conf docs

  # which files, how often, and which have none of it
  frizzel find --word depot-3 --count conf
  frizzel find --word depot-3 --without conf

  # what is set where: the values at a path, in every file
  frizzel find --at '$.boards[*].host' conf

  # only the ports, in one section
  frizzel find --regex 'port = (\d+)' --in 'section "boards"' --show '{=1}' conf

  # which rule of a script matches where
  frizzel find -r move-depot.friz conf`

// findFlags say how matches are shown.
type findFlags struct {
	names, count, without bool
	context               int
	show, format, save    string
}

func (a *app) find() *cobra.Command {
	var rules ruleFlags
	var files fileFlags
	var how findFlags
	c := &cobra.Command{
		Use:     "find (--text|--word|--regex X | --at PATH | -r SCRIPT) [PATH]...",
		Short:   "Show where a pattern or a script's rules match",
		Long:    findLong,
		Example: findExample,
		RunE: func(c *cobra.Command, paths []string) error {
			holdLittle()
			if err := how.check(c); err != nil {
				return err
			}
			compiled, sought, err := a.compileFind(c, &rules)
			if err != nil {
				return err
			}
			plan, err := a.plan(&files, compiled, paths)
			if err != nil {
				return err
			}
			if err := rules.save(c, how.save); err != nil {
				return err
			}
			shown, err := a.finding(c, compiled, &how, files.verbose)
			if err != nil {
				return err
			}
			plan.Counting = shown.onlyCounts()
			s, err := doing(a, plan.Progress, func() (*run.Summary, error) {
				return plan.Find(c.Context(), sought, shown.file)
			})
			if err != nil {
				return err
			}
			return shown.end(s)
		},
	}
	rules.add(c)
	files.add(c)
	fl := c.Flags()
	fl.BoolVar(&how.names, "names", false, "only the names of files that hold a match")
	fl.BoolVar(&how.count, "count", false, "only how many matches each file holds")
	fl.BoolVar(&how.without, "without", false, "only the names of files that hold none")
	fl.IntVar(&how.context, "context", 0, "how many `lines` to show around a match, on a terminal")
	fl.StringVar(&how.show, "show", "", "print this `text` for each match, placeholders filled, such as '{=1}'")
	fl.StringVar(&how.format, "format", "text", "text or json, one object a line")
	fl.StringVar(&how.save, "save", "", "keep the change given with --with as a script in this new `file`")
	return c
}

func (how *findFlags) check(c *cobra.Command) error {
	if how.format != "text" && how.format != "json" {
		return exit.Wrongf("--format is text or json, not %q", how.format)
	}
	if how.context < 0 {
		return exit.Wrongf("--context is at least 0")
	}
	ways := given(c, "names", "count", "without", "show")
	if how.format == "json" {
		ways = append(ways, "--format json")
	}
	if len(ways) > 1 {
		return exit.Wrongf("%s and %s do not go together", ways[0], ways[1])
	}
	return nil
}

// compileFind compiles the search: for a pattern, or for everything that rules would change.
func (a *app) compileFind(c *cobra.Command, f *ruleFlags) (*rules.Compiled, run.Sought, error) {
	oneOff, err := f.oneOff(c)
	if err != nil {
		return nil, 0, err
	}
	var change *script.Script
	sought := run.Changes
	switch {
	case oneOff.Kind == "" && oneOff.Paths() && len(f.scripts)+len(f.change.Statements) == 0:
		sought = run.Assertions
		change, err = oneOff.Search()
	case oneOff.Kind == "":
		change, err = oneOff.Script()
	case len(f.scripts)+len(f.change.Statements) > 0:
		err = exit.Wrongf("--%s and a script do not go together: look for one of them", oneOff.Kind)
	default:
		sought = run.Assertions
		change, err = oneOff.Search()
	}
	if err != nil {
		return nil, 0, err
	}
	compiled, err := a.compileWith(c, f, change)
	return compiled, sought, err
}

// A finding shows the matches, a file at a time.
type finding struct {
	*app
	*findFlags
	printer *report.Printer
	events  *report.Events    // for JSON
	show    *program.Template // nil without --show
	found   bool
	counted program.Counters // for --show
}

func (a *app) finding(c *cobra.Command, rules *rules.Compiled, how *findFlags, verbose bool) (*finding, error) {
	f := &finding{app: a, findFlags: how, printer: a.printer()}
	f.printer.Rules = rules.Labels
	f.printer.Context, f.printer.Verbose = how.context, verbose
	if how.format == "json" {
		f.events = report.NewEvents(a.Out, "find", f.printer.Rules)
	}
	if !c.Flags().Changed("show") {
		return f, nil
	}
	var err error
	f.show, err = rules.Template("--show", how.show)
	return f, err
}

// onlyCounts reports whether only the number of matches is needed.
func (f *finding) onlyCounts() bool {
	return f.events == nil && f.show == nil && (f.without || f.names || f.count)
}

// file shows the matches of one file.
func (f *finding) file(found *run.Found) error {
	if f.events != nil || f.show == nil && !f.without && !f.names && !f.count && !f.printer.Terminal {
		return f.counting(found, f.plain) // plain output does not need the count in advance
	}
	n, err := found.Count()
	if err != nil || (n == 0) != f.without || f.without && found.Unseen() {
		return err
	}
	f.found = true
	switch {
	case f.without, f.names:
		_, err := fmt.Fprintln(f.Out, report.Path(found.At.Path))
		return err
	case f.count:
		_, err := fmt.Fprintf(f.Out, "%s:%d\n", report.Path(found.At.Path), n)
		return err
	case f.show != nil:
		return found.Each(0, f.showEach)
	}
	return f.printer.Found(found)
}

// plain shows the matches of a file for programs.
func (f *finding) plain(found *run.Found) error {
	if f.events != nil {
		return f.events.Found(found)
	}
	return f.printer.Found(found)
}

// counting shows a file, and remembers whether anything was found in it.
func (f *finding) counting(found *run.Found, show func(*run.Found) error) error {
	if err := show(found); err != nil {
		return err
	}
	n, err := found.Count()
	f.found = f.found || n > 0
	return err
}

// showEach prints the text of --show for each match.
func (f *finding) showEach(found *run.Sight) error {
	file := program.File{Path: found.At.Path, Rel: found.At.Rel}
	places := report.Places(found)
	for i, m := range found.Matches {
		text, err := f.show.Expand(found.File.Text, m, file, found.Nth+i+1, places[i].Line, &f.counted)
		if err != nil {
			return exit.Refusedf("%s:%d: %v", report.Path(found.At.Path), places[i].Line, err)
		}
		if f.printer.Terminal {
			text = terminal.Visible([]byte(text))
		}
		if _, err := fmt.Fprintln(f.Out, text); err != nil {
			return err
		}
	}
	return nil
}

func (f *finding) end(s *run.Summary) error {
	if f.events != nil {
		if err := f.events.Summary(s, ""); err != nil {
			return err
		}
	} else {
		f.printer.Matches(s)
	}
	switch {
	case len(s.Unreadable()) > 0:
		return exit.Silent(exit.Unreadable)
	case !f.found && (f.without || !s.Unseen()):
		return exit.Silent(exit.Would)
	}
	return nil
}
