package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"frizzel/core/script"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
)

// mistakenOption returns the message for a wrong option, with what to type instead.
func mistakenOption(c *cobra.Command, err error) error {
	if args := c.Flags().Args(); c.HasSubCommands() && len(args) > 0 {
		return noCommand(c, args) // its options are not known either
	}
	return exit.Wrongf("%s; see %s --help", optionMistake(c, err), c.CommandPath())
}

func optionMistake(c *cobra.Command, err error) string {
	var (
		unknown *pflag.NotExistError
		lacking *pflag.ValueRequiredError
		invalid *pflag.InvalidValueError
	)
	switch {
	case errors.As(err, &unknown) && unknown.GetSpecifiedShortnames() != "":
		return fmt.Sprintf("there is no option -%.1s", unknown.GetSpecifiedName())
	case errors.As(err, &unknown):
		if ours, ok := ourWord[unknown.GetSpecifiedName()]; ok && !strings.Contains(ours, "as in") {
			return "there is no option --" + unknown.GetSpecifiedName() + ": " + ours
		}
		return "there is no option --" + unknown.GetSpecifiedName() + meant(unknown.GetSpecifiedName(), "--", options(c))
	case errors.As(err, &lacking):
		return fmt.Sprintf("--%s wants a value: %s", lacking.GetFlag().Name, wants(lacking.GetFlag()))
	case errors.As(err, &invalid):
		return fmt.Sprintf("--%s wants %s, not %q", invalid.GetFlag().Name, wants(invalid.GetFlag()), invalid.GetValue())
	}
	return err.Error()
}

// wants says what values an option takes.
func wants(f *pflag.Flag) string {
	switch f.Value.Type() {
	case "bool":
		return "no value, or =true or =false"
	case "duration":
		return "a time such as 90s, 5m or 1h30m"
	case "int":
		return "a whole number"
	}
	name, _ := pflag.UnquoteUsage(f)
	return "a " + name
}

// options lists the names of a command's options.
func options(c *cobra.Command) (names []string) {
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if !f.Hidden {
			names = append(names, f.Name)
		}
	})
	return names
}

// commandNames lists the names of the commands below one.
func commandNames(c *cobra.Command) (names []string) {
	for _, sub := range c.Commands() {
		if sub.IsAvailableCommand() {
			names = append(names, sub.Name())
		}
	}
	return names
}

// meant asks for the known name that a mistyped one is nearest to.
func meant(name, before string, known []string) string {
	if near := script.Nearest(name, known); near != "" {
		return ": did you mean " + before + near + "?"
	}
	return ""
}

// name returns what follows the program's name to call a command.
func name(c *cobra.Command) string { return strings.TrimPrefix(c.CommandPath(), c.Root().Name()+" ") }

// ourWord says, for commands and options that people bring with them, what does that here.
var ourWord = map[string]string{
	"replace": changing, "substitute": changing, "change": changing, "run": changing, "edit": changing,
	"swap":   "a rule does that, as in: frizzel preview --rule 'replace each word { \"oak\" with \"ash\"; \"ash\" with \"oak\" }'",
	"search": searching, "look": searching, "list": searching, "match": searching,
	"test": "frizzel check runs a script's examples", "lint": "frizzel check looks a script over",
	"validate": "frizzel check looks a script over", "format": "frizzel fmt lays a script out",
	"revert": back, "restore": back, "rollback": back, "backup": "every apply keeps a backup; frizzel history lists the runs, frizzel undo takes one back",
	"log": "frizzel history lists the runs", "runs": "frizzel history lists the runs",
	"dry-run": "frizzel preview shows what would change, and writes nothing", "diff-only": "frizzel preview shows what would change, and writes nothing",
	"force-yes": "--yes does not ask", "no-confirm": "--yes does not ask", "backup-dir": "frizzel history and frizzel undo know every run",
	"recursive": "a directory means all files below it",
}

const (
	changing  = "frizzel preview shows what would change, and frizzel apply writes it, as in: frizzel preview --word OLD --with NEW"
	searching = "frizzel find looks, as in: frizzel find --word depot-3 conf"
	back      = "frizzel undo takes a run back"
)

// noCommand checks the arguments of a command that has subcommands only.
func noCommand(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	remedy := meant(args[0], "", commandNames(c))
	if ours, ok := ourWord[args[0]]; ok {
		remedy = ": " + ours
	}
	return exit.Wrongf("there is no command %q%s; see %s --help", args[0], remedy, c.CommandPath())
}

// nothing checks the arguments of a command that has options only.
func nothing(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	return exit.Wrongf("%s takes options only, not %q; see %s --help", name(c), args[0], c.CommandPath())
}

// noPaths checks the arguments of a command that reads standard input.
func noPaths(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	return exit.Wrongf("%s reads standard input, not files: write < %s behind it; see %s --help", name(c), hook.Quote(args[0]), c.CommandPath())
}

// one checks the arguments of a command that takes exactly one.
func one(what string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		switch len(args) {
		case 0:
			return exit.Wrongf("%s wants %s; see %s --help", name(c), what, c.CommandPath())
		case 1:
			return nil
		}
		return exit.Wrongf("%s wants %s and no more, not also %q", name(c), what, args[1])
	}
}

// atMostOne is one, or nothing.
func atMostOne(what string) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		if len(args) == 0 {
			return nil
		}
		return one(what)(c, args)
	}
}
