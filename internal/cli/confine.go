package cli

import (
	"slices"

	"github.com/spf13/cobra"

	"frizzel/internal/confine"
)

// looking are the commands that only look at files. They give up all other rights before they read the first one.
var looking = []string{"frizzel find", "frizzel preview", "frizzel check", "frizzel filter", "frizzel history", "frizzel history show", "frizzel history verify", "frizzel language-server", "frizzel explain"}

// outputs are the options that name files which such a command writes.
var outputs = []string{"report", "seal", "save"}

// confine gives up the rights that a command does not need.
func (a *app) confine(c *cobra.Command) (err error) {
	if !a.alone || !slices.Contains(looking, c.CommandPath()) {
		return nil
	}
	var files []string
	for _, name := range outputs {
		if f := c.Flags().Lookup(name); f != nil {
			files = append(files, f.Value.String())
		}
	}
	confined, err := confine.Begin(files...)
	a.confined.Store(confined)
	return err
}
