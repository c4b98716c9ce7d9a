package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/demo"
	"frizzel/internal/exit"
	"frizzel/internal/hook"
	"frizzel/internal/review"
)

const demoLong = `Unpack the made-up files of the Fernhollow Light Railway into a temporary directory and
walk through a whole job on them: look, write, look again, take back. Each step is a
command and what it really prints.

With a DIRECTORY, the files are left there to play with, and nothing is run.`

// step is one command of the demo.
type step struct {
	why   string
	args  []string
	piped string // a remark about the output if it is not a terminal's
}

var steps = []step{
	{
		why:  "Depot 3 closes, and its machines answer as depot 4. Where is it named?",
		args: []string{"find", "--word", "depot-3", "--joiners", "-"},
	},
	{
		why:  "Rules for the move are written already. Are they in order?",
		args: []string{"check", "rules"},
	},
	{
		why:   "What would they change?",
		args:  []string{"preview", "-r", "rules/move-depot.friz"},
		piped: "Lines of an office document begin with # in a file or a pipe, so that patch and git apply pass over them; a terminal shows\nthem without. A file in UTF-16, such as announcer.ini, keeps its bytes there.",
	},
	{
		why:  "Note what stayed: depot-30, old-depot-3, the port of the other virtual hosts, the binary font.\nThis is right. Write it; the old contents are kept.",
		args: []string{"apply", "-r", "rules/move-depot.friz", "--yes", "--note", "notice 17", "."},
	},
	{
		why:  "Is anything left of depot-3, in any spelling? Rule scripts, which name what they look for, are not searched.",
		args: []string{"find", "--word", "depot-3", "--ignore-case", "--joiners", "-", "--count"},
	},
	{
		why:  "What was done here so far?",
		args: []string{"history"},
	},
	{
		why:  "Depot 3 stays open after all. Everything back, to the last byte.",
		args: []string{"undo", "--yes"},
	},
	{
		why:  "Files, a directory and a link are called by the depot as well. The same rules rename them, and undo takes it back.",
		args: []string{"preview", "-r", "rules/names.friz", "kiosks"},
	},
	{
		why:  "What feeds the boards? The values at a path, whatever the layout.",
		args: []string{"find", "--at", "$.boards[*].feed", "conf"},
	},
	{
		why:  "Platform 2 alone goes to depot 4: its board in YAML, its signs in XML, one row of a table.",
		args: []string{"preview", "-r", "rules/platform-2.friz", "conf", "data", "signage"},
	},
	{
		why:  "Handover note, inventory and slides say it too. What no rule may change there, a formula, is told.",
		args: []string{"preview", "--text", "platform 2", "--with", "platform 4", "office"},
	},
}

func (a *app) demo() *cobra.Command {
	return &cobra.Command{
		Use:   "demo [DIRECTORY]",
		Short: "A guided example on made-up files",
		Long:  demoLong,
		Example: `  frizzel demo            # a walk through a job
  frizzel demo railway    # only the files, in the directory "railway"`,
		Args: atMostOne("a directory"),
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 1 {
				return a.leaveDemo(args[0])
			}
			return a.walkDemo(c.Context())
		},
	}
}

// leaveDemo unpacks the files and says what to try.
func (a *app) leaveDemo(dir string) error {
	if err := demo.Unpack(dir); err != nil {
		return exit.Wrongf("%w", err)
	}
	fmt.Fprintf(a.Out, "The files of the Fernhollow Light Railway are in %s. Try there:\n\n  cd %s\n", dir, hook.Quote(dir))
	for _, s := range steps {
		fmt.Fprintf(a.Out, "  %s\n", commandLine(s.args))
	}
	return nil
}

// walkDemo runs the steps in a temporary directory, with a history of its own.
func (a *app) walkDemo(ctx context.Context) error {
	dir, err := os.MkdirTemp("", "frizzel-demo-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	railway := filepath.Join(dir, "railway")
	if err := demo.Unpack(railway); err != nil {
		return err
	}
	back, err := enter(railway, filepath.Join(dir, "history"))
	if err != nil {
		return err
	}
	defer back()
	style := a.printer().Style
	prompt := &review.Prompt{In: a.In, Out: a.Out, Style: style}
	guided := review.Terminal(a.In, a.files.Out)
	for i, s := range steps {
		why := s.why
		if s.piped != "" && !guided {
			why += "\n" + s.piped
		}
		fmt.Fprintf(a.Out, "\n%s\n%s\n\n", style.Soft("# "+strings.ReplaceAll(why, "\n", "\n# ")), style.Strong("$ "+commandLine(s.args)))
		if guided {
			if err := prompt.Pause(ctx, "Press a key to run it"); err != nil {
				return nil
			}
		}
		sub := newApp(a.files, a.Out.Broken)
		if status := sub.run(ctx, append(s.args, "--color", a.color)); status != exit.Done && status != exit.Would { // a search may find nothing
			return exit.With(status, fmt.Errorf("step %d of the demo ended with status %d", i+1, status))
		}
	}
	fmt.Fprintf(a.Out, "\nTo play with these files: frizzel demo DIRECTORY\n")
	return nil
}

// enter goes to a directory and keeps the history elsewhere, until back is called.
func enter(dir, history string) (back func(), err error) {
	here, err := os.Getwd()
	if err != nil {
		return nil, err
	}
	const state = "FRIZZEL_STATE"
	old, was := os.LookupEnv(state)
	if err := os.Setenv(state, history); err != nil {
		return nil, err
	}
	back = func() {
		_ = os.Chdir(here)
		if was {
			_ = os.Setenv(state, old)
		} else {
			_ = os.Unsetenv(state)
		}
	}
	if err := os.Chdir(dir); err != nil {
		back()
		return nil, err
	}
	return back, nil
}

// commandLine writes a command as it would be typed.
func commandLine(args []string) string {
	words := []string{"frizzel"}
	for _, a := range args {
		words = append(words, hook.Quote(a))
	}
	return strings.Join(words, " ")
}
