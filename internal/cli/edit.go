package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/core/script"
	"frizzel/internal/authoring"
	"frizzel/internal/editor"
	"frizzel/internal/exit"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
)

const editLong = `Open what was found, over all files, as one list in your editor ($VISUAL, $EDITOR), and write
the differences.

The list has each file's name on a line of its own, and below it the lines that match:

  conf/clock.ini
  12 | host = depot-3        line 12; edit what is behind the bar
  -13 |                      deletes line 13
  | spare = depot-5          goes behind the line above it

With --with or a script the lines stand as they would become. Values at a path stand as
12:5 | value. A line that you take out of the list stays as it is in the file. What you
changed is reviewed as "apply" does it, and written as one run.`

const editExample = `  # seventeen places, each to be put a little differently
  frizzel edit --word depot-3 --context 1 conf

  # what a script would do, mended by hand where it is not right
  frizzel edit -r move-depot.friz conf docs

  # the values at a path
  frizzel edit --at '$.boards[*].feed' conf`

// editFlags are the options of edit.
type editFlags struct {
	rules   ruleFlags
	files   fileFlags
	how     writeFlags
	context int
	yes     bool
	ask     string
	save    string
}

func (a *app) edit() *cobra.Command {
	var f editFlags
	c := &cobra.Command{
		Use:     "edit (--text|--word|--regex X | --at PATH | -r SCRIPT) [PATH]...",
		Short:   "Edit what was found, over all files, as one list in your editor",
		Long:    editLong,
		Example: editExample,
		RunE:    func(c *cobra.Command, paths []string) error { return a.editing(c, &f, paths) },
	}
	f.rules.add(c)
	f.rules.addAllow(c)
	f.files.add(c)
	f.how.addCommon(c)
	fl := c.Flags()
	fl.IntVar(&f.context, "context", 0, "how many `lines` to list around each one that was found")
	fl.StringVar(&f.save, "save", "", "keep what was done by hand as a script in this new `file`")
	fl.BoolVarP(&f.yes, "yes", "y", false, "write what was edited without a review")
	fl.StringVar(&f.ask, "ask", "", "how to review: on the whole `screen`, or about a file or a match at a time: screen, file or match")
	return c
}

func (a *app) editing(c *cobra.Command, f *editFlags, paths []string) error {
	if f.context < 0 {
		return exit.Wrongf("--context is at least 0")
	}
	o, labels, err := a.editOptions(c, f, paths)
	if err != nil {
		return err
	}
	if err := a.canAskBy(c, f.ask, f.yes); err != nil {
		return err
	}
	if o.Write, err = a.writingWith(c, &f.how); err != nil {
		return err
	}
	if err := canSave(f.save); err != nil {
		return err
	}
	keeper := &authoring.Keeper{}
	if f.save != "" {
		o.Keep, o.KeepName = keeper.Add, keeper.AddName
	}
	ap := &applying{app: a, printer: a.printer()}
	ap.printer.Rules, ap.printer.Verbose = labels, f.files.verbose
	o.Open = a.openEditor
	o.Ready = func(done *usecase.Applied) error {
		rules := ap.printer.Rules
		ap.printer.Rules = make([]string, len(rules)) // the changes are a person's
		defer func() { ap.printer.Rules = rules }()
		return ap.ready(done)
	}
	o.Mistaken = func(err error) { fmt.Fprintf(a.Err, "the list cannot be read: %v; it opens again\n", err) }
	o.Show = func(p *run.Pending) error {
		_, err := fmt.Fprintf(a.Out, "%s  %s\n", report.Moved(p.At.Path, p.NewPath()), report.Count(p.Changes, "change"))
		return err
	}
	if !f.yes {
		o.Ask = func(ctx context.Context, all []*run.Pending, fresh [][]byte, refused func() []string) (bool, error) {
			ap.begin = func(s *review.Session) error {
				for i, file := range s.Files {
					if fresh[i] == nil { // only its name changes
						continue
					}
					if err := file.Write(fresh[i]); err != nil {
						return err
					}
				}
				return nil
			}
			return ap.asker(a.wayToAsk(f.ask))(ctx, all, refused)
		}
	}
	o.Write.Progress = o.Find.Progress
	done, err := doing(a, o.Find.Progress, func() (*usecase.Applied, error) { return usecase.Edit(c.Context(), o) })
	if err == nil && f.save != "" && done.Run != nil {
		if err = a.saveLearned(keeper, f.save); err != nil {
			ap.wrote(done.Run, done.Files)
			return err
		}
	}
	return ap.end(done, err, f.how.tellChanged)
}

// saveLearned keeps what was done by hand as a script.
func (a *app) saveLearned(k *authoring.Keeper, path string) error {
	text, err := k.Script()
	if err != nil {
		return fmt.Errorf("the changes are written, but not kept as a script: %w", err)
	}
	return save(path, []byte(text))
}

// editOptions returns what is to be listed, with the labels of its rules, and the rules to hold the edited files against.
func (a *app) editOptions(c *cobra.Command, f *editFlags, paths []string) (o usecase.EditOptions, labels []string, err error) {
	o.Context = f.context
	compiled, what, err := a.compileListed(c, &f.rules)
	if err != nil {
		return o, nil, err
	}
	o.What, o.Rules = what, compiled
	if o.Find, err = a.plan(&f.files, compiled, paths); err != nil {
		return o, nil, err
	}
	oneOff, err := f.rules.oneOff(c)
	if err != nil {
		return o, nil, err
	}
	var change *script.Script
	if what == run.Changes {
		if change, err = oneOff.Script(); err != nil {
			return o, nil, err
		}
	}
	given, err := f.rules.rules(a, change)
	if err != nil {
		return o, nil, err
	}
	if what == run.Assertions { // the search itself asserts nothing of what a person writes
		given.Scripts = nil
		if o.Rules, err = rules.Compile(given); err != nil {
			return o, nil, err
		}
	} else if err := usecase.Listable(given); err != nil {
		return o, nil, err
	}
	o.Hand, err = a.plan(&f.files, o.Rules, paths)
	return o, compiled.Labels, err
}

// compileListed compiles what is to be listed: what rules change, or what is found.
func (a *app) compileListed(c *cobra.Command, f *ruleFlags) (*rules.Compiled, run.Sought, error) {
	if !c.Flags().Changed("with") {
		return a.compileFind(c, f)
	}
	compiled, err := a.compile(c, f)
	return compiled, run.Changes, err
}

// openEditor opens a file in the person's editor, and waits until it is closed.
func (a *app) openEditor(ctx context.Context, path string, line int) error {
	e := editor.Open(path, line)
	e.Stdin, e.Stdout, e.Stderr = a.files.In, a.files.Out, a.files.Err
	if err := e.Run(); err != nil {
		return err
	}
	return ctx.Err()
}
