// Package usecase is what the program does, one function with one options type each:
// [Find], [Preview], [Apply], [Undo], [Layout], [Check], [Filter] and what goes with a
// sealed review. It knows no flags and prints nothing; what is shown and asked goes
// through functions among the options.
package usecase

import (
	"errors"
	"io/fs"
	"syscall"

	"frizzel/internal/exit"
)

// notRead words the error of a file that a person named and that cannot be read; what is
// what kind of file it is.
func notRead(what, path string, err error) error {
	var p *fs.PathError
	if errors.Is(err, fs.ErrNotExist) {
		return exit.Wrongf("there is no %s %q", what, path)
	}
	if errors.As(err, &p) {
		err = p.Err
	}
	if errors.Is(err, syscall.EISDIR) {
		return exit.Wrongf("%q is a directory, not a %s", path, what)
	}
	return exit.Wrongf("the %s %q cannot be read: %w", what, path, err)
}
