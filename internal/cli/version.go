package cli

import (
	"fmt"
	"runtime/debug"

	"github.com/spf13/cobra"

	"frizzel/core/script"
	"frizzel/internal/confine"
)

// Version is the program's version, set when a release is built.
var Version = "development"

func (a *app) version() *cobra.Command {
	return &cobra.Command{
		Use:   "version",
		Short: "Say which version this is",
		Args:  nothing,
		RunE: func(*cobra.Command, []string) error {
			fmt.Fprintf(a.Out, "frizzel %s, rule language %d", Version, script.LanguageVersion)
			if info, ok := debug.ReadBuildInfo(); ok {
				fmt.Fprintf(a.Out, ", %s", info.GoVersion)
			}
			by := "nothing, since this system does not offer it"
			if how := confine.Enforced(); how != "" {
				by = how
			}
			_, err := fmt.Fprintf(a.Out, "\ncommands that only look are confined by %s\n", by)
			return err
		},
	}
}
