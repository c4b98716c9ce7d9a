package cli

import (
	"errors"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"frizzel/core/program"
	"frizzel/core/script"
	"frizzel/internal/values"
)

// ruleFlags say which rules are to run.
type ruleFlags struct {
	scripts           []string
	text, word, regex string
	with              string
	ignoreCase        bool
	keepCase          bool
	on, in            []string
	joiners           string
	statements        []string
	set, valueFiles   []string

	// What compiling read: the texts of scripts and tables by name, and the values.
	sources map[string]string
	given   map[string]string
}

// add declares all flags about rules.
func (f *ruleFlags) add(c *cobra.Command) {
	c.Flags().StringArrayVarP(&f.scripts, "rules", "r", nil, "a rule `script`; - is standard input; may be repeated")
	f.addChange(c)
	f.addValues(c)
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
	fl.StringArrayVar(&f.on, "on", nil, "only on these `lines`, such as 'lines 10 to 30'; may be repeated")
	fl.StringArrayVar(&f.in, "in", nil, "only in this `part`, such as 'section \"clock\"'; may be repeated")
	fl.StringVar(&f.joiners, "joiners", "", "`characters` that join words, such as \"-.\"")
	fl.StringArrayVar(&f.statements, "rule", nil, "a `statement` of the rule language; may be repeated")
}

// addValues declares the flags that give parameters their values.
func (f *ruleFlags) addValues(c *cobra.Command) {
	c.Flags().StringArrayVar(&f.set, "set", nil, "give a parameter its value, as `NAME=VALUE`; may be repeated")
	c.Flags().StringArrayVar(&f.valueFiles, "values", nil, "a `file` of parameters' values: TOML, YAML or JSON; may be repeated")
}

// given reports which of the flags about a one-off change were given.
func given(c *cobra.Command, names ...string) (out []string) {
	for _, n := range names {
		if c.Flags().Changed(n) {
			out = append(out, "--"+n)
		}
	}
	return out
}

// compile reads the scripts and compiles them with the change given on the command
// line.
func (a *app) compile(c *cobra.Command, f *ruleFlags) (*program.Program, error) {
	oneOff, err := f.oneOffScript(c)
	if err != nil {
		return nil, err
	}
	return a.compileWith(c, f, oneOff)
}

// compileWith compiles the scripts and oneOff, a script's text or "".
func (a *app) compileWith(c *cobra.Command, f *ruleFlags, oneOff string) (*program.Program, error) {
	var scripts []*script.Script
	var problems script.Problems
	f.sources = map[string]string{}
	parse := func(name, text string) {
		f.sources[name] = text
		s, ps := script.Parse(name, text)
		scripts = append(scripts, s)
		problems = append(problems, ps...)
	}
	for _, path := range f.scripts {
		text, err := a.readScript(path)
		if err != nil {
			return nil, err
		}
		parse(filepath.ToSlash(path), text)
	}
	if oneOff != "" {
		parse(commandLineName, oneOff)
	}
	if len(scripts) == 0 {
		return nil, wrong("no rules are given: name a script with -r, or what to look for with --word; see %s --help", c.CommandPath())
	}
	load := func(path string) ([]byte, error) {
		text, err := os.ReadFile(path)
		f.sources[path] = string(text)
		return text, err
	}
	var err error
	if f.given, err = f.values(); err != nil {
		return nil, err
	}
	p, more := program.Compile(scripts, program.Options{
		Values: f.given, Env: os.LookupEnv, Now: time.Now(), Load: load,
	})
	problems = append(problems, more...).Errors()
	if len(problems) > 0 {
		problems.Sort()
		return nil, problems
	}
	return p, nil
}

func (a *app) readScript(path string) (string, error) {
	if path == "-" {
		text, err := io.ReadAll(a.In)
		return string(text), err
	}
	text, err := os.ReadFile(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "", wrong("there is no script %q", path)
	case err != nil:
		return "", wrong("the script cannot be read: %w", err)
	}
	return string(text), nil
}

