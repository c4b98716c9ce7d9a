package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/internal/exit"
	"frizzel/internal/usecase"
)

// ruleFlags say which rules are to run.
type ruleFlags struct {
	scripts           []string
	text, word, regex string
	with              string
	ignoreCase        bool
	keepCase          bool
	at                []string
	where             []usecase.Where
	syntax            string
	joiners           string
	statements        []string
	set, valueFiles   []string
	allowUnreadable   bool
	allowBroken       bool
}

// add declares all flags about rules.
func (f *ruleFlags) add(c *cobra.Command) {
	c.Flags().StringArrayVarP(&f.scripts, "rules", "r", nil, "a rule `script`; - is standard input; may be repeated")
	f.addChange(c)
	f.addValues(c)
}

// addAllow declares what lets the rest of the files pass.
func (f *ruleFlags) addAllow(c *cobra.Command) {
	c.Flags().BoolVar(&f.allowUnreadable, "allow-unreadable", false, "let the rest change where a block or a range is never closed, or a file does not parse")
	c.Flags().BoolVar(&f.allowBroken, "allow-broken", false, "let a JSON, YAML, TOML or XML file become one that does not parse")
}

// addChange declares the flags of a change without a script.
func (f *ruleFlags) addChange(c *cobra.Command) {
	fl := c.Flags()
	fl.StringVar(&f.text, "text", "", "replace these `characters` as they stand")
	fl.StringVar(&f.word, "word", "", "replace this whole `word`")
	fl.StringVar(&f.regex, "regex", "", "replace what this regular `expression` matches")
	fl.StringVar(&f.with, "with", "", "what to replace it with, a `text` that may hold {=1} and its like")
	fl.BoolVar(&f.ignoreCase, "ignore-case", false, "match in any case")
	fl.BoolVar(&f.keepCase, "keep-case", false, "match in any case, and write in the case of what was matched")
	fl.StringArrayVar(&f.at, "at", nil, "only in the values at this `path`, such as '$.boards[*].host'; may be repeated, each within the one before")
	fl.StringVar(&f.syntax, "syntax", "", "the `name` of the syntax of files whose names do not tell: json, yaml, toml, xml, csv or \"csv without header\"")
	fl.Var(&whereFlag{"on", &f.where}, "on", "only on these `lines`, such as 'lines 10 to 30'; may be repeated, each within the one before")
	fl.Var(&whereFlag{"in", &f.where}, "in", "only in this `part`, such as 'section \"clock\"'; may be repeated, each within the one before")
	fl.StringVar(&f.joiners, "joiners", "", "`characters` that join words, such as \"-.\"")
	fl.StringArrayVar(&f.statements, "rule", nil, "a `statement` of the rule language; may be repeated")
}

// whereFlag is --on or --in. Both append to one list, so that addresses nest in the order in which they are
// typed.
type whereFlag struct {
	opening string
	all     *[]usecase.Where
}

func (*whereFlag) String() string { return "" }
func (*whereFlag) Type() string   { return "stringArray" }

// Set appends an address.
func (w *whereFlag) Set(text string) error {
	*w.all = append(*w.all, usecase.Where{Opening: w.opening, Text: text})
	return nil
}

// addValues declares the flags that give parameters their values.
func (f *ruleFlags) addValues(c *cobra.Command) {
	c.Flags().StringArrayVar(&f.set, "param", nil, "give a parameter its value, as `NAME=VALUE`; may be repeated")
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

// rules returns what the flags say of rules, the one-off change as a script.
func (f *ruleFlags) rules(a *app, oneOff *script.Script) (usecase.Rules, error) {
	r := usecase.Rules{Scripts: f.scripts, Stdin: a.In, OneOff: oneOff, ValueFiles: f.valueFiles, Values: map[string]string{}, AllowUnreadable: f.allowUnreadable, AllowBroken: f.allowBroken}
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

// compile reads the scripts and compiles them with the change given on the command
// line.
func (a *app) compile(c *cobra.Command, f *ruleFlags) (*usecase.Compiled, error) {
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
func (a *app) compileWith(c *cobra.Command, f *ruleFlags, oneOff *script.Script) (*usecase.Compiled, error) {
	if len(f.scripts) == 0 && oneOff == nil {
		return nil, a.noRules(c)
	}
	r, err := f.rules(a, oneOff)
	if err != nil {
		return nil, err
	}
	compiled, err := usecase.Compile(r)
	if err == nil && (len(f.scripts)+len(f.statements) > 0 || c.Flags().Changed("with")) { // not of a mere search
		a.warn(compiled.Warnings)
	}
	return compiled, err
}

// noRules says that no rules are given, and how to give what most likely is meant for one.
func (a *app) noRules(c *cobra.Command) error {
	said := "no rules are given: name a script with -r, or what to look for with --word"
	if args := c.Flags().Args(); len(args) > 0 {
		with := " --with TEXT"
		if c.Name() == "find" {
			with = ""
		}
		if _, err := os.Stat(args[0]); err != nil {
			said = fmt.Sprintf("say how %q is meant: --word %s%s for the whole word, --text for the characters anywhere, --regex for an expression",
				args[0], shellWord(args[0]), with)
		} else if strings.HasSuffix(args[0], ".friz") {
			said = "no rules are given: a script is named with -r " + shellWord(args[0])
		}
	}
	return exit.Wrongf("%s; see %s --help", said, c.CommandPath())
}

// shellWord writes a word as it is typed to a shell.
func shellWord(s string) string {
	if s != "" && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./:@%+,=") == "" {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}

// warn says what the rules allow and most likely do not mean.
func (a *app) warn(warnings script.Problems) {
	if len(warnings) > 0 {
		fmt.Fprintln(a.Err, a.problems(warnings))
	}
}

// oneOff returns the change that the flags stand for.
func (f *ruleFlags) oneOff(c *cobra.Command) (*usecase.OneOff, error) {
	o := &usecase.OneOff{
		IgnoreCase: f.ignoreCase, KeepCase: f.keepCase, At: f.at, Where: f.where, Joiners: f.joiners, Statements: f.statements,
	}
	if c.Flags().Changed("with") {
		o.With = &f.with
	}
	kinds := given(c, "text", "word", "regex")
	switch len(kinds) {
	case 0:
		if len(f.at) > 0 && c.Name() == "find" && len(given(c, "with", "ignore-case", "keep-case", "on", "in")) == 0 {
			return o, nil
		}
		if alone := given(c, "with", "ignore-case", "keep-case", "at", "on", "in"); len(alone) > 0 {
			return nil, exit.Wrongf("%s goes with --text, --word or --regex", strings.Join(alone, ", "))
		}
	case 1:
		o.Kind = strings.TrimPrefix(kinds[0], "--")
		o.Old = map[string]string{"text": f.text, "word": f.word, "regex": f.regex}[o.Kind]
	default:
		return nil, exit.Wrongf("%s do not go together: give one of them", strings.Join(kinds, " and "))
	}
	return o, nil
}
