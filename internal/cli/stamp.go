package cli

import (
	"bytes"
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"frizzel/core/diff"
	"frizzel/core/edit"
	"frizzel/core/program"
	"frizzel/internal/exit"
	"frizzel/internal/progress"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/usecase"
	"frizzel/internal/values"
	"frizzel/internal/vault/store"
)

const stampLong = `Make files of a template, one for each row of values.

A template is a text with the placeholders of the rule language: {=name} is the row's
column "name", or a value given with --param; filters follow, as in {=port plus 1};
{=count} is the row's number, {=file} and {=filename} what the new file is called, and
{== the two characters {=.

All files are shown first, new ones and what would change in those that are there. Then
it asks, and writes with backups, as apply does; undo takes new files away again.`

const stampExample = `  # one configuration for each kiosk of a table with the columns name and port
  frizzel stamp kiosk.conf --to 'conf/{=name}.conf' --rows kiosks.csv

  # look only; a few names, and no table
  frizzel stamp kiosk.conf --to 'conf/kiosk-{=name}.conf' --each name=7,8,9 --preview

  # two templates a row, a value for all, and further rules
  frizzel stamp board.conf board.service --to 'out/{=name}/{=filename}' --rows boards.yaml \
      --param gateway=192.0.2.40 -r move-depot.friz --yes`

// stampFlags are the options of stamp.
type stampFlags struct {
	to, rows string
	each     []string
	rules    ruleFlags
	how      writeFlags
	preview  bool
	verbose  bool
	yes      bool
	ask      string
}

func (a *app) stamp() *cobra.Command {
	var f stampFlags
	c := &cobra.Command{
		Use:     "stamp TEMPLATE... --to PATH (--rows FILE | --each NAME=VALUE,...)",
		Short:   "Make files of a template, one for each row of values",
		Long:    stampLong,
		Example: stampExample,
		RunE: func(c *cobra.Command, templates []string) error {
			return a.stamped(c, &f, templates)
		},
	}
	fl := c.Flags()
	fl.StringVar(&f.to, "to", "", "the `path` of each file, with placeholders, such as 'out/{=name}.conf'")
	fl.StringVar(&f.rows, "rows", "", "a `file` of rows: CSV with a header, JSON, YAML or TOML")
	fl.StringArrayVar(&f.each, "each", nil, "a column and its values, as `NAME=VALUE,VALUE`; may be repeated, each with as many values")
	fl.BoolVar(&f.preview, "preview", false, "show what would be written, and write nothing")
	fl.StringArrayVarP(&f.rules.scripts, "rules", "r", nil, "a rule `script` that runs over what is made; - is standard input; may be repeated")
	f.rules.addValues(c)
	f.rules.addAllow(c)
	fl.BoolVarP(&f.verbose, "verbose", "v", false, "name each line that a note is about")
	f.how.addCommon(c)
	fl.BoolVarP(&f.yes, "yes", "y", false, "write all files without asking")
	fl.StringVar(&f.ask, "ask", "", "how to ask: on the whole `screen`, or about a file or a change at a time: screen, file or match")
	return c
}

// stampOptions checks the flags and reads the rows.
func (a *app) stampOptions(c *cobra.Command, f *stampFlags, templates []string) (o usecase.StampOptions, err error) {
	switch {
	case len(templates) == 0:
		return o, exit.Wrongf("stamp wants a template; see %s --help", c.CommandPath())
	case f.to == "":
		return o, exit.Wrongf("say what the files are called, as in: --to 'out/{=name}.conf'")
	case (f.rows == "") == (len(f.each) == 0):
		return o, exit.Wrongf("say what they are made of: --rows FILE, or --each name=7,8")
	case f.yes && f.preview:
		return o, exit.Wrongf("--yes writes, and --preview does not: give one of them")
	}
	o = usecase.StampOptions{Templates: templates, To: f.to}
	if f.rows != "" {
		o.Rows, err = usecase.ReadRows(f.rows)
	} else if o.Rows, err = values.ReadEach(f.each); err != nil {
		err = exit.Wrongf("--each: %w", err)
	}
	if err == nil {
		o.Rules, err = f.rules.rules(a, nil)
	}
	return o, err
}

func (a *app) stamped(c *cobra.Command, f *stampFlags, templates []string) error {
	o, err := a.stampOptions(c, f, templates)
	if err != nil {
		return err
	}
	var w usecase.Writing
	if !f.preview {
		if w, err = a.writingWith(c, &f.how); err != nil {
			return err
		}
		o.Write = &w
	}
	all, err := usecase.Stamp(c.Context(), o)
	if err != nil {
		return err
	}
	a.warn(all.Warnings)
	if all.Rules != nil {
		of := a.printer()
		of.Rules, of.Verbose = all.Labels, f.verbose
		of.Remarks(all.Rules)
	}
	st := &stamps{app: a, printer: a.printer()}
	st.printer.Rules = templates
	for _, s := range all.Files {
		st.items = append(st.items, &stampItem{Stamped: s, taken: s.Edits})
	}
	if f.preview {
		return st.show(all.Same)
	}
	if err := a.canAskBy(c, f.ask, f.yes); err != nil {
		return err
	}
	if len(all.Files) > 0 && !f.yes {
		if err := st.ask(c.Context(), a.wayToAsk(f.ask)); err != nil {
			return err
		}
	}
	return st.write(c.Context(), w, f.yes, all.Same, f.how.tellChanged)
}

