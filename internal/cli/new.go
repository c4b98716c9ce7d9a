package cli

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/core/compile"
	"frizzel/internal/authoring"
	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/report"
)

const newLong = `Write a rule script from the flags of a change on the command line: with comments, with
a parameter where the new text looks like a value, and with an example to fill in.

With --old and --new it is learned from an edit that you did by hand: the script does that
edit, to the last byte, and the same in other files, as far as it can be said in general.
Directories and several files in them give one script for all. If no rules say the edit,
the reason is told and there is no script.

It goes to standard output, or to a FILE that is not there yet.`

const newExample = `  frizzel new --word depot-3 --with depot-4 > move-depot.friz
  frizzel new --text 192.0.2.30 --with 192.0.2.40 --in 'section "clock"' clock.friz

  # shown once: what was done to a file by hand
  frizzel new --old clock.ini.orig --new clock.ini
  frizzel new --old-git HEAD --new conf/clock.ini clock.friz`

// shownFlags say what was shown by hand.
type shownFlags struct {
	old, fresh, git, encoding string
	hide                      []string
}

func (a *app) new() *cobra.Command {
	var rules ruleFlags
	var shown shownFlags
	c := &cobra.Command{
		Use:     "new ((--text|--word|--regex) X --with Y | --old OLD --new NEW) [FILE]",
		Short:   "Write a rule script from what was tried, or from an edit shown once",
		Long:    newLong,
		Example: newExample,
		Args:    atMostOne("a file for the script"),
		RunE: func(c *cobra.Command, args []string) error {
			oneOff, err := rules.oneOff(c)
			if err != nil {
				return err
			}
			if len(args) > 0 {
				if err := canSave(args[0]); err != nil {
					return err
				}
			}
			var text string
			if shown.given() {
				if oneOff.Kind != "" || len(oneOff.Statements) > 0 {
					return exit.Wrongf("an edit that was shown says itself what changes: leave out the other options")
				}
				text, err = a.learn(c.Context(), &shown)
			} else {
				text, err = oneOff.New(rules.syntax)
			}
			if err != nil {
				return err
			}
			if len(args) == 0 {
				_, err = fmt.Fprint(a.Out, text)
				return err
			}
			return save(args[0], []byte(text))
		},
	}
	rules.addChange(c)
	fl := c.Flags()
	fl.StringVar(&shown.old, "old", "", "learn from this `file` or directory as it was before")
	fl.StringVar(&shown.fresh, "new", "", "and from this `file` or directory as it was edited")
	fl.StringVar(&shown.git, "old-git", "", "take the old file of --new from this `revision`, by git")
	fl.StringVar(&shown.encoding, "encoding", "", "the `name` of the files' encoding, such as iso-8859-1")
	fl.StringArrayVar(&shown.hide, "hide", nil, "leave the edit itself out of the script, since it holds this `pattern`; may be repeated")
	return c
}

func (f *shownFlags) given() bool { return f.old+f.fresh+f.git != "" }

// learn returns the script that does what was shown.
func (a *app) learn(ctx context.Context, f *shownFlags) (string, error) {
	switch {
	case f.fresh == "":
		return "", exit.Wrongf("--new is missing: the file as it was edited")
	case (f.old == "") == (f.git == ""):
		return "", exit.Wrongf("say what the file was before: either --old or --old-git")
	}
	for _, h := range f.hide {
		if _, problems := compile.Pattern("--hide", h); len(problems) > 0 {
			return "", problems
		}
	}
	o := authoring.LearnOptions{Old: f.old, New: f.fresh, Encoding: f.encoding, NoExample: len(f.hide) > 0}
	o.Passed = func(path string) {
		fmt.Fprintf(a.Err, "note: %s is on one side only, and passed over\n", report.Path(path))
	}
	if f.git != "" {
		o.Before = func(path string) ([]byte, error) { return gitShow(ctx, f.git, path) }
	}
	return authoring.Learn(o)
}

// gitShow returns what git has of a file in a revision.
func gitShow(ctx context.Context, revision, path string) ([]byte, error) {
	if strings.HasPrefix(revision, "-") {
		return nil, exit.Wrongf("--old-git wants a revision, not %q", revision)
	}
	c := exec.CommandContext(ctx, "git", "-C", filepath.Dir(path), "show", revision+":./"+filepath.Base(path))
	var said bytes.Buffer
	c.Stderr = &said
	text, err := c.Output()
	if err != nil {
		return nil, exit.Wrongf("git does not show %s of %s: %s", path, revision, cmp.Or(strings.TrimSpace(said.String()), err.Error()))
	}
	return text, nil
}

// canSave returns an error if saving to path would certainly fail.
func canSave(path string) error {
	if path == "" {
		return nil
	}
	if _, err := os.Lstat(path); err == nil {
		return exit.Wrongf("%q is there already; name a new file", path)
	}
	if _, err := os.Stat(filepath.Dir(path)); errors.Is(err, fs.ErrNotExist) {
		return exit.Wrongf("there is no directory %q to write %q in", filepath.Dir(path), filepath.Base(path))
	}
	return nil
}

// save creates a file that only its owner may read.
func save(path string, text []byte) error { return saveFrom(path, bytes.NewReader(text)) }

// saveFrom is save for a text that is streamed.
func saveFrom(path string, from io.WriterTo) error {
	in, err := disk.Resolve(filepath.Dir(path))
	var dir disk.Dir
	if err == nil {
		dir, err = disk.Real{}.OpenDir(in)
	}
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, disk.ErrNotDir) {
		return exit.Wrongf("there is no directory %q to write %q in", filepath.Dir(path), filepath.Base(path))
	}
	if err != nil {
		return err
	}
	defer disk.Close(dir)
	f, err := dir.Create(filepath.Base(path))
	if errors.Is(err, fs.ErrExist) {
		return exit.Wrongf("%q is there already; name a new file", path)
	}
	if err != nil {
		return err
	}
	_, err = from.WriteTo(f)
	return errors.Join(err, f.Close())
}

// encodingOf returns the encoding that a command line names, or "".
func encodingOf(c *cobra.Command) string {
	if f := c.Flags().Lookup("encoding"); f != nil {
		return f.Value.String()
	}
	return ""
}

// save keeps a one-off change as a script, if a path is given.
func (f *ruleFlags) save(c *cobra.Command, path string) error {
	if path == "" {
		return nil
	}
	oneOff, err := f.oneOff(c)
	if err != nil {
		return err
	}
	text, err := oneOff.Saved(f.syntax, encodingOf(c))
	if err != nil {
		return err
	}
	return save(path, []byte(text))
}
