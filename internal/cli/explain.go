package cli

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"frizzel/core/explain"
	"frizzel/core/script"
	"frizzel/internal/event"
	"frizzel/internal/exit"
	"frizzel/internal/oneoff"
	"frizzel/internal/report"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
)

const explainLong = `Say in plain sentences what a script does. With paths, say which rule changes which line in
which order, which lines the addresses select, and why a rule does nothing there: its files
line left the file out, its guard did not hold, its address selected nothing, or the text
is there in another case, inside a longer word, or in another place.

FILE:LINE asks about one line. Nothing is written.`

const explainExample = `  frizzel explain -r move-depot.friz
  frizzel explain -r move-depot.friz conf/clock.ini
  frizzel explain -r move-depot.friz conf/clock.ini:12`

// explainFlags are the options of explain.
type explainFlags struct {
	rules ruleFlags
	files fileFlags
	how   previewFlags
}

func (a *app) explain() *cobra.Command {
	var f explainFlags
	c := &cobra.Command{
		Use:     "explain [-r SCRIPT]... [PATH | FILE:LINE]...",
		Short:   "Say what a script does, and why it does nothing",
		Long:    explainLong,
		Example: explainExample,
		RunE:    func(c *cobra.Command, paths []string) error { return a.explaining(c, &f, paths) },
	}
	f.rules.add(c)
	f.files.add(c)
	fl := c.Flags()
	fl.StringVar(&f.how.format, "format", "text", "text or json, one object a line")
	fl.StringArrayVar(&f.how.hide, "hide", nil, "show ••••• for this `pattern`, such as 'regex \"password = .*\"'; may be repeated")
	return c
}

func (a *app) explaining(c *cobra.Command, f *explainFlags, paths []string) error {
	if f.how.format != "text" && f.how.format != "json" {
		return exit.Wrongf("--format is text or json, not %q", f.how.format)
	}
	given, err := a.given(c, &f.rules)
	if err != nil {
		return err
	}
	explained, err := usecase.Explain(given)
	if err != nil {
		return err
	}
	x := &explainer{app: a, printer: a.printer()}
	if err := f.how.hidden(x.printer); err != nil {
		return err
	}
	a.maskMessages(x.printer)
	if f.how.format == "json" {
		x.events = report.NewEvents(a.Out, "explain", nil)
	}
	if len(paths) == 0 && f.files.from == "" {
		return x.script(explained)
	}
	return x.explain(c, f, explained, paths)
}

// placeOf splits FILE:LINE, unless there is a file of that very name.
func placeOf(paths []string) ([]string, int, error) {
	line := 0
	for i, path := range paths {
		file, number, ok := cutLast(path, ":")
		n, err := strconv.Atoi(number)
		if _, there := os.Lstat(path); there == nil || !ok || err != nil {
			continue
		}
		if n < 1 {
			return nil, 0, exit.Wrongf("lines are counted from 1, so there is no %s", path)
		}
		if len(paths) > 1 {
			return nil, 0, exit.Wrongf("FILE:LINE asks about one line of one file: leave out the other paths")
		}
		paths, line = append([]string{}, paths...), n
		paths[i] = file
	}
	return paths, line, nil
}

func cutLast(s, sep string) (before, after string, ok bool) {
	i := strings.LastIndex(s, sep)
	if i < 0 {
		return s, "", false
	}
	return s[:i], s[i+len(sep):], true
}

// An explainer prints explanations.
type explainer struct {
	*app
	printer *report.Printer
	events  *report.Events // for JSON
	loose   bool           // the last statement is in no rule
	said    bool           // something was printed
}

func (x *explainer) explain(c *cobra.Command, f *explainFlags, e *usecase.Explained, paths []string) error {
	paths, line, err := placeOf(paths)
	if err != nil {
		return err
	}
	plan, err := x.plan(&f.files, e.Compiled, paths)
	if err != nil {
		return err
	}
	s, err := doing(x.app, plan.Progress, func() (*run.Summary, error) {
		return e.Files(c.Context(), plan, line, x.account)
	})
	if err != nil {
		return err
	}
	if x.events != nil {
		err = x.events.Total(event.Summary{FilesRead: s.Read, FilesSkipped: len(s.Skipped)})
	} else {
		x.printer.Verbose = f.files.verbose
		x.printer.Remarks(s)
	}
	if err == nil && len(s.Unreadable()) > 0 {
		err = exit.Silent(exit.Unreadable)
	}
	return err
}

// script prints what a script does.
func (x *explainer) script(e *usecase.Explained) error {
	for _, s := range e.Scripts {
		for _, n := range s.Items {
			if err := x.item(s, n, e); err != nil {
				return err
			}
		}
	}
	if x.events != nil {
		return x.events.Total(event.Summary{})
	}
	return nil
}

