package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/oneoff"
	"frizzel/internal/rules"
)

// ruleFlags say which rules are to run.
type ruleFlags struct {
	scripts         []string
	change          oneoff.Change
	kinds           []string // options of change.Kind that were given
	with            string
	refining        *pflag.FlagSet // options that mean nothing without something to look for
	syntax          string
	set, valueFiles []string
	allowRead       []string
	allowUnreadable bool
	allowBroken     bool
}

// add declares all flags about rules.
func (f *ruleFlags) add(c *cobra.Command) {
	c.Flags().StringArrayVarP(&f.scripts, "rules", "r", nil, "a rule `script`; - is standard input; may be repeated")
	f.addChange(c)
	f.addValues(c)
}

// addAllow declares what lets the rest of the files pass.
func (f *ruleFlags) addAllow(c *cobra.Command) {
	c.Flags().BoolVar(&f.allowUnreadable, "allow-unreadable", false, "let the rest change if a block or a range is never closed, or a file does not parse")
	c.Flags().BoolVar(&f.allowBroken, "allow-broken", false, "let a JSON, YAML, TOML or XML file become one that does not parse")
}

// addChange declares the flags of a change without a script.
func (f *ruleFlags) addChange(c *cobra.Command) {
	for _, k := range []struct{ kind, help string }{
		{"text", "replace these `characters` as they are"}, {"word", "replace this whole `word`"}, {"regex", "replace what this regular `expression` matches"},
	} {
		c.Flags().Var(&kindFlag{k.kind, f}, k.kind, k.help)
	}
	o := &f.change
	fl := pflag.NewFlagSet("", pflag.ContinueOnError)
	fl.SortFlags = false
	fl.StringVar(&f.with, "with", "", "what to replace it with, a `text` that may hold {=1} and its like")
	fl.BoolVar(&o.IgnoreCase, "ignore-case", false, "match in any case")
	fl.BoolVar(&o.KeepCase, "keep-case", false, "match in any case, and write in the case of what was matched")
	fl.Var(&whereFlag{"at", &o.Where}, "at", "only in the values at this `path`, such as '$.boards[*].host'; may be repeated, each within the one before")
	fl.Var(&whereFlag{"on", &o.Where}, "on", "only on these `lines`, such as 'lines 10 to 30'; may be repeated, each within the one before")
	fl.Var(&whereFlag{"in", &o.Where}, "in", "only in this `part`, such as 'section \"clock\"' or 'file name'; may be repeated, each within the one before")
	fl.BoolVar(&o.AlsoNames, "also-names", false, "in the names of files and directories and the targets of links, too")
	f.refining = fl
	c.Flags().AddFlagSet(fl)
	c.Flags().StringVar(&f.syntax, "syntax", "", "the `name` of the syntax of files whose names do not tell: "+syntax.List())
	c.Flags().StringVar(&o.Joiners, "joiners", "", "`characters` that join words, such as \"-.\"")
	c.Flags().StringArrayVar(&o.Statements, "rule", nil, "a `statement` of the rule language; may be repeated")
}

// A kindFlag is --text, --word or --regex; at most one may be given.
type kindFlag struct {
	kind string
	of   *ruleFlags
}

func (*kindFlag) String() string { return "" }
func (*kindFlag) Type() string   { return "string" }

// Set sets the text to search for.
func (k *kindFlag) Set(old string) error {
	if !slices.Contains(k.of.kinds, "--"+k.kind) {
		k.of.kinds = append(k.of.kinds, "--"+k.kind)
	}
	k.of.change.Kind, k.of.change.Old = k.kind, old
	return nil
}

// whereFlag is --on, --in or --at. They append to one list, so that addresses nest in the order in which they are
// typed.
type whereFlag struct {
	opening string
	all     *[]oneoff.Where
}

func (*whereFlag) String() string { return "" }
func (*whereFlag) Type() string   { return "stringArray" }

// Set appends an address.
func (w *whereFlag) Set(text string) error {
	*w.all = append(*w.all, oneoff.Where{Opening: w.opening, Text: text})
	return nil
}

// addValues declares the flags that give parameters their values.
func (f *ruleFlags) addValues(c *cobra.Command) {
	c.Flags().StringArrayVar(&f.set, "param", nil, "give a parameter its value, as `NAME=VALUE`; may be repeated")
	c.Flags().StringArrayVar(&f.allowRead, "allow-read", nil, "let scripts read files below this `directory`, besides their own and the current one; may be repeated")
	c.Flags().StringArrayVar(&f.valueFiles, "param-file", nil, "a `file` of parameters' values: TOML, YAML or JSON; may be repeated")
}

// given reports which of the flags were given.
func given(c *cobra.Command, names ...string) (out []string) {
	for _, n := range names {
		if c.Flags().Changed(n) {
			out = append(out, "--"+n)
		}
	}
	return out
}

