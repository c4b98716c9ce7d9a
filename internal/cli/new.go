package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"frizzel/internal/disk"
	"frizzel/internal/exit"

	"github.com/spf13/cobra"
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
		Args:    atMostOne("a file for the script"),
		RunE: func(c *cobra.Command, args []string) error {
			oneOff, err := rules.oneOff(c)
			if err != nil {
				return err
			}
			text, err := oneOff.New(rules.syntax)
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
	return c
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
