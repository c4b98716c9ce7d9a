package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frizzel/core/script"
	"frizzel/internal/authoring"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/oneoff"
	"frizzel/internal/review"
	"frizzel/internal/run"
	"frizzel/internal/try"
	"frizzel/internal/usecase"
)

const tryLong = `Write a rule on the whole screen, and watch what it would change while you type.

At the top are fields for what is looked for, what replaces it, and where; below them the
changes in their files, old and new. From there the rule can be kept as a script, or go
on to the review and be written. Nothing is written before the review says so.

On leaving, the command line that does the same is printed.`

const tryExample = `  # begin with nothing
  frizzel try conf docs

  # begin with a change
  frizzel try --word depot-3 --with depot-4 --joiners "-" conf

  # change the first replacement of a script
  frizzel try -r move-depot.friz conf`

func (a *app) try() *cobra.Command {
	var f applyFlags
	c := &cobra.Command{
		Use:     "try [PATH]...",
		Short:   "Write a rule, and watch what it would change",
		Long:    tryLong,
		Example: tryExample,
		RunE:    func(c *cobra.Command, paths []string) error { return a.trying(c, &f, paths) },
	}
	f.rules.add(c)
	f.rules.addAllow(c)
	f.files.add(c)
	return c
}

// trying shows the screen, and then the review if the person goes on to it.
func (a *app) trying(c *cobra.Command, f *applyFlags, paths []string) error {
	if !review.Terminal(a.In, a.files.Out) || !a.screenOf(try.MinWidth, try.MinHeight) {
		return exit.Refusedf("try needs a terminal of at least %d columns and %d lines; preview shows the same without one", try.MinWidth, try.MinHeight)
	}
	draft, change, err := a.draft(c, f, paths)
	if err != nil {
		return err
	}
	printer := a.printer()
	out, err := try.Screen(c.Context(), try.Options{Draft: draft, Change: change, Style: printer.Style, Save: save}, a.In, a.files.Out)
	if err != nil && !errors.Is(err, review.ErrInterrupted) {
		return err
	}
	drafted, wrong := draft.Compile(out.Change) // the screen may have been left before its search was
	if wrong != nil || drafted.Plan == nil {
		return err // there is no command for a rule with a mistake
	}
	words := sameCommand(c, f, draft, drafted, out, paths)
	if out.Review {
		return a.reviewTried(c, drafted, out.Session, words)
	}
	fmt.Fprintln(a.Out, words)
	return err
}

// draft returns what trying starts from.
func (a *app) draft(c *cobra.Command, f *applyFlags, paths []string) (*authoring.Draft, oneoff.Change, error) {
	if slices.Contains(f.rules.scripts, "-") || f.files.from == "-" {
		return nil, oneoff.Change{}, exit.Wrongf("try reads keys from standard input, so no script and no list of paths can come from there")
	}
	oneOff, err := f.rules.oneOff(c)
	if err != nil {
		return nil, oneoff.Change{}, err
	}
	given, err := f.rules.rules(a, nil)
	if err != nil {
		return nil, oneoff.Change{}, err
	}
	files, err := a.fileSet(&f.files, paths)
	if err != nil {
		return nil, oneoff.Change{}, err
	}
	return authoring.NewDraft(given, *oneOff, files)
}

// reviewTried goes on to the review of what was tried, with the answers given so far.
func (a *app) reviewTried(c *cobra.Command, rules *authoring.Drafted, tried *review.Session, command string) error {
	w, err := a.writing()
	if err != nil {
		return err
	}
	w.Command = []string{"frizzel", "apply", strings.TrimPrefix(command, "frizzel preview ")}
	ap := &applying{app: a, printer: a.printer()}
	ap.printer.Rules = rules.Labels
	o := usecase.ApplyOptions{Rules: rules.Compiled, Plan: rules.Plan, Write: w, Show: ap.show, Ready: ap.ready}
	o.Ask = func(ctx context.Context, all []*run.Pending, refused func() []string) (bool, error) {
		ap.begin = func(s *review.Session) error { return s.Adopt(tried) }
		return ap.asker(a.wayToAsk(""))(ctx, all, refused)
	}
	o.Write.Progress = o.Plan.Progress
	done, err := doing(a, o.Plan.Progress, func() (*usecase.Applied, error) { return usecase.Apply(c.Context(), o) })
	return ap.end(done, err, false)
}

