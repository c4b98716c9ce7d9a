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

// noCommand checks the arguments of a command that has subcommands only.
func noCommand(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	return exit.Wrongf("there is no command %q%s; see %s --help", args[0], meant(args[0], "", commandNames(c)), c.CommandPath())
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
