package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/core/compile"
	"frizzel/core/script"
	"frizzel/internal/event"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/rules"
)

const checkLong = `Report all problems of rule scripts, each with its place, its reason and, if one is
likely, its remedy; warn of what is most likely not meant; and run the examples.

A directory stands for all scripts in it, *.friz. The exit status is 0 where all is well
(warnings or not), 1 where an example failed, 2 where a script is wrong.`

const checkExample = `  frizzel check move-depot.friz
  frizzel check rules              # all scripts in a directory
  frizzel check --format json .    # for an editor or a job`

func (a *app) check() *cobra.Command {
	var flags ruleFlags
	var format string
	c := &cobra.Command{
		Use:     "check [SCRIPT or DIRECTORY]...",
		Short:   "Report a script's problems and run its examples",
		Long:    checkLong,
		Example: checkExample,
		RunE: func(c *cobra.Command, paths []string) error {
			if format != "text" && format != "json" {
				return exit.Wrongf("--format is text or json, not %q", format)
			}
			r, err := flags.rules(a, nil)
			if err != nil {
				return err
			}
			ch := &checking{app: a, json: format == "json"}
			done, err := rules.Check(c.Context(), rules.CheckOptions{
				Paths: paths, Stdin: a.In, Rules: r, Problems: ch.problems, Trial: ch.trial,
			})
			if err != nil {
				return err
			}
			return ch.end(done)
		},
	}
	flags.addValues(c)
	c.Flags().StringVar(&format, "format", "text", "text or json, one object a line")
	return c
}

// checking is a check at work.
type checking struct {
	*app
	json bool

	events *report.Events
}

// style returns the colours of the output; none for JSON.
func (ch *checking) style() report.Style {
	if ch.json {
		return report.Style{}
	}
	return ch.printer().Style
}

// problems shows the problems of a script, in JSON all of them.
func (ch *checking) problems(all script.Problems) error {
	first, more := all.Shown()
	if ch.json {
		first, more = all, ""
	}
	for _, p := range first {
		var err error
		if ch.json {
			err = ch.event(event.ScriptProblem{
				Path: p.Source.Name, Line: p.Pos.Line, Column: p.Pos.Column, Width: p.Pos.Width,
				Severity: p.Severity.String(), Reason: p.Reason, Remedy: p.Remedy,
			})
		} else {
			_, err = fmt.Fprintln(ch.Out, ch.style().Problem(p))
		}
		if err != nil {
			return err
		}
	}
	if more == "" {
		return nil
	}
	_, err := fmt.Fprintln(ch.Out, ch.style().Strong(more))
	return err
}

func (ch *checking) trial(s *script.Script, t *compile.Trial) error {
	var wrong string
	if !t.Passed() {
		wrong = ch.style().Trial(t)
	}
	switch {
	case ch.json:
		return ch.event(event.Example{Path: s.Source.Name, Line: t.Example.Pos.Line, Name: t.Name(), Passed: t.Passed(), Diff: wrong})
	case !t.Passed():
		name := ""
		if t.Name() != "" {
			name = fmt.Sprintf(" %q", t.Name())
		}
		_, err := fmt.Fprintf(ch.Out, "%s\n%s", ch.style().Strong(fmt.Sprintf("%s:%d: example%s failed", s.Source.Name, t.Example.Pos.Line, name)), wrong)
		return err
	}
	return nil
}

func (ch *checking) event(e event.Event) error {
	if ch.events == nil {
		ch.events = report.NewEvents(ch.Out, "check", nil)
	}
	return ch.events.Write(e)
}

func (ch *checking) end(c *rules.Checked) error {
	var err error
	if ch.json {
		err = ch.event(event.Checked{Scripts: c.Scripts, Errors: c.Errors, Warnings: c.Warnings, Passed: c.Passed, Failed: c.Failed})
	} else {
		_, err = fmt.Fprintf(ch.Out, "%s: %s, %s; %s passed, %d failed\n", report.Count(c.Scripts, "script"),
			report.Count(c.Errors, "error"), report.Count(c.Warnings, "warning"), report.Count(c.Passed, "example"), c.Failed)
	}
	switch {
	case err != nil:
		return err
	case c.Errors > 0:
		return exit.Silent(exit.Wrong)
	case c.Failed > 0:
		return exit.Silent(exit.Would)
	}
	return nil
}
