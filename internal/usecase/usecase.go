// Package usecase has one function with one options type for each thing the program does: [Preview],
// [Apply], [Undo], [Layout], [Check], [Filter], and those of a sealed review. It reads no flags and
// prints nothing; functions among the options show results and ask questions.
package usecase

import (
	"errors"
	"io/fs"
	"syscall"

	"frizzel/internal/exit"
)

// notRead returns the error for a file of the command line that cannot be read. what is the kind of file for the
// message.
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