// values gathers the parameters' values; --set wins over --values.
func (f *ruleFlags) values() (map[string]string, error) {
	given := map[string]string{}
	for _, path := range f.valueFiles {
		text, err := os.ReadFile(path)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, wrong("there is no file of values %q", path)
		} else if err != nil {
			return nil, wrong("the values cannot be read: %w", err)
		}
		read, err := values.Read(path, text)
		if err != nil {
			return nil, wrong("%s: %w", path, err)
		}
		maps.Copy(given, read)
	}
	for _, s := range f.set {
		name, value, ok := strings.Cut(s, "=")
		if !ok {
			return nil, wrong("--set wants NAME=VALUE, not %q", s)
		}
		given[name] = value
	}
	return given, nil
}

// oneOffScript writes the script that the flags of a one-off change stand for, ""
// where there are none.
func (f *ruleFlags) oneOffScript(c *cobra.Command) (string, error) {
	kind, err := f.kind(c)
	if err != nil {
		return "", err
	}
	if kind == "" {
		if alone := given(c, "with", "ignore-case", "keep-case", "on", "in"); len(alone) > 0 {
			return "", wrong("%s goes with --text, --word or --regex", strings.Join(alone, ", "))
		}
		return f.script(f.statements)
	}
	if !c.Flags().Changed("with") {
		return "", wrong("--%s wants --with, the text to replace it with", kind)
	}
	p, err := f.pattern(kind)
	if err != nil {
		return "", err
	}
	n := &script.Replace{Pattern: p, KeepCase: f.keepCase}
	var ok bool
	if n.With, ok = script.RawText(f.with, '"'); !ok {
		return "", wrong("--with holds all three quotes, which no string can")
	}
	return f.script(append([]string{f.addressed(n)}, f.statements...))
}

// kind returns which of --text, --word and --regex was given, "" for none.
func (f *ruleFlags) kind(c *cobra.Command) (string, error) {
	kinds := given(c, "text", "word", "regex")
	switch len(kinds) {
	case 0:
		return "", nil
	case 1:
		return strings.TrimPrefix(kinds[0], "--"), nil
	}
	return "", wrong("%s do not go together: give one of them", strings.Join(kinds, " and "))
}

// script joins statements to a script, with the joiners.
func (f *ruleFlags) script(statements []string) (string, error) {
	if f.joiners == "" {
		return strings.Join(statements, "\n"), nil
	}
	if len(statements) == 0 {
		return "", wrong("--joiners goes with --word or --regex; a script has its own")
	}
	t, ok := script.NewText(f.joiners, '"')
	if !ok {
		return "", wrong("--joiners cannot hold all three quotes")
	}
	joiners := script.Format(&script.Script{Items: []script.Node{&script.Joiners{Text: t}}})
	return joiners + strings.Join(statements, "\n"), nil
}

// pattern returns what the flags look for.
func (f *ruleFlags) pattern(kind string) (*script.Pattern, error) {
	p := &script.Pattern{IgnoreCase: f.ignoreCase}
	source, quote := f.text, byte('"')
	switch kind {
	case "word":
		p.Kind, source = script.WholeWord, f.word
	case "regex":
		p.Kind, source, quote = script.Regex, f.regex, '\''
	}
	if source == "" {
		return nil, wrong("--%s is empty: say what to look for", kind)
	}
	var ok bool
	if p.Text, ok = script.RawText(strings.ReplaceAll(source, "\n", "{=newline}"), quote); !ok {
		return nil, wrong("--%s holds all three quotes, which no string can; use --regex with \\x27 for '", kind)
	}
	return p, nil
}

// addressed writes a statement behind the addresses of --on and --in.
func (f *ruleFlags) addressed(n script.Node) string {
	var words []string
	for _, on := range f.on {
		words = append(words, "on "+on)
	}
	for _, in := range f.in {
		words = append(words, "in "+in)
	}
	text := script.Format(&script.Script{Items: []script.Node{n}})
	return strings.Join(append(words, strings.TrimSuffix(text, "\n")), " ")
}

// commandLineName is the name of the script that a one-off change stands for.
const commandLineName = "command line"

// ruleNames lists what people call the rules; a one-off change needs no name.
func ruleNames(p *program.Program) []string {
	names := make([]string, len(p.Rules))
	for i, r := range p.Rules {
		if !strings.HasPrefix(r.Label, commandLineName+":") {
			names[i] = r.Label
		}
	}
	return names
}