// stamps are files that a person is asked about.
type stamps struct {
	*app
	printer *report.Printer
	items   []*stampItem
}

// show shows all files, and writes nothing.
func (st *stamps) show(same int) error {
	made, changed := 0, 0
	for i, it := range st.items {
		if it.Exists {
			changed++
		} else {
			made++
		}
		if err := st.diff(i); err != nil {
			return err
		}
	}
	fmt.Fprintf(st.Err, "%s would be made, %s would change, %s as wanted already\n",
		report.Count(made, "file"), report.Count(changed, "file"), report.Count(same, "file"))
	return nil
}

func (st *stamps) diff(i int) error {
	it := st.items[i]
	if it.Exists {
		return st.printer.Diff(it.Stamped.Path, diff.Whole(it.Old, it.taken))
	}
	return st.printer.Created(it.Stamped.Path, it.taken)
}

// ask asks about all files.
func (st *stamps) ask(ctx context.Context, way string) error {
	var items []review.Item
	for _, it := range st.items {
		items = append(items, it)
	}
	session := review.NewSession(items, st.printer.Rules)
	write, err := st.reviewed(ctx, session, st.printer.Style, way, st.diff)
	if err == nil && !write {
		err = usecase.ErrNothingTaken
	}
	return err
}

// write writes the accepted files, and prints how to undo that.
func (st *stamps) write(ctx context.Context, w usecase.Writing, named bool, same int, tellChanged bool) error {
	var taken []usecase.StampTaken
	for _, it := range st.items {
		taken = append(taken, usecase.StampTaken{Stamped: it.Stamped, Edits: it.taken})
		if named {
			what := "new"
			if it.Exists {
				what = report.Count(len(it.taken), "change")
			}
			if _, err := fmt.Fprintf(st.Out, "%s  %s\n", report.Path(it.Stamped.Path), what); err != nil {
				return err
			}
		}
	}
	type written struct {
		run   *store.Record
		files int
	}
	w.Progress = &progress.Meter{}
	done, err := doing(st.app, w.Progress, func() (written, error) {
		r, n, err := usecase.WriteStamps(ctx, w, st.printer.Rules, taken)
		return written{r, n}, err
	})
	switch {
	case err != nil:
		return err
	case done.run == nil && same > 0:
		fmt.Fprintf(st.Err, "nothing to write: %s as wanted already\n", report.Count(same, "file"))
		return nil
	case done.run == nil:
		fmt.Fprintln(st.Err, "nothing to write")
		return nil
	}
	st.wrote(done.run, done.files)
	if tellChanged {
		return exit.Silent(exit.Changed)
	}
	return nil
}

// stampItem is a file as a review wants it: each run of lines that would change is a change.
type stampItem struct {
	*usecase.Stamped
	taken edit.List
}

func (it *stampItem) Path() string { return it.Stamped.Path }
func (it *stampItem) Count() int   { return len(it.taken) }
func (it *stampItem) Broken() bool { return false }

func (it *stampItem) IsDocument() bool { return false }
func (it *stampItem) NewPath() string  { return it.Path() }

func (it *stampItem) ValueAt([]byte, int) string { return "" }

func (it *stampItem) Moved() bool      { return false } // what changes meanwhile is not written
func (it *stampItem) Edits() edit.List { return it.taken }

func (it *stampItem) Rules() []int {
	rules := make([]int, it.Template+1)
	rules[it.Template] = it.Changes()
	return rules
}

func (it *stampItem) Proposed() ([]byte, error) { return it.Text(it.taken), nil }

func (it *stampItem) Decide(decide func(program.Proposal) program.Answer) error {
	it.taken = nil
	for i, e := range it.Stamped.Edits {
		answer := decide(program.Proposal{
			Key: program.Key{Origin: e.Start, Nth: i}, Rule: it.Template, Line: it.Line(e), Edits: edit.List{e}, Text: it.Old,
		})
		if answer.New != nil {
			e.New = answer.New
		}
		if !answer.Leave {
			it.taken = append(it.taken, e)
		}
	}
	return nil
}

// Rewrite takes a text that a person wrote for the file; one that is as it was is none.
func (it *stampItem) Rewrite(fresh []byte) ([]byte, edit.List, error) {
	if !it.Exists {
		it.taken = nil
		if len(fresh) > 0 {
			it.taken = edit.List{{New: bytes.Clone(fresh), Rules: []int{it.Template}}}
		}
		return nil, it.taken, nil
	}
	it.taken = diff.Compare(it.Old, fresh)
	return it.Old, it.taken, nil
}
