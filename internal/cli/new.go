package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"os"
	"regexp"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/core/script"
)

const newLong = `Write a rule script from the flags of a change on the command line: with comments, with
a parameter where the new text looks like a value, and with an example to fill in.

It goes to standard output, or to a FILE that is not there yet.`

const newExample = `  frizzel new --word depot-3 --with depot-4 > move-depot.friz
  frizzel new --text 192.0.2.30 --with 192.0.2.40 --in 'section "clock"' clock.friz`

func (a *app) new() *cobra.Command {
	var rules ruleFlags
	c := &cobra.Command{
		Use:     "new (--text|--word|--regex) X --with Y [FILE]",
		Short:   "Write a rule script from what was tried on the command line",
		Long:    newLong,
		Example: newExample,
		Args:    cobra.MaximumNArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			text, err := rules.newScript(c)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				_, err = fmt.Fprint(a.Out, text)
				return err
			}
			return save(args[0], text)
		},
	}
	rules.addChange(c)
	return c
}

// save writes a script to a file that is not there yet.
func save(path, text string) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if errors.Is(err, fs.ErrExist) {
		return wrong("%q is there already; name a new file", path)
	}
	if err != nil {
		return err
	}
	_, err = f.WriteString(text)
	return errors.Join(err, f.Close())
}

// newScript writes a script with comments, a parameter and an example.
func (f *ruleFlags) newScript(c *cobra.Command) (string, error) {
	kind, err := f.kind(c)
	if err != nil {
		return "", err
	}
	if kind == "" {
		return "", wrong("say what to change, as in: frizzel new --word depot-3 --with depot-4")
	}
	old, with := map[string]string{"text": f.text, "word": f.word, "regex": f.regex}[kind], f.with
	param, what := valueLike(with)
	if param != "" {
		f.with = "{=" + param + "}"
	}
	statement, err := f.oneOffScript(c)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "# What this script is for, in a sentence.\nfrizzel %d\ntitle \"…\"\n\n", script.LanguageVersion)
	if param != "" {
		t, _ := script.NewText(with, '"')
		fmt.Fprintf(&b, "param %s = %c%s%c about \"%s\"\n\n", param, t.Quote, t.Raw, t.Quote, what)
	}
	joiners, rule, found := strings.Cut(statement, "\n")
	if !found || !strings.HasPrefix(joiners, "joiners ") {
		rule, joiners = statement, ""
	}
	b.WriteString("# Which files: paths of folders count from the folder given on the command line.\n# files \"conf/**\" \"*.ini\"\n\n")
	if joiners != "" {
		b.WriteString(joiners + "\n\n")
	}
	fmt.Fprintf(&b, "rule change \"Say here what is changed, and why\" {\n%s\n}\n\n", strings.TrimSpace(rule))
	b.WriteString("# Put a line in that must change, and one that must not.\n")
	b.WriteString(f.exampleFor(kind, old, with))
	s, problems := script.Parse("new script", b.String())
	if len(problems) > 0 {
		return "", problems
	}
	return script.Format(s), nil
}

// exampleFor writes an example that holds as it stands.
func (f *ruleFlags) exampleFor(kind, old, with string) string {
	plain := !strings.Contains(with, "{=") && !strings.ContainsAny(old+with, "\n")
	if kind == "regex" || !plain || len(f.on)+len(f.in)+len(f.statements) > 0 {
		return "example \"…\" {\n    given\n        | a line\n    gives the same\n}\n"
	}
	return fmt.Sprintf("example \"…\" {\n    given\n        | before %s after\n    gives\n        | before %s after\n}\n",
		strings.ReplaceAll(old, "{=", "{=="), with)
}

var (
	hostLike = regexp.MustCompile(`^[A-Za-z0-9-]+(\.[A-Za-z0-9-]+)+$`)
	portLike = regexp.MustCompile(`^[0-9]{2,5}$`)
)

// valueLike names the parameter that a text looks like the value of, "" for none.
func valueLike(s string) (name, about string) {
	_, err := netip.ParseAddr(s)
	switch {
	case err == nil:
		return "address", "the new address"
	case portLike.MatchString(s):
		return "number", "the new number"
	case hostLike.MatchString(s):
		return "host", "the new host name"
	case strings.HasPrefix(s, "/") && !strings.ContainsAny(s, " \n{"):
		return "path", "the new path"
	}
	return "", ""
}

// save keeps a one-off change as a script, where a path is given.
func (f *ruleFlags) save(c *cobra.Command, path string) error {
	if path == "" {
		return nil
	}
	text, err := f.oneOffScript(c)
	if err != nil {
		return err
	}
	if text == "" {
		return wrong("--save keeps a change given on the command line, and there is none")
	}
	s, problems := script.Parse(commandLineName, text)
	if len(problems) > 0 {
		return problems
	}
	return save(path, script.Format(s))
}
