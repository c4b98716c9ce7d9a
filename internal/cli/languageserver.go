package cli

import (
	"runtime/debug"

	"github.com/spf13/cobra"

	"frizzel/internal/lsp"
)

const languageServerLong = `Speak the Language Server Protocol on standard input and output, for an editor: problems
while typing, completion, what words mean, definitions, renaming, layout and quick fixes.

An editor starts it; docs/editor says how. It reads the scripts that are open, and the
files that they use, and writes nothing.`

func (a *app) languageServer() *cobra.Command {
	c := &cobra.Command{
		Use:     "language-server",
		Short:   "Speak the Language Server Protocol, for editors",
		Long:    languageServerLong,
		Example: "  frizzel language-server",
		Args:    nothing,
		RunE: func(c *cobra.Command, _ []string) error {
			debug.SetGCPercent(400) // most of what an answer needs is garbage at once
			debug.SetMemoryLimit(512 << 20)
			return lsp.Serve(c.Context(), a.In, a.files.Out, Version)
		},
	}
	// Clients add these words, which the protocol's specification suggests; the streams are the only way here anyway.
	c.Flags().Bool("stdio", true, "speak on standard input and output")
	c.Flags().Int("clientProcessId", 0, "the client's process")
	for _, name := range []string{"stdio", "clientProcessId"} {
		_ = c.Flags().MarkHidden(name)
	}
	return c
}