// sameCommand returns the command line that does what the screen showed.
func sameCommand(c *cobra.Command, f *applyFlags, draft *authoring.Draft, drafted *authoring.Drafted, out try.Outcome, paths []string) string {
	words := []string{"frizzel", "preview"}
	if out.Change.With == nil && out.Change.Old != "" {
		words[1] = "find"
	}
	text := ""
	switch {
	case out.Saved != "" && draft.InScript():
		words = append(words, scriptWords(f.rules.scripts, draft.ScriptName(), out.Saved)...)
	case out.Saved != "":
		words = append(append(words, scriptWords(f.rules.scripts, "", "")...), "-r", out.Saved)
	case draft.InScript() && out.Change.With != nil && !draft.Unchanged(out.Change):
		words = append(words, scriptWords(f.rules.scripts, draft.ScriptName(), "-")...)
		text, _ = drafted.Kept(nil)
	case draft.InScript() && out.Change.With != nil:
		words = append(words, scriptWords(f.rules.scripts, "", "")...)
	default:
		if words[1] == "preview" {
			words = append(words, scriptWords(f.rules.scripts, "", "")...)
		}
		words = append(words, changeWords(out.Change)...)
	}
	words = append(append(words, otherFlags(c)...), paths...)
	for i, w := range words {
		words[i] = hook.Quote(w)
	}
	line := strings.Join(words, " ")
	if text != "" {
		line += " <<'END'\n" + text + "END"
	}
	return line
}

// scriptWords returns the options of scripts, one replaced by another.
func scriptWords(scripts []string, old, fresh string) (words []string) {
	for _, s := range scripts {
		if s == old && fresh != "" {
			s = fresh
		}
		words = append(words, "-r", s)
	}
	return words
}

// changeWords returns the options of a change. Addresses that no option takes make it a statement.
func changeWords(o oneoff.Change) (words []string) {
	where, fits := whereWords(o)
	if o.Joiners != "" {
		defer func() { words = append(words, "--joiners", o.Joiners) }()
	}
	for _, s := range o.Statements {
		words = append(words, "--rule", s)
	}
	switch {
	case o.Old == "":
		return words
	case !fits:
		statement, _ := o.Statement()
		return append(words, "--rule", statement)
	}
	words = append(words, "--"+o.Kind, o.Old)
	if o.With != nil {
		words = append(words, "--with", *o.With)
	}
	if o.IgnoreCase {
		words = append(words, "--ignore-case")
	}
	if o.KeepCase {
		words = append(words, "--keep-case")
	}
	if o.AlsoNames {
		words = append(words, "--also-names")
	}
	return append(words, where...)
}

// whereWords returns the options of a change's addresses, false if they need a statement.
func whereWords(o oneoff.Change) (words []string, fits bool) {
	all, err := o.Addresses()
	if err != nil {
		return nil, false
	}
	for _, a := range all {
		values, isPath := a.Form.(*script.Values)
		opening, rest, _ := strings.Cut(a.String(), " ")
		switch {
		case isPath && len(a.Having) == 0 && !a.Direct:
			words = append(words, "--at", values.Path.Raw)
		case opening == "on" || opening == "in":
			words = append(words, "--"+opening, rest)
		default:
			return nil, false
		}
	}
	return words, true
}

// ofChange are the options that the fields or the scripts stand for.
var ofChange = []string{"text", "word", "regex", "with", "ignore-case", "keep-case", "on", "in", "at", "joiners", "rule", "rules", "also-names"}

// otherFlags returns the options that were given besides those, in the order in which they were.
func otherFlags(c *cobra.Command) (words []string) {
	c.Flags().SortFlags = false
	c.Flags().Visit(func(flag *pflag.Flag) {
		if slices.Contains(ofChange, flag.Name) {
			return
		}
		name := "--" + flag.Name
		switch v := flag.Value.(type) {
		case pflag.SliceValue:
			for _, one := range v.GetSlice() {
				words = append(words, name, one)
			}
		default:
			if flag.NoOptDefVal != "" {
				words = append(words, name+"="+flag.Value.String())
				return
			}
			words = append(words, name, flag.Value.String())
		}
	})
	for i, w := range words { // of switches that are on
		words[i] = strings.TrimSuffix(w, "=true")
	}
	return words
}