// item prints what an item of a script says.
func (x *explainer) item(s *script.Script, n script.Node, e *usecase.Explained) error {
	style := x.printer.Style
	switch n := n.(type) {
	case *script.Title:
		x.line("%s", style.Strong(n.Text.Raw))
	case *script.Rule:
		x.loose = false
		return x.rule(n)
	default:
		if script.Declares(n) {
			x.declaration(n, e.Compiled.Values)
			return nil
		}
		name := fmt.Sprintf("%s:%d", s.Source.Name, n.Place().Line)
		if s.Source.Name == oneoff.Name {
			name = explain.OneChange
		}
		if !x.loose && x.said {
			x.line("")
		}
		x.loose = true
		return x.sentence(name, n)
	}
	return nil
}

// declaration prints what a declaration of a script or a rule means, if a reader would ask.
func (x *explainer) declaration(n script.Node, values map[string]string) {
	if said := explain.Declaration(n, values); said != "" {
		x.line("  %s.", capital(said))
	}
}

// rule prints what a rule does.
func (x *explainer) rule(r *script.Rule) error {
	about := ""
	if r.About != nil {
		about = ": " + r.About.Raw
	}
	if x.said {
		x.line("")
	}
	x.line("%s%s", x.printer.Style.Strong("rule "+r.Name), about)
	for _, n := range r.Body {
		var err error
		if script.Declares(n) {
			x.declaration(n, nil)
		} else {
			err = x.sentence(r.Name, n)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// sentence prints what a statement does.
func (x *explainer) sentence(rule string, n script.Node) error {
	said := explain.Sentence(n)
	if x.events != nil {
		masked := x.printer.Masked
		return x.events.Write(event.Statement{Rule: rule, Statement: masked(script.OneLine(n)), Sentence: masked(said)})
	}
	x.line("  %s.", capital(said))
	return nil
}

// capital returns a sentence with its first letter as a capital.
func capital(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}

// line prints a line for a person, which is wrapped at a terminal.
func (x *explainer) line(format string, args ...any) {
	text := x.printer.Masked(fmt.Sprintf(format, args...)) // before a line break divides it
	if w := x.printer.Width; x.printer.Terminal && w > 20 {
		indent := text[:len(text)-len(strings.TrimLeft(text, " "))]
		text = indent + wrapped(text[len(indent):], w-len(indent), indent)
	}
	x.print(text)
}

// asIs prints a line of a file.
func (x *explainer) asIs(text string) { x.print(x.printer.Masked(text)) }

func (x *explainer) print(text string) {
	x.said = true
	if x.events == nil {
		fmt.Fprintln(x.Out, text)
	}
}

// account prints what the rules do to a file.
func (x *explainer) account(path string, a *explain.Account) error {
	if x.events != nil {
		return x.accountEvents(path, a)
	}
	style := x.printer.Style
	x.line("%s", style.Strong(report.Path(path)))
	for _, s := range a.Selected {
		unit := "lines"
		if _, err := strconv.Atoi(s.Lines); err == nil {
			unit = "line"
		}
		x.line("  %s %s", style.Soft("“"+s.Statement+"” selects "+unit), s.Lines)
	}
	last := -1
	for _, s := range a.Steps {
		number := fmt.Sprintf("line %d", s.Line)
		if s.Of != script.Content {
			number = map[bool]string{true: "target", false: "name"}[s.Of == script.LinkTarget]
		}
		if s.Line == last && s.Of == script.Content {
			number = strings.Repeat(" ", len(number))
		}
		last = s.Line
		x.line("  %-10s %s", number, style.Rule(s.Rule))
		for _, l := range strings.Split(s.Before, "\n") {
			x.asIs("    - " + l)
		}
		for _, l := range strings.Split(s.After, "\n") {
			x.asIs("    + " + l)
		}
	}
	for _, w := range a.Whys {
		x.line("  %s: %s", style.Rule(w.Rule), w.Reason)
		x.line("      %s", style.Soft(w.Statement))
	}
	x.line("")
	return nil
}

func (x *explainer) accountEvents(path string, a *explain.Account) error {
	at, masked := event.PathOf(path), x.printer.Masked
	for _, s := range a.Selected {
		if err := x.events.Write(event.Selected{Path: at, Statement: masked(s.Statement), Lines: s.Lines}); err != nil {
			return err
		}
	}
	for _, s := range a.Steps {
		if err := x.events.Write(event.Step{Path: at, Of: s.Of.Address(), Line: s.Line, Rule: s.Rule, Statement: masked(s.Statement), Before: masked(s.Before), After: masked(s.After)}); err != nil {
			return err
		}
	}
	for _, w := range a.Whys {
		if err := x.events.Write(event.Why{Path: at, Line: w.Line, Rule: w.Rule, Statement: masked(w.Statement), Reason: masked(w.Reason)}); err != nil {
			return err
		}
	}
	return nil
}