// rules returns the rules that the flags name, with the one-off change as a script.
func (f *ruleFlags) rules(a *app, oneOff *script.Script) (rules.Given, error) {
	r := rules.Given{Scripts: f.scripts, Stdin: a.In, OneOff: oneOff, ValueFiles: f.valueFiles, AllowRead: f.allowRead, Values: map[string]string{}, AllowUnreadable: f.allowUnreadable, AllowBroken: f.allowBroken}
	if f.syntax != "" {
		var ok bool
		if r.Syntax, ok = syntax.Named(f.syntax); !ok {
			return r, exit.Wrongf("--syntax is %s, not %q", syntax.List(), f.syntax)
		}
	}
	for _, s := range f.set {
		name, value, ok := strings.Cut(s, "=")
		if !ok {
			return r, exit.Wrongf("--param wants NAME=VALUE, not %q", s)
		}
		r.Values[name] = value
	}
	return r, nil
}

// given returns the rules that are given, with the change on the command line; an error if there are none.
func (a *app) given(c *cobra.Command, f *ruleFlags) (rules.Given, error) {
	oneOff, err := f.oneOff(c)
	if err != nil {
		return rules.Given{}, err
	}
	change, err := oneOff.Script()
	if err != nil {
		return rules.Given{}, err
	}
	if len(f.scripts) == 0 && change == nil {
		return rules.Given{}, a.noRules(c)
	}
	return f.rules(a, change)
}

// compile reads the scripts and compiles them with the change given on the command
// line.
func (a *app) compile(c *cobra.Command, f *ruleFlags) (*rules.Compiled, error) {
	oneOff, err := f.oneOff(c)
	if err != nil {
		return nil, err
	}
	change, err := oneOff.Script()
	if err != nil {
		return nil, err
	}
	return a.compileWith(c, f, change)
}

// compileWith compiles the scripts and oneOff, which may be nil.
func (a *app) compileWith(c *cobra.Command, f *ruleFlags, oneOff *script.Script) (*rules.Compiled, error) {
	if len(f.scripts) == 0 && oneOff == nil {
		return nil, a.noRules(c)
	}
	r, err := f.rules(a, oneOff)
	if err != nil {
		return nil, err
	}
	compiled, err := rules.Compile(r)
	if err == nil && (len(f.scripts)+len(f.change.Statements) > 0 || c.Flags().Changed("with")) { // not of a mere search
		a.warn(compiled.Warnings)
	}
	return compiled, err
}

// noRules returns the error that no rules are given, with a suggestion for the arguments.
func (a *app) noRules(c *cobra.Command) error {
	said := "no rules are given: name a script with -r, or what to look for with --word"
	if args := c.Flags().Args(); len(args) > 0 {
		with := " --with TEXT"
		if c.Name() == "find" {
			with = ""
		}
		if _, err := os.Stat(args[0]); err != nil {
			said = fmt.Sprintf("say how %q is meant: --word %s%s for the whole word, --text for the characters anywhere, --regex for an expression",
				args[0], hook.Quote(args[0]), with)
		} else if strings.HasSuffix(args[0], script.Suffix) {
			said = "no rules are given: a script is named with -r " + hook.Quote(args[0])
		}
	}
	return exit.Wrongf("%s; see %s --help", said, c.CommandPath())
}

// warn prints the warnings of the rules.
func (a *app) warn(warnings script.Problems) {
	if len(warnings) > 0 {
		fmt.Fprintln(a.Err, a.problems(warnings))
	}
}

// oneOff returns the change that the flags define.
func (f *ruleFlags) oneOff(c *cobra.Command) (*oneoff.Change, error) {
	if len(f.kinds) > 1 {
		return nil, exit.Wrongf("%s do not go together: give one of them", strings.Join(f.kinds, " and "))
	}
	if f.refining.Changed("with") {
		f.change.With = &f.with
	}
	if others := given(c, "rules", "on", "in", "at"); f.change.AlsoNames && len(others) > 0 {
		return nil, exit.Wrongf("--also-names and %s do not go together: it is about contents and all names", others[0])
	}
	var alone []string
	f.refining.VisitAll(func(flag *pflag.Flag) {
		if flag.Changed {
			alone = append(alone, "--"+flag.Name)
		}
	})
	valuesOnly := (c.Name() == "find" || c.Name() == "edit") && len(alone) == 1 && alone[0] == "--at"
	if f.change.Kind == "" && len(alone) > 0 && !valuesOnly {
		rule := ""
		if len(f.scripts) > 0 || c.Flags().Changed("rule") {
			rule = "; in a rule the address goes before its statement, as in: --rule 'in section \"clock\" remove word \"depot-3\"'"
		}
		return nil, exit.Wrongf("%s goes with --text, --word or --regex%s", strings.Join(alone, ", "), rule)
	}
	return &f.change, nil
}
